"""Earlier results at hand while planning: what a part did last time, and with what else it was on the engine."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.db.models import Exists, OuterRef
from torvix_core.judging.sentences import signed_percent
from torvix_core.units.grammar import listed

from engines.models import Part
from programmes.models import Programme, Setup
from shop.models import Person
from stand.models import Pull, Standing
from verdicts.outlook.part_history import PartUse, uses_of

NEWEST = 3  # of a part, and of the engine; how many more there are is said


@dataclass(frozen=True)
class EarlierResult:
    """A part that a setup of the plan has and its baseline has not; its newest results elsewhere, each with what was
    otherwise there, and how many more there are."""

    setup: Setup
    part: Part
    uses: Sequence[tuple[PartUse, str]]
    more: int


@dataclass(frozen=True)
class Earlier:
    parts: Sequence[EarlierResult]
    tests: Sequence[Programme]  # of the same engine, that ran
    more_tests: int


def of_plan(person: Person, programme: Programme) -> Earlier:
    """Needs setups with their parts."""
    setups = list(programme.setups.all())
    baseline = next((one for one in setups if one.is_baseline), setups[0] if setups else None)
    common = set() if baseline is None else {part.pk for part in baseline.parts.all()}
    first: dict[int, tuple[Setup, Part]] = {}
    for setup in setups:
        for part in setup.parts.all():
            if part.pk not in common:
                first.setdefault(part.pk, (setup, part))
    found = uses_of(person, [part for _, part in first.values()])
    found_parts = []
    for setup, part in first.values():
        elsewhere = [use for use in found[part.pk] if use.programme.pk != programme.pk and use.change is not None]
        if elsewhere:
            rows = [(use, _context(use, setup, part, programme)) for use in elsewhere[:NEWEST]]
            found_parts.append(EarlierResult(setup, part, rows, len(elsewhere) - len(rows)))
    ran = Pull.objects.filter(session__programme=OuterRef("pk"), standing=Standing.ACCEPTED)
    tests = Programme.objects.visible_to(person).filter(Exists(ran), build__engine=programme.build.engine_id)
    tests = tests.exclude(pk=programme.pk)
    return Earlier(found_parts, list(tests[:NEWEST]), max(tests.count() - NEWEST, 0))


def _context(use: PartUse, setup: Setup, part: Part, programme: Programme) -> str:
    """What was otherwise: the engine, and parts of slots that the plan has a part in, too."""
    mine = {one.slot: one for one in setup.parts.all()}
    other = [
        one.name for one in use.setup.parts.all()
        if one.slot != part.slot and one.slot in mine and mine[one.slot].pk != one.pk
    ]  # fmt: skip
    words = [] if use.programme.build.engine_id == programme.build.engine_id else [f"on {use.programme.build.engine}"]
    words += [f"with {listed(other)}"] if other else []
    return ", ".join(words)


def sentence(use: PartUse, context: str) -> str:
    """Its gain there, over what, and what was otherwise; empty where there is none."""
    if use.change is None or use.low is None or use.high is None:
        return ""
    gain = f"{signed_percent(use.change)} ± {(use.high - use.low) / 2 * 100:.1f} % torque over {use.against}"
    alone = "" if not use.other_changes else ", not alone"
    made = f", {use.made_of}" if use.made_of else ""
    where = f", {context}" if context else ""
    return f"{gain} on average{alone}{made}{where}."
