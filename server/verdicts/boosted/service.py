"""Boosted setups: how each pull held its target and what a miss is worth, boost against breathing, and exhaust cost."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from torvix_core.engine.dimensions import Slot
from torvix_core.judging.effects import Effects, History, NotEnoughPulls, fit
from torvix_core.pull.comparability import ComparabilityWindow
from torvix_core.pull.curve import shared_grid
from torvix_core.regimes.boosted import (
    AtSameBoost,
    BoostSplit,
    BreathingSplit,
    Sensitivity,
    breathing_split,
    exhaust_cost,
    sensitivity,
    worth_of_miss,
)
from torvix_core.regimes.grid import Grid
from torvix_core.regimes.level_curves import mean_levels
from torvix_core.tuning.targets import BoostHeld, BoostMiss, boost_held, boost_misses, settled_boost
from torvix_core.units.checked import Array

from curves.comparability.pull_screening import windows_of
from curves.models import Reduced
from curves.reduction.inspection import derived_curves, engine_of
from programmes.plan.plans import Plan
from stand.pulls.targets import boost_target
from verdicts.comparison.aligned_pulls import Comparison
from verdicts.judging.choice import Choice
from verdicts.judging.service import ScoredComparison, score
from verdicts.regimes.levels import ATMOSPHERE, ambients
from verdicts.regimes.service import grid_of_comparison


@dataclass(frozen=True)
class HeldPull:
    """How one pull held its target; None where it had none or its boost was not read. `worth` as a share, low, high."""

    row: int
    held: BoostHeld | None
    misses: Sequence[BoostMiss]
    worth: tuple[float, float, float] | None
    by: Sensitivity | None


@dataclass(frozen=True)
class DrivenSetup:
    """A setup against the baseline over the range judged: Pa that it reached, and what made its power."""

    setup: int
    boost: float
    split: BreathingSplit | None  # None for the baseline, and where no day links them


@dataclass(frozen=True)
class SameBoostPair:
    """`other` against `one`, which were asked for the same boost."""

    one: int
    other: int
    found: AtSameBoost
    slots: tuple[str, ...]  # in which the two differ


@dataclass(frozen=True)
class Boosted:
    """boost, pressure, exhaust and turbine are (pulls, bins); exhaust and turbine None where a pull lacks them."""

    comparison: Comparison
    scored: ScoredComparison
    boost: Array
    pressure: Array
    exhaust: Array | None
    turbine: Array | None
    window: ComparabilityWindow
    pulls: tuple[HeldPull, ...]
    setups: tuple[DrivenSetup, ...]
    along: BoostSplit | None  # by speed; None while nothing tells scatter
    pairs: tuple[SameBoostPair, ...]
    ratios: Array | None  # (setups, bins) of exhaust pressure to boost, nan where boost is near nothing


def boosted(comparison: Comparison, plan: Plan, choice: Choice) -> Boosted | None:
    """None where not every pull that counts recorded its boost."""
    read = _channels(comparison)
    if read is None:
        return None
    boost, pressure, exhaust, turbine = read
    scored = score(comparison, choice)
    grid = grid_of_comparison(comparison, plan)
    own = grid[1] if grid is not None and grid[0].is_boost else None
    window = windows_of(comparison.programme)["boost"]
    shares, history = scored.shares, comparison.history
    split = breathing_split(
        (comparison.torque @ shares)[:, None], (pressure @ shares)[:, None], scored.layout, history, along=False
    )
    try:
        along = breathing_split(comparison.torque, pressure, comparison.layout, history)
    except NotEnoughPulls:
        along = None
    targets = np.array([boost_target(one.pull) or np.nan for one in comparison.kept])
    return Boosted(
        comparison, scored, boost, pressure, exhaust, turbine, window,
        _held(comparison, scored.fitted, own, boost, targets, window),
        _driven(comparison, split, boost @ shares), along,
        _pairs(comparison, scored, plan, targets, boost, exhaust, turbine, history),
        None if exhaust is None else _ratios(comparison, boost, exhaust),
    )  # fmt: skip


def _channels(comparison: Comparison) -> tuple[Array, Array, Array | None, Array | None] | None:
    """Boost and the absolute pressure in the manifold, exhaust pressure above ambient, turbine speed; on the bins."""
    engines = {build.pk: engine_of(build) for build in {one.pull.build for one in comparison.kept}}
    grid = comparison.speed_rpm
    found: dict[str, list[Array]] = {"boost": [], "manifold_pressure": [], "exhaust_pressure": [], "turbine_speed": []}
    for one, ambient in zip(comparison.kept, ambients(comparison).tolist(), strict=True):
        reduced: Reduced = one.pull.reduced
        speed = np.array(reduced.speed_rpm)
        curves = derived_curves(one.pull, engines[one.pull.build_id])
        if "boost" not in curves:
            return None
        read = {**reduced.means, **curves}
        read.setdefault("manifold_pressure", ambient + curves["boost"])
        for name, rows in found.items():
            if name in read:
                rows.append(shared_grid([speed, grid], [read[name], np.zeros(len(grid))])[1][0])
    pulls = len(comparison.kept)

    def whole(name: str) -> Array | None:
        values = np.array(found[name])
        return values if len(found[name]) == pulls and np.isfinite(values).all() else None

    boost, pressure = whole("boost"), whole("manifold_pressure")
    if boost is None or pressure is None or (pressure <= 0).any():
        return None
    return boost, pressure, whole("exhaust_pressure"), whole("turbine_speed")


def _held(
    comparison: Comparison, fitted: Effects, grid: Grid | None, boost: Array, targets: Array,
    window: ComparabilityWindow,
) -> tuple[HeldPull, ...]:  # fmt: skip
    """Every pull against its target; what a miss is worth only in a grid follows the same part at other boost."""
    speed = comparison.speed_rpm
    settled = [settled_boost(speed, one) for one in boost]
    reached = np.array([0.0 if one is None else one[0] for one in settled])
    ambient = ambients(comparison)
    pressure = np.log(mean_levels(comparison.layout, ambient + reached))
    found = []
    for row, target in enumerate(targets.tolist()):
        held = boost_held(speed, boost[row], target) if np.isfinite(target) else None
        if held is None:
            found.append(HeldPull(row, None, (), None, None))
            continue
        by = sensitivity(fitted, grid, pressure, int(comparison.setup_of[row]))
        worth = worth_of_miss(by, float(ambient[row]) + held.found, float(ambient[row]) + target)
        misses = boost_misses(speed, boost[row], target, window.note)
        found.append(HeldPull(row, held, misses, worth, by))
    return tuple(found)


def _driven(comparison: Comparison, split: BoostSplit, boost: Array) -> tuple[DrivenSetup, ...]:
    reached, base = mean_levels(comparison.layout, boost), comparison.baseline
    single = BoostSplit(*(one.column(0) for one in (split.power, split.pressure, split.breathing)))
    return tuple(
        DrivenSetup(
            setup, float(reached[setup]),
            single.between(setup, base) if setup != base and single.power.linked(setup, base) else None,
        )
        for setup in range(len(comparison.setups))
    )  # fmt: skip


def _pairs(
    comparison: Comparison, scored: ScoredComparison, plan: Plan, targets: Array, boost: Array, exhaust: Array | None,
    turbine: Array | None, history: History,
) -> tuple[SameBoostPair, ...]:  # fmt: skip
    """Setups that were asked for the same boost, each against the first of them."""
    if exhaust is None:
        return ()
    # Weighted as the power is, so that all three are of the same speeds.
    shares, layout, setups = scored.shares, scored.layout, comparison.setups
    asked = mean_levels(layout, targets)
    reached = mean_levels(layout, boost @ shares)
    factors = {one.pk: plan.factors(one) for one in plan.setups if one.pk}
    back = fit(ATMOSPHERE + np.maximum(exhaust @ shares, 1 - ATMOSPHERE), layout, history)
    spins = turbine is not None and bool((turbine > 0).all())
    turn = fit(turbine @ shares, layout, history) if turbine is not None and spins else None
    found = []
    for level in dict.fromkeys(np.round(asked[np.isfinite(asked)]).tolist()):
        same = [place for place in range(len(setups)) if np.isfinite(asked[place]) and round(asked[place]) == level]
        for other in same[1:]:
            one = same[0]
            if not scored.fitted.linked(other, one):
                continue
            power, cost = scored.fitted.difference(other, one), _change(back, other, one)
            faster = None if turn is None else _change(turn, other, one)
            apart = float(reached[other] - reached[one])
            smallest = comparison.programme.smallest_difference
            rows = [factors.get(setups[place].pk, {}) for place in (one, other)]
            slots = tuple(
                slot for slot in dict.fromkeys([*rows[0], *rows[1]]) if rows[0].get(slot) != rows[1].get(slot)
            )
            said = exhaust_cost(apart, power, cost, faster, smallest)
            found.append(SameBoostPair(one, other, AtSameBoost(apart, power, cost, faster, said), slots))
    return tuple(found)


def _change(effects: Effects, setup: int, reference: int) -> tuple[float, float, float]:
    """Difference of two setups in the unit of the scores, with its interval."""
    found, base = effects.difference(setup, reference), float(effects.mean[reference])
    return float(found.change) * base, float(found.low) * base, float(found.high) * base


def _ratios(comparison: Comparison, boost: Array, exhaust: Array) -> Array:
    """Exhaust pressure over boost, of each setup by speed; of a boost near nothing a ratio says nothing."""
    means = [mean_levels(comparison.layout, each) for each in (exhaust, boost)]
    return np.where(means[1] > 10_000, means[0] / np.maximum(means[1], 1.0), np.nan)


def only_camshaft(pair: SameBoostPair) -> bool:
    """Whether the two differ in nothing but the camshaft, so that overlap may be blamed."""
    return pair.slots == (Slot.CAMSHAFT,)
