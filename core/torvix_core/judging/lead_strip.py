"""Which setups lead at which engine speed, where one overtakes another, and how sure that is."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.difference import SMALLEST_DIFFERENCE, DifferenceState
from torvix_core.judging.effects import CONFIDENCE, USUAL, Effects, History, fit
from torvix_core.judging.multiple_comparisons import path_length, smoothing_gain, tail_along_curve
from torvix_core.pull.curve import GRID_RPM, crossovers
from torvix_core.units.checked import Array

MINIMUM_BINS = 3  # a setup that is behind over fewer neighbouring bins is not called so [prac]
SMOOTHED_BINS = 5  # over which the scatter of curves is averaged; house rule


@dataclass(frozen=True)
class Lead:
    """A stretch of the speed range and the setups that lead in it, the highest first: those that none is ahead of.

    Of one alone `gain` and `half_width` are against the `runner_up`. Of several `state` says whether they are equal,
    hardly different, or undecided, and `at_most` by how much, as a share, they differ at the most.
    """

    low_rpm: float
    high_rpm: float
    leaders: tuple[int, ...]
    runner_up: int | None = None
    gain: float = 0.0  # score units, mean over the stretch
    half_width: float = 0.0
    state: DifferenceState = DifferenceState.AHEAD
    at_most: float = 0.0

    @property
    def alone(self) -> bool:
        return len(self.leaders) == 1


@dataclass(frozen=True)
class Crossover:
    """Where one setup overtakes another, with the half width of its 95 % interval in rpm; None where the interval runs
    out of the speeds that were run. Before and after it one is ahead of the other beyond what chance and habit allow.
    """

    speed_rpm: float
    half_width_rpm: float | None
    before: int
    after: int


def fit_curves(
    curves: Array, layout: Layout, history: History = USUAL, confidence: float = CONFIDENCE
) -> Effects:  # fmt: skip
    """Effects of whole curves, with intervals of one setup against another that hold in all bins together.

    Shapes: curves (pulls, bins).
    Units:  one unit above zero.
    Errors: as `effects.fit`.
    Source: `multiple_comparisons.tail_along_curve` by how much the residuals of neighbours turn.
    >>> curves = np.array([[100.0] * 4, [101.0] * 4, [103.0] * 4, [104.0] * 4])
    >>> fit_curves(curves, Layout.of([0, 0, 1, 1])).difference(1, 0).low.shape
    (4,)
    """
    plain, bins = fit(curves, layout, history, smoothed=SMOOTHED_BINS), curves.shape[1]
    # Rounded, so that what does not depend on the last bit of a residual is found again.
    turned = round(path_length(plain.residuals), 3)
    gain = smoothing_gain(turned, bins, SMOOTHED_BINS)
    fitted = fit(curves, layout, history, smoothed=SMOOTHED_BINS, steadier=gain) if gain > 1 else plain
    free = round(float(np.min(fitted.degrees_of_freedom)), 1)
    return replace(fitted, tail=tail_along_curve(2, free, turned, bins, confidence))


def leading(
    effects: Effects, smallest: float = SMALLEST_DIFFERENCE, among: Collection[int] | None = None
) -> tuple[NDArray[np.bool_], NDArray[np.int_]]:
    """Which setups lead in each bin: the highest, and all that it is not ahead of.

    Shapes: effects of (setups, bins); results (setups, bins) and the highest setup of each bin (bins,). `among` are the
            setups that may lead; of those the largest group that can be compared is taken.
    Units:  setup index.
    Errors: none.
    Source: the leader against each other one (docs/verdict-model.md). A setup that is behind over fewer than
            MINIMUM_BINS neighbouring bins stays among the leaders.
    >>> scores = np.array([[101.0] * 4 + [97] * 4, [100.9] * 4 + [97] * 4, [97.0] * 4 + [101] * 4])
    >>> leading(fit(scores, Layout.of([0, 0, 1])))[0].astype(int).tolist()
    [[1, 1, 1, 1, 0, 0, 0, 0], [0, 0, 0, 0, 1, 1, 1, 1]]
    """
    group, bins = effects.model.group, effects.log_mean.shape[1]
    may = np.array(sorted(range(len(group)) if among is None else among), dtype=int)
    mine = may[group[may] == np.bincount(group[may]).argmax()]
    best = mine[effects.log_mean[mine].argmax(axis=0)]
    found = np.zeros((len(group), bins), dtype=bool)
    found[mine] = True
    for leader in np.unique(best).tolist():
        for other in mine.tolist():
            if other != leader:
                states = effects.difference(leader, other).states(smallest)
                found[other] &= (best != leader) | (states != DifferenceState.AHEAD)
    for setup in mine.tolist():
        for begin, end in _runs(found[setup]):
            if not found[setup, begin] and end - begin < min(MINIMUM_BINS, bins):
                found[setup, begin:end] = True
    return found, best


def lead_strip(
    speed_rpm: Array, effects: Effects, smallest: float = SMALLEST_DIFFERENCE, among: Collection[int] | None = None
) -> tuple[Lead, ...]:  # fmt: skip
    """The speed range cut into stretches, each with the setups that lead in it.

    Shapes: speed_rpm (bins,), effects of (setups, bins).
    Units:  rpm; gains in the unit of the scores, for instance N·m.
    Errors: none.
    Source: `leading`. The interval of a stretch is the mean of those of its bins: they hold together, so it does, too.
    >>> speed = np.arange(3000.0, 3800, 100)
    >>> scores = np.array([[101.0] * 4 + [95] * 4, [100.9] * 4 + [95] * 4, [95.0] * 4 + [101] * 4])
    >>> strip = lead_strip(speed, fit_curves(scores, Layout.of([0, 0, 1])))
    >>> [(lead.low_rpm, lead.high_rpm, lead.leaders) for lead in strip]
    [(3000.0, 3350.0, (0,)), (3350.0, 3700.0, (1,))]
    """
    found, _ = leading(effects, smallest, among)
    which = np.unique(found, axis=1, return_inverse=True)[1].reshape(-1)
    stretches = []
    for begin, end in _runs(which):
        # A stretch reaches half way to its neighbour, and no further than the data at the ends.
        low = float(speed_rpm[begin] - (GRID_RPM / 2 if begin else 0.0))
        high = float(speed_rpm[end - 1] + (GRID_RPM / 2 if end < len(speed_rpm) else 0.0))
        means = effects.log_mean[:, begin:end].mean(axis=1)
        leaders = tuple(sorted(np.flatnonzero(found[:, begin]).tolist(), key=lambda one: -float(means[one])))
        stretches.append(_stretch(effects, smallest, slice(begin, end), low, high, leaders, among))
    return tuple(stretches)


def _stretch(
    effects: Effects, smallest: float, bins: slice, low: float, high: float, leaders: tuple[int, ...],
    among: Collection[int] | None,
) -> Lead:  # fmt: skip
    if len(leaders) > 1:
        pairs = [effects.difference(one, leaders[0]) for one in leaders[1:]]
        states = [str(state) for pair in pairs for state in pair.states(smallest)[bins]]
        for state in (DifferenceState.UNDECIDED, DifferenceState.SMALL, DifferenceState.EQUAL):
            if state in states:
                break
        # Where one is ahead for a bin or two, that is not called: it is undecided.
        if DifferenceState.AHEAD in states or DifferenceState.BEHIND in states:
            state = DifferenceState.UNDECIDED
        most = max(float(pair.at_most[bins].max()) for pair in pairs)
        return Lead(low, high, leaders, state=state, at_most=most)
    leader, means = leaders[0], effects.log_mean[:, bins].mean(axis=1)
    others = [other for other in (range(len(means)) if among is None else among)
              if other != leader and effects.linked(other, leader)]  # fmt: skip
    if not others:
        return Lead(low, high, leaders)
    runner_up = max(others, key=lambda other: float(means[other]))
    lead, base = effects.difference(leader, runner_up), effects.mean[runner_up]
    gain, half = ((values * base)[bins].mean() for values in (lead.change, lead.half_width))
    return Lead(low, high, leaders, runner_up, float(gain), float(half))


def lead_crossovers(
    speed_rpm: Array, effects: Effects, smallest: float = SMALLEST_DIFFERENCE, among: Collection[int] | None = None
) -> tuple[Crossover, ...]:  # fmt: skip
    """Where one of two setups overtakes the other, for any two, with its uncertainty along the speed axis.

    Shapes: (bins,), effects of (setups, bins).
    Units:  rpm.
    Errors: none; a pair of which neither is ahead on one side and the other on the other side gives none.
    Source: half width of the difference over the slope of the difference (delta method). A crossing is one speed, so
            its interval holds for that speed alone: tests at each speed, turned round (Fieller).
    >>> speed = np.arange(3000.0, 3800, 100)
    >>> a, b = np.linspace(108, 92, 8), np.linspace(92, 108, 8)
    >>> effects = fit_curves(np.array([a, a + 0.1, b, b + 0.1]), Layout.of([0, 0, 1, 1]))
    >>> [(round(cross.speed_rpm), cross.before, cross.after) for cross in lead_crossovers(speed, effects)]
    [(3352, 0, 1)]
    """
    at_one_speed, found = replace(effects, tail=1 - CONFIDENCE), []
    may = sorted(range(len(effects.log_mean)) if among is None else among)
    for place, one in enumerate(may):
        for other in may[:place]:
            if not effects.linked(one, other):
                continue
            gap = effects.log_mean[one] - effects.log_mean[other]
            crossings = crossovers(speed_rpm, effects.log_mean[other], effects.log_mean[one])
            if not len(crossings):
                continue
            called = _called(effects.difference(one, other).states(smallest))
            half = at_one_speed.difference(one, other).half_width
            for at in crossings.tolist():
                below, above = called[speed_rpm < at], called[speed_rpm > at]
                last, first = below[below != 0][-1:], above[above != 0][:1]
                if not len(last) or not len(first) or last[0] == first[0]:
                    continue
                slope = abs(float(np.interp(at, speed_rpm, np.gradient(gap, speed_rpm))))
                reach = float(np.interp(at, speed_rpm, half)) / slope if slope > 0 else np.inf
                inside = speed_rpm[0] <= at - reach and at + reach <= speed_rpm[-1]
                before, after = (other, one) if last[0] < 0 else (one, other)
                found.append(Crossover(at, reach if inside else None, before, after))
    return tuple(sorted(found, key=lambda cross: cross.speed_rpm))


def _called(states: NDArray[np.str_]) -> NDArray[np.int_]:
    """1 where ahead, -1 where behind, each over MINIMUM_BINS at least, else 0."""
    found = np.where(states == DifferenceState.AHEAD, 1, np.where(states == DifferenceState.BEHIND, -1, 0))
    for begin, end in _runs(found):
        if end - begin < MINIMUM_BINS:
            found[begin:end] = 0
    return found


def _runs(values: NDArray[np.generic]) -> list[tuple[int, int]]:
    """Begin and end of each stretch of equal values."""
    cuts = [0, *(np.flatnonzero(values[1:] != values[:-1]) + 1).tolist(), len(values)]
    return list(pairwise(cuts)) if len(values) else []
