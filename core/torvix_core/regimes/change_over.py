"""Which part leads at which level: zones, where none is separated from another, and where one overtakes another."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations, pairwise

import numpy as np
from numpy.typing import NDArray
from torvix_core.judging.difference import SMALLEST_DIFFERENCE, STILL_SMALL, DifferenceState
from torvix_core.regimes.grid import EMPTY
from torvix_core.regimes.level_curves import LevelCurves, LevelMap
from torvix_core.units.checked import Array


@dataclass(frozen=True)
class Zone:
    """Levels between which the same parts lead, the highest first: those that none is ahead of."""

    low: float
    high: float
    leaders: tuple[int, ...]
    state: DifferenceState = DifferenceState.AHEAD
    at_most: float = 0.0  # by how much, as a share, several leaders differ


@dataclass(frozen=True)
class Crossing:
    """Where the part `after` overtakes the part `before` as the level rises.

    low and high bound the levels at which neither is separated from the other, None where that runs out of what was
    tested: then nothing says that it overtakes at all. `elsewhere` are further levels at which they are not separated.
    """

    before: int
    after: int
    at: float
    low: float | None
    high: float | None
    elsewhere: tuple[tuple[float, float], ...] = ()

    @property
    def is_located(self) -> bool:
        """One of the two is ahead beyond doubt on either side."""
        return self.low is not None and self.high is not None


def leading_parts(
    curves: LevelCurves | LevelMap, smallest: float = SMALLEST_DIFFERENCE
) -> tuple[NDArray[np.bool_], NDArray[np.int_], NDArray[np.str_], Array]:
    """Which parts lead at each level: the highest, and all that it is not ahead of.

    Shapes: results (parts, n); the highest (n,), EMPTY where fewer than two parts were tested; how the leaders stand to
            each other (n,), a `DifferenceState`; by how much they differ at most (n,).
    Units:  part index; share.
    Errors: none.
    Source: the leader against each other one, as in the verdict.
    >>> import numpy as np
    >>> from torvix_core.judging.design_matrix import Layout
    >>> from torvix_core.judging.effects import fit
    >>> from torvix_core.regimes.grid import Grid
    >>> from torvix_core.regimes.level_curves import level_curves
    >>> grid = Grid("boost", ("cam",), (("mild",), ("wild",)), ("1", "2", "3"), np.array([[0, 1, 2], [3, 4, 5]]))
    >>> scores = np.tile([100.0, 110, 120, 95, 110, 126], 3) * np.repeat([1, 1.001, 1], 6)
    >>> effects = fit(scores, Layout.of(np.tile(range(6), 3)))
    >>> curves = level_curves(effects, grid, np.array([1.0, 2, 3, 1, 2, 3]))
    >>> leading_parts(curves)[1][[0, -1]].tolist()
    [0, 1]
    """
    parts, places = len(curves.grid.parts), len(curves.at)
    logs = np.stack([curves.log_mean(part) for part in range(parts)]) if places else np.zeros((parts, 0))
    tested = np.isfinite(logs)
    shown = tested.sum(axis=0) > 1
    highest = np.where(shown, np.where(tested, logs, -np.inf).argmax(axis=0), EMPTY)
    leads = np.zeros((parts, places), dtype=bool)
    level: Array = np.zeros(places)
    for best in np.unique(highest[shown]).tolist():
        here = highest == best
        leads[best] |= here
        for other in range(parts):
            if other == best or not (here & tested[other]).any():
                continue
            found = curves.difference(best, other)
            near = here & tested[other] & ~((found.low > 0) & (found.change > smallest))
            leads[other] |= near
            level = np.where(near, np.fmax(level, found.at_most), level)
    alone = leads.sum(axis=0) < 2
    state = np.select(
        [alone, level < smallest, level <= STILL_SMALL * smallest],
        [DifferenceState.AHEAD, DifferenceState.EQUAL, DifferenceState.SMALL], DifferenceState.UNDECIDED,
    )  # fmt: skip
    return leads, highest, state, level


def zones(curves: LevelCurves, smallest: float = SMALLEST_DIFFERENCE) -> tuple[Zone, ...]:
    """The tested levels cut into stretches, each with the parts that lead in it.

    Shapes: scalars.
    Units:  of the level.
    Errors: none; levels that fewer than two parts were tested at are in no zone.
    Source: `leading_parts`.
    >>> import numpy as np
    >>> from torvix_core.judging.design_matrix import Layout
    >>> from torvix_core.judging.effects import fit
    >>> from torvix_core.regimes.grid import Grid
    >>> from torvix_core.regimes.level_curves import level_curves
    >>> grid = Grid("boost", ("cam",), (("mild",), ("wild",)), ("1", "2", "3"), np.array([[0, 1, 2], [3, 4, 5]]))
    >>> scores = np.tile([100.0, 110, 120, 95, 110, 126], 3) * np.repeat([1, 1.001, 1], 6)
    >>> effects = fit(scores, Layout.of(np.tile(range(6), 3)))
    >>> curves = level_curves(effects, grid, np.array([1.0, 2, 3, 1, 2, 3]))
    >>> [zone.leaders for zone in zones(curves)]
    [(0,), (0, 1), (1,)]
    """
    leads, highest, state, level = leading_parts(curves, smallest)
    if not len(curves.at):
        return ()
    which = [(*leads[:, place].tolist(), highest[place] == EMPTY) for place in range(len(curves.at))]
    cuts = [0, *(place for place, (one, other) in enumerate(pairwise(which), 1) if one != other), len(which)]
    found = []
    for begin, end in pairwise(cuts):
        if highest[begin] == EMPTY:
            continue
        inside = slice(begin, end)
        means = np.stack([curves.log_mean(part)[inside].mean() for part in range(len(leads))])
        leaders = tuple(sorted(np.flatnonzero(leads[:, begin]).tolist(), key=lambda part: -float(means[part])))
        worst = begin + int(np.argmax(level[inside]))
        low = curves.at[begin] if begin == 0 else curves.at[begin - 1 : begin + 1].mean()
        high = curves.at[end - 1] if end == len(which) else curves.at[end - 1 : end + 1].mean()
        found.append(
            Zone(float(low), float(high), leaders, DifferenceState(str(state[worst])), float(level[inside].max()))
        )
    return tuple(found)


def crossings(curves: LevelCurves, smallest: float = SMALLEST_DIFFERENCE) -> tuple[Crossing, ...]:
    """Where one part overtakes another, for every two, with its uncertainty along the level.

    Shapes: scalars.
    Units:  of the level.
    Errors: none; two parts of which neither is ahead anywhere give none: equal parts have no crossing.
    Source: the levels at which the difference is not clear of nought at 95 %: the test turned round (Fieller, J. R.
            Stat. Soc. B 16 (1954) [mem]), which plus and minus two standard errors does not give.
    >>> import numpy as np
    >>> from torvix_core.judging.design_matrix import Layout
    >>> from torvix_core.judging.effects import fit
    >>> from torvix_core.regimes.grid import Grid
    >>> from torvix_core.regimes.level_curves import level_curves
    >>> grid = Grid("boost", ("cam",), (("mild",), ("wild",)), ("1", "2", "3"), np.array([[0, 1, 2], [3, 4, 5]]))
    >>> scores = np.tile([100.0, 110, 120, 95, 110, 126], 3) * np.repeat([1, 1.001, 1], 6)
    >>> effects = fit(scores, Layout.of(np.tile(range(6), 3)))
    >>> curves = level_curves(effects, grid, np.array([1.0, 2, 3, 1, 2, 3]))
    >>> [(found.before, found.after, round(found.at, 2)) for found in crossings(curves)]
    [(0, 1, 2.0)]
    """
    found: list[Crossing] = []
    for one, other in combinations(range(len(curves.grid.parts)), 2):
        if curves.is_linked(one, other):
            found += _crossings(curves, one, other, smallest)
    return tuple(sorted(found, key=lambda crossing: crossing.at))


def _crossings(curves: LevelCurves, one: int, other: int, smallest: float) -> list[Crossing]:
    """Of one pair. Stretches in which one is ahead have a sign: 1 for `one`, -1 for `other`."""
    gap = curves.difference(one, other)
    tested = np.isfinite(gap.change)
    at, change, low, high = (each[tested] for each in (curves.at, gap.change, gap.low, gap.high))
    if len(at) < 2:
        return []
    sign = np.where(low > 0, 1, np.where(high < 0, -1, 0))
    runs = _runs(sign)
    # A stretch counts as ahead if the lead matters somewhere in it.
    called = [
        (begin, end, int(sign[begin]) if (np.abs(change[begin:end]) > smallest).any() else 0) for begin, end in runs
    ]
    ahead = [run for run in called if run[2]]
    if not ahead:
        return []
    names = {1: one, -1: other}
    found = []
    for (_, end, leader), (begin, _, then) in pairwise(ahead):
        if leader == then:
            continue
        edges = _edge(at, low, high, end - 1, 1), _edge(at, low, high, begin, -1)
        root = _root(at[end - 1 : begin + 1], change[end - 1 : begin + 1])
        found.append(Crossing(names[leader], names[then], root, *edges))
    first, last = ahead[0], ahead[-1]
    if not found:  # neither end shows the other ahead: it may overtake beyond, where the two are not separated
        if first[0] > 0 and change[0] * first[2] < 0:
            root = _root(at[: first[0] + 1], change[: first[0] + 1])
            edge = _edge(at, low, high, first[0], -1)
            found.append(Crossing(names[-first[2]], names[first[2]], root, None, edge))
        if last[1] < len(at) and change[-1] * last[2] < 0:
            root = _root(at[last[1] - 1 :], change[last[1] - 1 :])
            edge = _edge(at, low, high, last[1] - 1, 1)
            found.append(Crossing(names[last[2]], names[-last[2]], root, edge, None))
        return found
    apart = [(float(at[end - 1]), float(at[begin])) for (_, end, one), (begin, _, two) in pairwise(ahead) if one == two]
    return [Crossing(*(one.before, one.after, one.at, one.low, one.high), tuple(apart)) for one in found]


def _edge(at: Array, low: Array, high: Array, place: int, step: int) -> float:
    """Where the interval of a difference touches nought, between a place at which it is clear of it and the next."""
    bound = low if low[place] > 0 else -high
    share = bound[place] / (bound[place] - bound[place + step])
    return float(at[place] + share * (at[place + step] - at[place]))


def _root(at: Array, change: Array) -> float:
    """Where a difference changes its sign, the first of several."""
    turns = np.flatnonzero(change[1:] * change[:-1] <= 0)
    if not len(turns):
        return float(at[np.abs(change).argmin()])
    place = int(turns[0])
    step = change[place] - change[place + 1]
    share = change[place] / step if step else 0.0
    return float(at[place] + share * (at[place + 1] - at[place]))


def _runs(values: NDArray[np.int_]) -> Sequence[tuple[int, int]]:
    cuts = [0, *(np.flatnonzero(values[1:] != values[:-1]) + 1).tolist(), len(values)]
    return list(pairwise(cuts))
