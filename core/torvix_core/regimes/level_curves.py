"""What each part makes along a level, such as boost: as reached, and not as asked for.

Between three levels or more the log of a part's score is a smooth curve; two levels have no curve between them. Nothing
is said beyond the levels that a part was run at.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import CubicSpline
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.difference import Difference
from torvix_core.judging.effects import CONFIDENCE, Effects
from torvix_core.judging.posterior import chance_below, interval
from torvix_core.regimes.grid import EMPTY, Grid
from torvix_core.units.checked import Array

FEWEST_LEVELS = 3  # that make a curve
ALONG = 61  # places along the level at which one part is held against another
MOST_SHARED = 0.75  # of the widest span of a part: so much in common, and nothing is said outside it
PASSES = 2  # over which pulls are brought to the level of their cell: the slope hardly moves after the first


@dataclass(frozen=True, eq=False)
class LevelCurves:
    """What each part makes along the level, for one score.

    reached (setups,) mean level of each setup's pulls; at (n,) rising; shares (parts, n, setups) with which the logs of
    the setups add up to the part's there, nan where it was not tested; `tail` is the chance that one interval misses.
    """

    effects: Effects
    grid: Grid
    reached: Array
    at: Array
    shares: Array = field(repr=False)
    tail: float = 1 - CONFIDENCE

    def is_tested(self, part: int) -> NDArray[np.bool_]:
        """Where a part has a curve, (n,)."""
        return np.isfinite(self.shares[part, :, 0])

    def log_mean(self, part: int) -> Array:
        """Log of the score along the level, (n,), nan where it was not tested."""
        return np.asarray(self.shares[part] @ self.effects.log_mean)

    def difference(self, part: int, other: int) -> Difference:
        """One part against another along the level, (n,), nan where one of them was not tested."""
        found = np.full((4, len(self.at)), np.nan)
        tested = self.is_tested(part) & self.is_tested(other)
        if tested.any() and self.is_linked(part, other):
            shares = (self.shares[part] - self.shares[other])[tested]
            mean, deviation = self.effects.known.combinations(shares, 0)
            weight = np.broadcast_to(self.effects.known.weight[:, :1], mean.shape)
            low, high = interval(weight, mean, deviation, np.full(mean.shape[1], self.tail))
            change = shares @ self.effects.log_mean
            found[:, tested] = [
                *(np.expm1(each) for each in (change, low, high)),
                1 - chance_below(weight, mean, deviation, 0.0),
            ]
        return Difference(*found)

    def is_linked(self, part: int, other: int) -> bool:
        """Whether the pulls of two parts were made on one day, or on days that others link."""
        setups = [setup for row in (part, other) for setup in self.grid.cells[row].tolist() if setup != EMPTY]
        return len({int(self.effects.model.group[setup]) for setup in setups}) == 1


@dataclass(frozen=True, eq=False)
class LevelMap:
    """`LevelCurves` of many scores at once, such as the bins of a curve: every place is a level and a bin, level first.

    effects of (setups, bins) share the levels of `curves`.
    """

    curves: LevelCurves
    effects: Effects

    @property
    def grid(self) -> Grid:
        return self.curves.grid

    @property
    def at(self) -> Array:
        """Level of each place, (levels · bins,)."""
        return np.repeat(self.curves.at, self.effects.log_mean.shape[1])

    def log_mean(self, part: int) -> Array:
        return np.asarray(self.curves.shares[part] @ self.effects.log_mean).ravel()

    def difference(self, part: int, other: int) -> Difference:
        bins = self.effects.log_mean.shape[1]
        found = np.full((4, len(self.curves.at), bins), np.nan)
        tested = self.curves.is_tested(part) & self.curves.is_tested(other)
        if tested.any() and self.curves.is_linked(part, other):
            shares = (self.curves.shares[part] - self.curves.shares[other])[tested]
            known = self.effects.known
            mixtures = [known.combinations(shares, at) for at in range(bins)]
            mean, deviation = (np.stack(each, axis=2).reshape(len(known.weight), -1)
                               for each in zip(*mixtures, strict=True))  # fmt: skip
            weight = np.broadcast_to(known.weight[:, None, :], (len(known.weight), len(shares), bins))
            weight = weight.reshape(mean.shape)
            low, high = interval(weight, mean, deviation, np.full(mean.shape[1], self.effects.tail))
            change = (shares @ self.effects.log_mean).ravel()
            values = [*(np.expm1(each) for each in (change, low, high)), 1 - chance_below(weight, mean, deviation, 0.0)]
            found[:, tested] = np.reshape(values, (4, len(shares), bins))
        return Difference(*found.reshape(4, -1))


def mean_levels(layout: Layout, levels: Array) -> Array:
    """Mean level that the pulls of each setup reached.

    Shapes: levels (pulls, ...); result (setups, ...).
    Units:  any.
    Errors: none.
    Source: definition.
    >>> mean_levels(Layout.of([0, 0, 1]), np.array([0.5, 0.7, 1.0])).tolist()
    [0.6, 1.0]
    """
    return np.stack([levels[layout.setup == setup].mean(axis=0) for setup in range(layout.setups)])


def at_cell_level(scores: Array, layout: Layout, levels: Array, grid: Grid) -> Array:
    """Scores with each pull brought to the mean level of its setup, along the part's own curve.

    Shapes: scores (pulls, ...), levels (pulls,); result (pulls, ...).
    Units:  any; the level so that the log of the score is nearly straight in it, such as the log of a pressure.
    Errors: none; a part with one level leaves its pulls as they are.
    Source: first order along the curve through the setups' own means.
    >>> grid = Grid("boost", ("cam",), (("mild",), ("wild",)), ("1", "2"), np.array([[0, 1], [2, 3]]))
    >>> scores = np.exp(np.array([0.0, 0.2, 1, 1, 0, 0, 1, 1]))
    >>> level = np.array([0.0, 0.2, 1.1, 1.1, 0, 0, 1, 1])
    >>> np.log(at_cell_level(scores, Layout.of(np.repeat(range(4), 2)), level, grid))[:2].round(2).tolist()
    [0.09, 0.11]
    """
    reached, logs = mean_levels(layout, levels), np.log(scores)
    moved, missed = logs, (levels - reached[layout.setup]).reshape(-1, *(1,) * (scores.ndim - 1))
    for _ in range(PASSES):
        means = mean_levels(layout, moved)
        moved = logs - slopes(grid, reached, means)[layout.setup] * missed
    return np.asarray(np.exp(moved))


def slopes(grid: Grid, reached: Array, logs: Array) -> Array:
    """Slope of each part's curve at the level of each of its setups; 0 where a part has one level.

    Shapes: reached (setups,), logs (setups, ...); result as the logs.
    Units:  logs for one unit of the level.
    Errors: none.
    Source: the curve of `slope_shares`.
    >>> grid = Grid("boost", ("cam",), (("mild",),), ("1", "2", "3"), np.array([[0, 1, 2]]))
    >>> slopes(grid, np.array([1.0, 2, 3]), np.array([1.0, 4, 9])).round(9).tolist()
    [2.0, 4.0, 6.0]
    """
    return np.asarray(slope_shares(grid, reached) @ logs)


def slope_shares(grid: Grid, reached: Array) -> Array:
    """With which shares the setups add up to the slope at each of them, noughts where a part has one level.

    Shapes: reached (setups,); result (setups, setups).
    Units:  1 / unit of the level.
    Errors: none.
    Source: cubic spline without a knot next to its ends (de Boor): a parabola of three, a straight line of two.
    >>> grid = Grid("boost", ("cam",), (("mild",),), ("1", "2"), np.array([[0, 1]]))
    >>> slope_shares(grid, np.array([1.0, 3.0])).tolist()
    [[-0.5, 0.5], [-0.5, 0.5]]
    """
    found = np.zeros((len(reached), len(reached)))
    for row in grid.cells:
        cells = row[row != EMPTY]
        cells = cells[np.argsort(reached[cells])]
        if len(cells) > 1 and (np.diff(reached[cells]) > 0).all():
            curve = CubicSpline(reached[cells], np.eye(len(cells)))
            found[np.ix_(cells, cells)] = curve(reached[cells], 1)
    return found


def level_curves(
    effects: Effects, grid: Grid, reached: Array, at: Array | None = None, least_step: float = 0.0
) -> LevelCurves:  # fmt: skip
    """The curve of each part along the level; a part with fewer than FEWEST_LEVELS has none.

    Shapes: effects of (setups,), one score, of `at_cell_level`; reached (setups,); at (n,), usually all levels between
            which two parts at least were run.
    Units:  as reached. `least_step` is the least distance at which two levels are two.
    Errors: none; `at` is empty where no part has a curve.
    Source: as `slope_shares`.
    >>> from torvix_core.judging.effects import fit
    >>> grid = Grid("boost", ("cam",), (("mild",),), ("1", "2", "3"), np.array([[0, 1, 2]]))
    >>> effects = fit(np.repeat([100.0, 110, 121], 2), Layout.of(np.repeat(range(3), 2)))
    >>> curves = level_curves(effects, grid, np.array([1.0, 2, 3]), np.array([0.5, 1.5, 3.0]))
    >>> np.exp(curves.log_mean(0)).round(2).tolist()
    [nan, 104.88, 121.0]
    """
    rows = []
    for row in grid.cells:
        cells = row[row != EMPTY]
        cells = cells[np.argsort(reached[cells], kind="stable")]
        apart = np.diff(reached[cells]) > max(least_step, 1e-12)
        rows.append(cells if len(cells) >= FEWEST_LEVELS and apart.all() else None)
    if at is None:
        at = _where_tested([reached[cells] for cells in rows if cells is not None])
    shares = np.full((len(rows), len(at), len(reached)), np.nan)
    for part, cells in enumerate(rows):
        if cells is None:
            continue
        inside = (at >= reached[cells[0]] - 1e-9) & (at <= reached[cells[-1]] + 1e-9)
        here = np.zeros((int(inside.sum()), len(reached)))
        here[:, cells] = CubicSpline(reached[cells], np.eye(len(cells)))(at[inside])
        shares[part, inside] = here
    return LevelCurves(effects, grid, reached, at, shares)


def _where_tested(spans: Sequence[Array]) -> Array:
    """Levels at which every part was run, where that is most of the widest span: a part that begins a hundredth later
    makes no stretch of its own. Else those at which two were run; none where fewer than two parts have a curve."""
    if len(spans) < 2:
        return np.zeros(0)
    begins, ends = (sorted(float(each[end]) for each in spans) for end in (0, -1))
    low, high = begins[-1], ends[0]
    if high - low < MOST_SHARED * max(float(each[-1] - each[0]) for each in spans):
        low, high = begins[1], ends[-2]
    return np.linspace(low, high, ALONG) if low < high else np.zeros(0)
