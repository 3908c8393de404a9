"""Explanations that compete, written down with what each predicts."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from programmes.expectations.service import read_range
from programmes.models import Prediction, Programme, Theory
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Invalid
from shop.texts import named

MOST = 4


@dataclass(frozen=True)
class TheoryText:
    """A theory as typed: its name, and a number or range by setup."""

    name: str
    predictions: Mapping[int, str]


@transaction.atomic
def write(person: Person, programme: Programme, explained: Sequence[TheoryText], at: datetime) -> None:
    """Put these theories in place of those there are. Invalid names each slip."""
    require_operator(person)
    if len(explained) > MOST:
        raise Invalid("Too many theories.", fields={"theories": f"at most {MOST}: merge what predicts the same"})
    setups = {setup.pk: setup for setup in programme.setups.all() if not setup.is_baseline}
    wrong: dict[str, str] = {}
    rows: list[tuple[str, dict[int, tuple[float, float]]]] = []
    for place, one in enumerate(explained):
        found: dict[int, tuple[float, float]] = {}
        for setup, text in one.predictions.items():
            if not text.strip():
                continue
            try:
                if setup not in setups:
                    raise Invalid("", fields={"text": "There is no such setup."})
                found[setup] = read_range(text)
            except Invalid as slip:
                wrong[f"theories.{place}.{setup}"] = slip.fields["text"]
        try:
            name = named(one.name, "name", 160)
            if name in {row[0] for row in rows}:
                wrong[f"theories.{place}.name"] = "Another theory is called so."
            rows.append((name, found))
        except Invalid as slip:
            wrong[f"theories.{place}.name"] = slip.fields["name"]
    if wrong:
        raise Invalid("The theories are not complete: see the fields.", fields=wrong)
    programme.theories.all().delete()
    for name, found in rows:
        theory = Theory.objects.create(programme=programme, name=name, written_by=person, written_at=at)
        Prediction.objects.bulk_create(
            Prediction(theory=theory, setup=setups[setup], low=low, high=high) for setup, (low, high) in found.items()
        )
