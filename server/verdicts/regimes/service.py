"""A test that crosses parts with a level: who leads at each, what the part is worth over all, where one overtakes."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from torvix_core.judging import duty, verdict
from torvix_core.judging.difference import Difference, DifferenceState
from torvix_core.judging.duty import PRESETS, Preset
from torvix_core.judging.effects import Effects, NotEnoughPulls, fit
from torvix_core.judging.lead_strip import fit_curves
from torvix_core.regimes.change_over import Crossing, Zone, crossings, leading_parts, zones
from torvix_core.regimes.grid import EMPTY, Grid, PartEffect, part_effects
from torvix_core.regimes.level_curves import LevelCurves, LevelMap, at_cell_level, level_curves, mean_levels
from torvix_core.units.checked import Array

from programmes.plan.grids import PlanGrid, plan_grid
from programmes.plan.plans import Plan
from shop.models import Person
from verdicts.comparison.aligned_pulls import Comparison
from verdicts.judging.choice import Choice, ScoreMeasure
from verdicts.judging.service import ScoredComparison, score
from verdicts.regimes.levels import PullLevels, pull_levels
from verdicts.regimes.linked_tests import LinkedTests, with_other_tests

MAP_ROWS = 13  # levels of the map between the lowest and the highest


@dataclass(frozen=True)
class LevelPlace:
    """One part at one level; `to_best` is None for the best."""

    part: int
    setup: int
    score: float
    to_best: Difference | None
    with_the_best: bool


@dataclass(frozen=True)
class LevelRanking:
    """The parts at one level, best first; `state` is how those stand that the best is not ahead of, None if it is."""

    level: int
    places: tuple[LevelPlace, ...]
    state: DifferenceState | None

    @property
    def leading(self) -> tuple[LevelPlace, ...]:
        return tuple(place for place in self.places if place.with_the_best)


@dataclass(frozen=True)
class RegimeMap:
    """Level by speed: leads (parts, levels, bins); the highest (levels, bins), EMPTY where it was not tested; how the
    leaders stand to each other (levels, bins)."""

    x: Array
    leads: NDArray[np.bool_]
    highest: NDArray[np.int_]
    state: NDArray[np.str_]


@dataclass(frozen=True)
class RegimeOfDuty:
    preset: Preset
    zones: tuple[Zone, ...]
    crossings: tuple[Crossing, ...]


@dataclass(frozen=True)
class Along:
    """Parts along the level, by the pulls of this test and of those that are linked with it.

    `grid` holds indices of the comparison's setups; a cell without accepted pulls is EMPTY there. `curves` is None
    while no two parts have three levels that lie apart, or nobody wrote the levels down.
    """

    comparison: Comparison
    scored: ScoredComparison
    plan_grid: PlanGrid
    grid: Grid
    levels: PullLevels | None
    curves: LevelCurves | None
    zones: tuple[Zone, ...]
    crossings: tuple[Crossing, ...]
    peak_power: Array  # (setups,) W, logs

    def part(self, part: int) -> str:
        return self.plan_grid.part_name(part)

    def power_at(self, part: int, x: float) -> float:
        """Peak power of a part at a level, W; nan where it was not tested."""
        assert self.curves is not None
        at = level_curves(self.curves.effects, self.grid, self.curves.reached, np.array([x]))
        return float(np.exp(at.shares[part, 0] @ self.peak_power))


@dataclass(frozen=True)
class Regimes:
    """A grid's rankings and effects by its own pulls, and its parts along the level by these and those of others.

    `grid` holds indices of the comparison's setups; a cell without accepted pulls is EMPTY there. The parts along the
    level are these, in this order, and then those that only other tests have.
    """

    comparison: Comparison
    measure: ScoreMeasure
    plan_grid: PlanGrid
    grid: Grid
    rankings: tuple[LevelRanking, ...]
    effects: tuple[PartEffect, ...]
    along: Along
    linked: LinkedTests

    def part(self, part: int) -> str:
        return self.plan_grid.part_name(part)


def grid_of_comparison(comparison: Comparison, plan: Plan) -> tuple[PlanGrid, Grid] | None:
    """The grid of a plan, and the same with places among the comparison's setups; None where the plan is none."""
    planned = plan_grid(plan)
    if planned is None:
        return None
    place_of = {setup.pk: place for place, setup in enumerate(comparison.setups)}
    cells = np.full(planned.grid.cells.shape, EMPTY)
    for row, places in enumerate(planned.grid.cells.tolist()):
        for column, place in enumerate(places):
            if place != EMPTY:
                cells[row, column] = place_of.get(planned.setups[place].pk or 0, EMPTY)
    return planned, replace(planned.grid, cells=cells)


def regimes(
    person: Person, comparison: Comparison, plan: Plan, choice: Choice, out: Collection[int] = ()
) -> Regimes | None:
    """None where the test is no grid. Invalid and NothingKept as for a verdict."""
    found = grid_of_comparison(comparison, plan)
    if found is None:
        return None
    planned, grid = found
    scored = score(comparison, choice)
    smallest = comparison.programme.smallest_difference
    linked = with_other_tests(person, comparison, plan, planned, scored.low_rpm, scored.high_rpm)
    along = None
    if linked.others and (crossed := grid_of_comparison(linked.comparison, linked.plan)):
        along = _along(linked.comparison, score(linked.comparison, choice), *crossed)
    elif linked.others:  # together they cross nothing that this test does not: it stays by itself
        linked = replace(linked, others=(), notes=())
    return Regimes(
        comparison, choice.measure, planned, grid, rankings(scored.fitted, grid, smallest, out),
        part_effects(scored.fitted, grid), along or _along(comparison, scored, planned, grid), linked,
    )  # fmt: skip


def _along(comparison: Comparison, scored: ScoredComparison, planned: PlanGrid, grid: Grid) -> Along:
    levels, smallest = pull_levels(comparison, planned), comparison.programme.smallest_difference
    curves, peak = _curves(comparison, scored, grid, levels)
    return Along(
        comparison, scored, planned, grid, levels, curves,
        () if curves is None else zones(curves, smallest), () if curves is None else crossings(curves, smallest), peak,
    )  # fmt: skip


def rankings(effects: Effects, grid: Grid, smallest: float, out: Collection[int] = ()) -> tuple[LevelRanking, ...]:
    """The parts at each level that any was run at. Setups that are `out` do not lead."""
    found = []
    for level, column in enumerate(grid.cells.T.tolist()):
        cells = [cell for cell in column if cell != EMPTY]
        if not cells:
            continue
        elsewhere = set(range(len(effects.log_mean))) - set(cells)
        may = [cell for cell in cells if cell not in out] or cells
        best, leading = verdict.leaders(effects, may[0], smallest, {*elsewhere, *out})
        places = sorted(
            (
                LevelPlace(
                    part, cell, float(effects.mean[cell]),
                    effects.difference(cell, best) if cell != best and effects.linked(cell, best) else None,
                    cell in leading,
                )
                for part, cell in enumerate(column) if cell != EMPTY
            ),
            key=lambda place: -place.score,
        )  # fmt: skip
        states = {
            place.to_best.state(smallest) for place in places if place.with_the_best and place.to_best is not None
        }
        order = (DifferenceState.UNDECIDED, DifferenceState.SMALL, DifferenceState.EQUAL)
        found.append(LevelRanking(level, tuple(places), next((one for one in order if one in states), None)))
    return tuple(found)


def _curves(
    comparison: Comparison, scored: ScoredComparison, grid: Grid, levels: PullLevels | None
) -> tuple[LevelCurves | None, Array]:
    if levels is None:
        return None, np.zeros(0)
    moved = at_cell_level(
        np.stack([scored.scores, comparison.power.max(axis=1)], axis=1), scored.layout, levels.x, grid
    )
    try:
        effects = fit(moved, scored.layout, comparison.history)
    except NotEnoughPulls:
        return None, np.zeros(0)
    found = level_curves(
        effects.column(0), grid, mean_levels(scored.layout, levels.x), least_step=levels.least_step
    )  # fmt: skip
    tested = sum(found.is_tested(part).any() for part in range(len(grid.parts))) if len(found.at) else 0
    return (found if tested > 1 else None), effects.log_mean[:, 1]


def regime_map(found: Along) -> RegimeMap | None:
    """Who leads at which level and speed, over the range judged; None where there are no curves."""
    if found.curves is None or found.levels is None:
        return None
    comparison, layout = found.comparison, found.comparison.layout
    inside = found.scored.inside
    moved = at_cell_level(comparison.torque[:, inside], layout, found.levels.x, found.grid)
    fitted = fit_curves(moved, layout, comparison.history)
    x = np.linspace(found.curves.at[0], found.curves.at[-1], MAP_ROWS)
    plain = level_curves(
        found.curves.effects, found.grid, found.curves.reached, x, found.levels.least_step
    )  # fmt: skip
    leads, highest, state, _ = leading_parts(LevelMap(plain, fitted), comparison.programme.smallest_difference)
    shape = len(x), int(inside.sum())
    return RegimeMap(x, leads.reshape(len(leads), *shape), highest.reshape(shape), state.reshape(shape))


def by_duty(found: Along) -> Sequence[RegimeOfDuty]:
    """Zones and crossings for every usual duty; empty where there are no curves."""
    if found.curves is None or found.levels is None:
        return []
    comparison, inside = found.comparison, found.scored.inside
    speed = comparison.speed_rpm[inside]
    drawn = {which: duty.preset(which, float(speed[0]), float(speed[-1])) for which in PRESETS}
    weights = np.stack([duty.weights(one, speed) for one in drawn.values()], axis=1)
    scores = (comparison.torque[:, inside]) @ weights
    fitted = fit(
        at_cell_level(scores, comparison.layout, found.levels.x, found.grid), comparison.layout, comparison.history
    )
    smallest = comparison.programme.smallest_difference
    made = [
        (which, replace(found.curves, effects=fitted.column(at))) for at, which in enumerate(drawn)
    ]  # fmt: skip
    return [RegimeOfDuty(which, zones(curves, smallest), crossings(curves, smallest)) for which, curves in made]


def measured_in(measure: ScoreMeasure) -> str:
    """The kind of unit of a score."""
    return "power" if measure.is_power else "torque"
