"""Theories of the scenario that compete, with what each predicts."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from engines.models import Part
from programmes.expectations import theories
from programmes.expectations.theories import TheoryCase, TheoryText
from programmes.models import Programme
from shop.models import Person
from verdicts.prior.measure_scatter import MEASURES


def write(programme: Programme, given: Sequence[Mapping[str, Any]], parts: Mapping[str, Part], by: Person) -> None:
    """Lines of the scenario: of a setup by its place or of a part by its name, and a text for each theory by name."""
    setups = list(programme.setups.all())
    cases = [
        TheoryCase(
            setups[line["setup"]].pk if "setup" in line else None,
            parts[line["part"]].pk if "part" in line else None, line["measure"], line.get("speeds", ""),
        )
        for line in given
    ]  # fmt: skip
    names = dict.fromkeys(name for line in given for name in line["predicted"])
    explained = [TheoryText(name, [line["predicted"].get(name, "") for line in given]) for name in names]
    theories.write(by, programme, cases, explained, MEASURES, programme.created_at)
