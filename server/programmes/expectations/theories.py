"""Explanations that compete, written down with what each predicts: of a setup, or of a part at hand."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime

from django.db import transaction
from torvix_core.units.speed_region import SpeedRegion, take_region

from engines.models import Part
from programmes.expectations.service import read_gain, region_fits
from programmes.models import ExpectedMeasure, Prediction, Programme, Theory
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Invalid
from shop.texts import named

MOST = 4
MOST_CASES = 24
PEAKS = (ExpectedMeasure.PEAK_TORQUE, ExpectedMeasure.PEAK_POWER)


@dataclass(frozen=True)
class TheoryCase:
    """Something that theories speak of: a figure of a setup, or of a part swapped into the baseline.

    `speeds` as typed; empty for all.
    """

    setup: int | None
    part: int | None
    measure: str
    speeds: str = ""


@dataclass(frozen=True)
class TheoryText:
    """A theory as typed: its name, and for each case a number, a range, "more" or "less"; empty for nothing."""

    name: str
    texts: Sequence[str]


@transaction.atomic
def write(
    person: Person, programme: Programme, cases: Sequence[TheoryCase], explained: Sequence[TheoryText],
    measures: Collection[str], at: datetime,
) -> None:  # fmt: skip
    """Put these theories in place of those there are. Invalid names each slip; `measures` are those that are known."""
    require_operator(person)
    if len(explained) > MOST:
        raise Invalid("Too many theories.", fields={"theories": f"at most {MOST}: merge what predicts the same"})
    if len(cases) > MOST_CASES:
        raise Invalid("Too many predictions.", fields={"cases": f"at most {MOST_CASES} lines"})
    wrong: dict[str, str] = {}
    regions = [_read_case(programme, place, case, measures, wrong) for place, case in enumerate(cases)]
    _refuse_twice(cases, regions, wrong)
    rows: list[tuple[str, list[Prediction]]] = []
    for place, one in enumerate(explained):
        found = []
        for at_case, (case, text) in enumerate(zip(cases, one.texts, strict=False)):
            if not text.strip():
                continue
            try:
                gain, region = read_gain(text), regions[at_case] or SpeedRegion()
                if gain.region.words:
                    raise Invalid("", fields={"text": "Write the speeds in their own field."})
                found.append(Prediction(
                    setup_id=case.setup, part_id=case.part, measure=case.measure, low=gain.low, high=gain.high,
                    low_rpm=region.low_rpm, high_rpm=region.high_rpm,
                ))  # fmt: skip
            except Invalid as slip:
                wrong[f"theories.{place}.{at_case}"] = slip.fields["text"]
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
        for prediction in found:
            prediction.theory = theory
        Prediction.objects.bulk_create(found)


def _read_case(
    programme: Programme, place: int, case: TheoryCase, measures: Collection[str], wrong: dict[str, str]
) -> SpeedRegion | None:
    """The speeds of a line; None where they cannot be read."""
    setups = {setup.pk for setup in programme.setups.all() if not setup.is_baseline}
    if (case.setup is None) == (case.part is None):
        wrong[f"cases.{place}.subject"] = "Choose a setup or a part."
    elif case.setup is not None and case.setup not in setups:
        wrong[f"cases.{place}.subject"] = "There is no such setup to hold against the baseline."
    elif case.part is not None and not Part.objects.filter(pk=case.part).exists():
        wrong[f"cases.{place}.subject"] = "There is no such part."
    if case.measure not in measures:
        wrong[f"cases.{place}.measure"] = "Choose a measure."
    try:
        rest, region = take_region(case.speeds.strip())
        if rest:
            raise ValueError("write speeds such as at 2500, below 3000, or 3000 to 4500; or nothing")
        found = region or SpeedRegion()
        region_fits(found, case.measure not in PEAKS, programme)
    except ValueError as reason:
        wrong[f"cases.{place}.speeds"] = str(reason)
    except Invalid as slip:
        wrong[f"cases.{place}.speeds"] = next(iter(slip.fields.values()))
    else:
        return found
    return None


def _refuse_twice(cases: Sequence[TheoryCase], regions: Sequence[SpeedRegion | None], wrong: dict[str, str]) -> None:
    seen = set()
    for place, (case, region) in enumerate(zip(cases, regions, strict=True)):
        key = case.setup, case.part, case.measure, region
        if region is not None and key in seen:
            wrong.setdefault(f"cases.{place}.subject", "This line stands there already.")
        seen.add(key)
