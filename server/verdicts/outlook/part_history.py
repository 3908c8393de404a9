"""How a part did wherever it was used: its setups, and what they made over the range of their programme."""

from __future__ import annotations

from dataclasses import dataclass

from django.db.models import Q
from torvix_core.air.standards import Standard
from torvix_core.judging.duty import Preset

from engines.models import Part
from programmes.models import Programme, Setup
from shop.models import Person
from shop.refusals import Refusal
from verdicts.comparison.aligned_pulls import Comparison, compare
from verdicts.judging import service as judging
from verdicts.judging.choice import Choice
from verdicts.judging.service import Judgment

MOST_PROGRAMMES = 25


@dataclass(frozen=True)
class PartUse:
    """One setup that held the part. Torque in N·m; the change is a share, None where there is none.

    It is against the setup that differs in this part alone where there is one, else against the baseline.
    """

    programme: Programme
    setup: Setup
    pulls: int
    low_rpm: float
    high_rpm: float
    torque: float | None
    change: float | None
    low: float | None
    high: float | None
    state: str
    other_changes: int  # parts beside this one in which the setup differs from the baseline
    why_not: str
    against: str = ""  # letter of the setup that it is held against
    made_of: str = ""  # in words, what of its pulls is not recorded from an engine


def uses(person: Person, part: Part) -> list[PartUse]:
    """Every setup that held the part, the newest programme first, with the outcome where there is one; also under the
    other records of it that are linked with this one."""
    records = Part.objects.filter(Q(pk=part.pk) | Q(same_as=part) | Q(pk=part.same_as_id))
    seen = Programme.objects.visible_to(person).filter(setups__parts__in=records).distinct()
    programmes = seen.select_related("build__engine").prefetch_related("setups__parts")[:MOST_PROGRAMMES]
    return [
        use for programme in programmes for record in records for use in _in_programme(programme, record)
        if any(record in setup.parts.all() for setup in programme.setups.all())
    ]  # fmt: skip


def _in_programme(programme: Programme, part: Part) -> list[PartUse]:
    holding = [setup for setup in programme.setups.all() if part in setup.parts.all()]
    baseline = next((setup for setup in programme.setups.all() if setup.is_baseline), None)
    found: tuple[Comparison, Judgment] | None = None
    why = ""
    try:
        comparison = compare(programme, Standard(programme.standard))
        # Plain averages: programmes differ in their duties, and here they stand beside each other.
        found = comparison, judging.judge(comparison, Choice(comparison.standard, duty=Preset.EVEN))
    except Refusal as refusal:
        why = str(refusal)
    return [_use(programme, setup, part, baseline, found, why) for setup in holding]


def _use(
    programme: Programme, setup: Setup, part: Part, baseline: Setup | None,
    found: tuple[Comparison, Judgment] | None, why: str,
) -> PartUse:  # fmt: skip
    beside = _beside(setup, baseline, part) if baseline else 0
    blank = PartUse(programme, setup, 0, programme.low_rpm, programme.high_rpm, None, None, None, None, "", beside, why)
    if found is None:
        return blank
    comparison, verdict = found
    place = next((placing for placing in verdict.placings if comparison.setups[placing.setup].pk == setup.pk), None)
    if place is None:
        return blank
    change, against = place.to_baseline, baseline
    pair = None if setup.is_baseline or not beside else _direct_pair(comparison, setup, part)
    if pair is not None and verdict.fitted.linked(place.setup, pair):
        change, against, beside = verdict.fitted.difference(place.setup, pair), comparison.setups[pair], 0
    return PartUse(
        programme, setup, int(verdict.fitted.counts[place.setup]), verdict.low_rpm, verdict.high_rpm,
        float(verdict.torque[place.setup]),
        None if change is None else float(change.change), None if change is None else float(change.low),
        None if change is None else float(change.high),
        "" if change is None else change.state(programme.smallest_difference), beside, "",
        "" if change is None or against is None else against.letter, comparison.made_of(place.setup),
    )  # fmt: skip


def _beside(setup: Setup, reference: Setup, part: Part) -> int:
    """How many parts beside this one, and what it took the place of, two setups differ in."""
    others = {one.pk for one in setup.parts.all()} ^ {one.pk for one in reference.parts.all()}
    replaced = {one.pk for one in reference.parts.all() if one.slot == part.slot}
    return len(others - {part.pk} - replaced)


def _direct_pair(comparison: Comparison, setup: Setup, part: Part) -> int | None:
    """The setup of the comparison that differs from this one in this part alone; None where there is none."""
    return next(
        (
            index for index, other in enumerate(comparison.setups)
            if other.pk != setup.pk and part not in other.parts.all() and not _beside(setup, other, part)
        ), None,
    )  # fmt: skip
