"""A gain of this test on another engine: by the rule of the same air, or as it was measured there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from django.db.models import BooleanField, Exists, ExpressionWrapper, OuterRef, Q, Value
from torvix_core.beyond.transfer import (
    Demand,
    EngineSize,
    EngineSpread,
    TransferredGain,
    demand_of,
    learned_spread,
    speed_scale,
    transfer,
)

from curves.reduction.inspection import engine_of
from engines.models import Build
from engines.sheet import sheets
from programmes.models import Programme, Setup
from programmes.plan.plans import SETTING
from shop.models import Person
from shop.refusals import Invalid
from stand.models import Pull, Standing
from verdicts.comparison.aligned_pulls import Comparison, NothingKept, compare
from verdicts.estimates.gains import GainCurve, change_of, gain_of
from verdicts.judging.choice import Choice

MOST_TESTS = 6  # elsewhere that are read to learn how engines differ
FEWEST_BINS = 3


@dataclass(frozen=True)
class Transfer:
    """`there` is None where both engines were not tested; then `carried` is all that is known."""

    one: Setup
    other: Setup
    own: GainCurve
    carried: TransferredGain
    there: GainCurve | None
    demand: Demand
    demand_is_sure: bool
    spread: EngineSpread
    redline: float | None
    unread: int  # older tests with these parts that were not looked at


def size_of(build: Build, by_port: bool) -> EngineSize | None:
    """As the build sheet has it; None where displacement or cylinders are not known."""
    volume, cycle = engine_of(build)
    cylinders = sheets.value(build, "cylinders")
    if volume is None or cylinders is None:
        return None
    width, height = sheets.value(build, "port_width"), sheets.value(build, "port_height")
    area = width * height if by_port and width and height else None
    return EngineSize(volume, int(cylinders), int(cycle), area)


def carry(
    person: Person, comparison: Comparison, choice: Choice, one: Setup, other: Setup, after: EngineSize,
    target: Build | None = None, asked: Demand | None = None, by_port: bool = False,
) -> Transfer:  # fmt: skip
    """The gain of `other` over `one`. Invalid names what is missing; NothingKept as for a verdict."""
    before = size_of(comparison.programme.build, by_port)
    if before is None:
        missing = "write bore, stroke and cylinders on the build sheet of this engine"
        raise Invalid(f"This engine's size is not known: {missing}.", fields={"displacement": missing})
    if by_port and (before.port_area is None or after.port_area is None):
        missing = "port width and height of both engines must be on their build sheets"
        raise Invalid(f"Gas speed in the ports is not known: {missing}.", fields={"port_area": missing})
    own = gain_of(comparison, choice, one, other)
    change = change_of(one, other)
    sure = demand_of([row for row, _ in change if not row.startswith(SETTING)])
    demand = asked or sure or Demand.CYLINDER
    elsewhere, unread = _measured_elsewhere(person, comparison.programme, choice, change, target)
    there = next((gain for gain in elsewhere if target and gain.programme.build.engine_id == target.engine_id), None)
    spread = _spread(own, before, demand, [gain for gain in elsewhere if gain is not there], by_port)
    half = (np.log1p(own.high) - np.log1p(own.low)) / 2
    carried = transfer(own.speed_rpm, own.change, half, speed_scale(before, after, demand), spread)
    redline = None if target is None else sheets.value(target, "redline")
    if redline is not None:
        carried = _up_to(carried, redline)
    return Transfer(one, other, own, carried, there, demand, sure is not None, spread, redline, unread)


def _up_to(carried: TransferredGain, redline: float) -> TransferredGain:
    """What of it lies inside what the engine turns. Invalid where that is nearly nothing."""
    inside = carried.speed_rpm <= redline
    if inside.sum() < FEWEST_BINS:
        where = f"it would begin at {carried.speed_rpm[0]:.0f} rpm, the redline there is {redline:.0f}"
        raise Invalid(f"Nothing of this gain is left on that engine: {where}.", fields={"build_id": where})
    return replace(
        carried, speed_rpm=carried.speed_rpm[inside], change=carried.change[inside], low=carried.low[inside],
        high=carried.high[inside],
    )  # fmt: skip


def _measured_elsewhere(
    person: Person, programme: Programme, choice: Choice, change: frozenset[tuple[str, frozenset[str]]],
    target: Build | None,
) -> tuple[list[GainCurve], int]:  # fmt: skip
    """The same change of parts on other engines: tests of the target's engine before all, then the newest; and how
    many tests with these parts are not among them."""
    if not change:
        return [], 0
    on = {
        name.removeprefix("on ")
        for row, names in change if not row.startswith(SETTING)
        for name in names if name.startswith("on ")
    }  # fmt: skip
    accepted = Pull.objects.filter(session__programme=OuterRef("pk"), standing=Standing.ACCEPTED)
    tests = (
        Programme.objects.visible_to(person)
        .filter(Exists(accepted), archived_at=None, setups__parts__name__in=on)
        .exclude(build__engine=programme.build.engine_id)
        .select_related("build__engine")
        .prefetch_related("setups__parts", "setups__settings", "build__readings")
        .annotate(is_there=_is_of(target))
        .order_by("-is_there", "-created_at")
        .distinct()
    )
    found = []
    for test in tests[:MOST_TESTS]:
        pair = _pair(list(test.setups.all()), change)
        if pair is None:
            continue
        try:
            found.append(gain_of(compare(test, choice.standard, choice.counting), choice, *pair))
        except (Invalid, NothingKept):
            continue
    return found, max(tests.count() - MOST_TESTS, 0)


def _is_of(target: Build | None) -> ExpressionWrapper | Value:
    engine = target.engine_id if target else None
    return ExpressionWrapper(Q(build__engine=engine), BooleanField()) if engine else Value(False, BooleanField())


def _pair(setups: Sequence[Setup], change: frozenset[tuple[str, frozenset[str]]]) -> tuple[Setup, Setup] | None:
    return next(
        ((one, other) for one in setups for other in setups if one.pk != other.pk and change_of(one, other) == change),
        None,
    )


def _spread(
    own: GainCurve, before: EngineSize, demand: Demand, elsewhere: Sequence[GainCurve], by_port: bool
) -> EngineSpread:
    """Learned where three engines or more were tested with the same parts, else the default that is named."""
    missed = []
    for gain in elsewhere:
        size = size_of(gain.programme.build, by_port)
        if size is None:
            continue
        moved = own.speed_rpm * speed_scale(before, size, demand)
        shared = (gain.speed_rpm >= moved[0]) & (gain.speed_rpm <= moved[-1])
        if shared.sum() >= FEWEST_BINS:
            carried = np.interp(gain.speed_rpm[shared], moved, own.change)
            missed.append(float(np.sqrt(np.mean((np.log1p(gain.change[shared]) - np.log1p(carried)) ** 2))))
    return learned_spread(np.array(missed)) or EngineSpread()
