"""Where the restriction is: the evidence of a test's swaps, its channels and the engine on paper, place by place."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from torvix_core.engine.dimensions import Slot
from torvix_core.judging.design import NOTHING
from torvix_core.judging.effects import NotEnoughPulls, fit
from torvix_core.judging.slot_effects import SlotEffect, slot_effects
from torvix_core.pull.curve import GRID_RPM, shared_grid
from torvix_core.regimes.restriction import (
    PLACE_OF,
    Clue,
    ClueKind,
    RestrictionHint,
    Site,
    WeighedPlace,
    ceiling_gain,
    depression_gain,
    hint,
    rough_clue,
    weigh,
)
from torvix_core.units.checked import Array

from curves.models import Reduced
from curves.reduction.inspection import derived_curves, engine_of
from engines.models import Build, Part
from engines.sheet import sheets
from programmes.plan.plans import Plan
from verdicts.comparison.aligned_pulls import Comparison, NothingKept
from verdicts.judging.choice import Choice
from verdicts.judging.service import bounds

TOP = 3  # the upper third of the range: a restriction shows where most air is asked for
PUSHED_BACK = 0.0006  # [-] of the filling for each kPa of exhaust pressure above the boost [mem]
LEAST_BOOST = 10_000.0  # Pa, from which an engine counts as boosted
MOST_PARTS = 3  # at hand that are named


@dataclass(frozen=True)
class RestrictionEvidence:
    """A clue with what it rests on: names and figures for its sentence, SI."""

    clue: Clue
    slot: str = ""
    before: str = ""
    after: str = ""
    figure: float = 0.0  # Pa of a channel, W of a ceiling
    power: float = 0.0  # W at the peak, at which it holds


@dataclass(frozen=True)
class Restriction:
    """`filling` is the highest volumetric efficiency and that at the end, where air flow was recorded."""

    comparison: Comparison
    low_rpm: float
    high_rpm: float
    weighed: tuple[WeighedPlace, ...]
    hint: RestrictionHint
    evidence: tuple[RestrictionEvidence, ...]
    filling: tuple[float, float] | None
    at_hand: tuple[str, ...]  # parts that could be swapped in next
    together: tuple[tuple[str, ...], ...]  # slots that were changed together, so that none is separated from the rest


def restriction(comparison: Comparison, plan: Plan, choice: Choice) -> Restriction:
    """Weigh what a test says. NothingKept where nothing tells scatter."""
    low, high = bounds(comparison, choice)
    low = np.ceil((high - (high - low) / TOP) / GRID_RPM) * GRID_RPM
    top = (comparison.speed_rpm >= low - 1e-6) & (comparison.speed_rpm <= high + 1e-6)
    smallest = comparison.programme.smallest_difference
    power = float(comparison.power[comparison.setup_of == comparison.baseline].max(axis=1).mean())
    swaps, together = _swaps(comparison, plan, top)
    build = Build.objects.prefetch_related("readings", "flow_tables").get(pk=comparison.programme.build_id)
    channels, filling = _channel_means(comparison, top)
    evidence = (*swaps, *_of_channels(channels, power), *_on_paper(build, channels, power))
    places = [place for place in Site if place is not Site.BLOWER or _is_boosted(channels)]
    weighed = weigh([one.clue for one in evidence], places, smallest)
    found = hint(weighed, smallest)
    return Restriction(
        comparison, low, high, weighed, found, evidence, filling,
        () if found.next_place is None else _at_hand(plan, found.next_place), together,
    )  # fmt: skip


def _swaps(
    comparison: Comparison, plan: Plan, top: NDArray[np.bool_]
) -> tuple[list[RestrictionEvidence], tuple[tuple[str, ...], ...]]:
    """What each part is worth in its slot at the top: the freer of the two is the one that makes more there."""
    levels = {one.pk: plan.factors(one) for one in plan.setups if one.pk}
    rows = list(dict.fromkeys(key for setup in comparison.setups for key in levels.get(setup.pk, {})))
    full = [{key: levels.get(setup.pk, {}).get(key, NOTHING) for key in rows} for setup in comparison.setups]
    try:
        effects = fit(comparison.torque[:, top].mean(axis=1), comparison.layout, comparison.history)
    except NotEnoughPulls as reason:
        raise NothingKept(f"Nothing can be said yet: {reason}.", code="not_enough_pulls") from reason
    peaks, found = comparison.power.max(axis=1), dict[str, RestrictionEvidence]()
    together: dict[tuple[str, ...], None] = {}
    for effect in slot_effects(effects, full):
        slot = effect.answer.question.slot
        if effect.answer.together:
            together[tuple(sorted({slot, *effect.answer.together}))] = None
        if effect.change is None or slot not in list(Slot) or (place := PLACE_OF.get(Slot(slot))) is None:
            continue
        freer, before, gain = _freer(effect)
        with_it = [setup for setup, row in enumerate(full) if row[slot] == freer]
        power = float(peaks[np.isin(comparison.setup_of, with_it)].mean())
        swap = RestrictionEvidence(Clue(place, ClueKind.SWAP, *gain), slot, before, freer, power=power)
        # Of several parts in a slot the widest pair is the test of freeing it: two small ones alike say nothing.
        if slot not in found or swap.clue.gain > found[slot].clue.gain:
            found[slot] = swap
    return list(found.values()), tuple(together)


def _freer(effect: SlotEffect) -> tuple[str, str, tuple[float, float, float]]:
    """The part that makes more, the other, and the gain with its interval."""
    question = effect.answer.question
    assert effect.change is not None
    assert effect.low is not None
    assert effect.high is not None
    if effect.change >= 0:
        return question.other, question.one, (effect.change, effect.low, effect.high)
    back = tuple(1 / (1 + share) - 1 for share in (effect.change, effect.high, effect.low))
    return question.one, question.other, (back[0], back[1], back[2])


def _channel_means(
    comparison: Comparison, top: NDArray[np.bool_]
) -> tuple[dict[str, float], tuple[float, float] | None]:
    """Means of the baseline's pulls at the top: of depression, boost and exhaust pressure, Pa, and the ambient; the
    highest filling with that at the end."""
    engines = {build.pk: engine_of(build) for build in {one.pull.build for one in comparison.kept}}
    grid, read = comparison.speed_rpm, dict[str, list[Array]]()
    for row, one in enumerate(comparison.kept):
        if comparison.setup_of[row] != comparison.baseline:
            continue
        reduced: Reduced = one.pull.reduced
        speed = np.array(reduced.speed_rpm)
        for name, values in derived_curves(one.pull, engines[one.pull.build_id]).items():
            if name in ("depression", "boost", "exhaust_pressure", "volumetric_efficiency"):
                on_grid = shared_grid([speed, grid], [values, np.zeros(len(grid))])[1][0]
                read.setdefault(name, []).append(on_grid)
    found: dict[str, float] = {}
    filling = None
    for name, curves in read.items():
        mean = np.mean(curves, axis=0)
        if not np.isfinite(mean[top]).all():
            continue
        if name == "volumetric_efficiency":
            filling = float(np.nanmax(mean)), float(mean[top][-1])
        else:
            found[name] = float(mean[top].mean())
    airs = [one.pull.air.barometer for one in comparison.kept if one.pull.air]
    found["ambient"] = float(np.mean(airs)) if airs else 101_325.0
    return found, filling


def _is_boosted(channels: Mapping[str, float]) -> bool:
    """A stand may send the channel of an engine that has no boost."""
    return channels.get("boost", 0.0) > LEAST_BOOST


def _of_channels(channels: Mapping[str, float], power: float) -> list[RestrictionEvidence]:
    found = []
    ambient, lost = channels["ambient"], channels.get("depression")
    if lost is not None and 0 < lost < ambient / 2:
        clue = rough_clue(Site.INTAKE, ClueKind.CHANNEL, depression_gain(lost, ambient))
        found.append(RestrictionEvidence(clue, "depression", figure=lost, power=power))
    boost, back = channels.get("boost"), channels.get("exhaust_pressure")
    if boost is not None and back is not None and _is_boosted(channels):
        clue = rough_clue(Site.BLOWER, ClueKind.CHANNEL, PUSHED_BACK * max(0.0, back - boost) / 1000)
        found.append(RestrictionEvidence(clue, "exhaust_pressure", figure=back - boost, power=power))
    return found


def _on_paper(build: Build, channels: Mapping[str, float], power: float) -> list[RestrictionEvidence]:
    """The head's ceiling, of an engine without boost: with it the rule of thumb does not hold."""
    if _is_boosted(channels):
        return []
    figures = {one.rule.key: one.amount for one in sheets.work_out(sheets.sheet_of(build)).figures}
    ceiling = figures.get("head_ceiling")
    if ceiling is None or ceiling.value is None:
        return []
    clue = rough_clue(Site.HEAD, ClueKind.PAPER, ceiling_gain(power, ceiling.value))
    return [RestrictionEvidence(clue, "head_ceiling", figure=ceiling.value, power=power)]


def _at_hand(plan: Plan, place: Site) -> tuple[str, ...]:
    """Parts of the library for a place that this test does not have, the newest first."""
    slots = [str(slot) for slot, at in PLACE_OF.items() if at is place]
    have = {part.pk for setup in plan.setups for part in setup.parts}
    rows = Part.objects.filter(slot__in=slots, archived_at=None).exclude(pk__in=have).order_by("-pk")
    return tuple(part.name for part in rows[:MOST_PARTS])


def of_place(found: Restriction, place: Site) -> Sequence[RestrictionEvidence]:
    return [one for one in found.evidence if one.clue.place is place]
