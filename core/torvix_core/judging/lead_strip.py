"""Which setup leads at which engine speed, where the lead passes on, and how sure that is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.effects import SMALLEST_DIFFERENCE, USUAL, Effects, History, fit, with_critical
from torvix_core.judging.multiple_comparisons import along_curve, path_length, smoothing_gain
from torvix_core.pull.curve import GRID_RPM, crossovers
from torvix_core.units.checked import Array

MINIMUM_BINS = 3  # a lead that holds over fewer neighbouring bins is not called [prac]
SMOOTHED_BINS = 5  # over which the scatter of curves is averaged; house rule
WASH = -1  # in place of a setup's index


@dataclass(frozen=True)
class Lead:
    """A stretch of the speed range and who leads in it. `gain` and `half_width` are against the runner-up."""

    low_rpm: float
    high_rpm: float
    leader: int  # WASH where nobody does
    runner_up: int = WASH
    gain: float = 0.0  # score units, mean over the stretch
    half_width: float = 0.0


@dataclass(frozen=True)
class Crossover:
    """Where one setup overtakes another, with the half width of its 95 % interval in rpm.

    None where the interval runs out of the speeds that were run.
    """

    speed_rpm: float
    half_width_rpm: float | None
    before: int
    after: int


def fit_curves(
    curves: Array, layout: Layout, history: History = USUAL, bent: bool = False, confidence: float = 0.95
) -> Effects:  # fmt: skip
    """Effects of whole curves, with intervals that hold for all pairs of setups in all bins together.

    Shapes: curves (pulls, bins).
    Units:  one unit above zero. `bent` as the score of the whole range tells.
    Errors: as `effects.fit`.
    Source: `simultaneous.along_curve` by how much the residuals of neighbours turn.
    >>> curves = np.array([[100.0] * 4, [101.0] * 4, [103.0] * 4, [104.0] * 4])
    >>> fit_curves(curves, Layout.of([0, 0, 1, 1])).half_width(1, 0).shape
    (4,)
    """
    fitted = fit(curves, layout, history, bent=bent, smoothed=SMOOTHED_BINS)
    family = max(int(np.bincount(fitted.model.group).max()), 2)
    bins, own = curves.shape[1], fitted.own_degrees
    # Rounded, so that what does not depend on the last bit of a residual is found again.
    turned = round(path_length(fitted.residuals), 3)
    more = own * (smoothing_gain(turned, bins, SMOOTHED_BINS) - 1)
    free = round(float(np.min(fitted.degrees_of_freedom)) + more, 3)
    return with_critical(fitted, along_curve(family, free, turned, bins, confidence))


def leaders(effects: Effects, smallest: float = SMALLEST_DIFFERENCE) -> NDArray[np.int_]:
    """In each bin the setup that beats every other one beyond scatter and the smallest difference, else WASH.

    Shapes: effects of (setups, bins); result (bins,). Only setups of one group can lead; the largest is taken.
    Units:  setup index.
    Errors: none.
    Source: house rule on top of `effects`; a stretch shorter than MINIMUM_BINS counts as a wash.
    >>> scores = np.array([[101.0] * 4 + [97] * 4, [100.9] * 4 + [97] * 4, [97.0] * 4 + [101] * 4])
    >>> leaders(fit(scores, Layout.of([0, 0, 1]), bent=False)).tolist()
    [0, 0, 0, 0, 1, 1, 1, 1]
    """
    group = effects.model.group
    mine = np.flatnonzero(group == np.bincount(group).argmax())
    bins = effects.log_mean.shape[1]
    best = mine[effects.log_mean[mine].argmax(axis=0)]
    clear = np.full(bins, len(mine) > 1)
    for leader in mine[np.isin(mine, best)].tolist():
        for other in mine.tolist():
            if other != leader:
                clear &= (best != leader) | ~effects.difference(leader, other).is_wash(smallest)
    lead = np.where(clear, best, WASH)
    for begin, end in _runs(lead):
        if lead[begin] != WASH and end - begin < MINIMUM_BINS:
            lead[begin:end] = WASH
    return lead


def lead_strip(
    speed_rpm: Array, effects: Effects, smallest: float = SMALLEST_DIFFERENCE
) -> tuple[Lead, ...]:  # fmt: skip
    """The speed range cut into stretches with one leader, or none.

    Shapes: speed_rpm (bins,), effects of (setups, bins).
    Units:  rpm; gains in the unit of the scores, for instance N·m.
    Errors: none.
    Source: `leaders`. The interval of a stretch is the mean of those of its bins: they hold together, so it does, too.
    >>> speed = np.arange(3000.0, 3800, 100)
    >>> scores = np.array([[101.0] * 4 + [95] * 4, [100.9] * 4 + [95] * 4, [95.0] * 4 + [101] * 4])
    >>> strip = lead_strip(speed, fit_curves(scores, Layout.of([0, 0, 1]), History(drift_per_pull=0)))
    >>> [(lead.low_rpm, lead.high_rpm, lead.leader) for lead in strip]
    [(3000.0, 3350.0, 0), (3350.0, 3700.0, 1)]
    """
    lead = leaders(effects, smallest)
    stretches = []
    for begin, end in _runs(lead):
        # A stretch reaches half way to its neighbour, and no further than the data at the ends.
        low = speed_rpm[begin] - (GRID_RPM / 2 if begin else 0.0)
        high = speed_rpm[end - 1] + (GRID_RPM / 2 if end < len(speed_rpm) else 0.0)
        leader = int(lead[begin])
        if leader == WASH:
            stretches.append(Lead(float(low), float(high), leader))
            continue
        others = [one for one in range(len(effects.log_mean)) if one != leader and effects.linked(one, leader)]
        runner_up = max(others, key=lambda one: float(effects.log_mean[one, begin:end].mean()))
        found, base = effects.difference(leader, runner_up), effects.mean[runner_up]
        gain, half = ((values * base)[begin:end].mean() for values in (found.change, found.half_width))
        stretches.append(Lead(float(low), float(high), leader, runner_up, float(gain), float(half)))
    return tuple(stretches)


def lead_crossovers(speed_rpm: Array, effects: Effects, strip: Sequence[Lead]) -> tuple[Crossover, ...]:
    """Where the lead passes from one called leader to the next, with its uncertainty along the speed axis.

    Shapes: (bins,), effects of (setups, bins), the strip of `lead_strip`.
    Units:  rpm.
    Errors: none; a change of leader without a crossing of the means gives none.
    Source: half width of the difference over the slope of the difference (delta method). A crossing is one speed, so
            its interval holds for all pairs, not for all speeds: tests at each speed, turned round (Fieller).
    >>> speed = np.arange(3000.0, 3800, 100)
    >>> a, b = np.linspace(108, 92, 8), np.linspace(92, 108, 8)
    >>> scores = np.array([a, a + 0.1, b, b + 0.1])
    >>> effects = fit_curves(scores, Layout.of([0, 0, 1, 1]), History(drift_per_pull=0))
    >>> found = lead_crossovers(speed, effects, lead_strip(speed, effects))
    >>> [(round(cross.speed_rpm), cross.before, cross.after) for cross in found]
    [(3350, 0, 1)]
    """
    called = [lead for lead in strip if lead.leader != WASH]
    effects, found = replace(effects, critical=None), []
    for before, after in pairwise(called):
        if before.leader == after.leader:
            continue
        first, second = effects.log_mean[before.leader], effects.log_mean[after.leader]
        crossings = crossovers(speed_rpm, first, second)
        middle = (before.high_rpm + after.low_rpm) / 2
        if not len(crossings):
            continue
        at = float(crossings[np.abs(crossings - middle).argmin()])
        slope = abs(float(np.interp(at, speed_rpm, np.gradient(second - first, speed_rpm))))
        half = float(np.interp(at, speed_rpm, effects.half_width(after.leader, before.leader)))
        reach = half / slope if slope > 0 else np.inf
        inside = speed_rpm[0] <= at - reach and at + reach <= speed_rpm[-1]
        found.append(Crossover(at, reach if inside else None, before.leader, after.leader))
    return tuple(found)


def _runs(values: NDArray[np.int_]) -> list[tuple[int, int]]:
    """Begin and end of each stretch of equal values."""
    cuts = [0, *(np.flatnonzero(values[1:] != values[:-1]) + 1).tolist(), len(values)]
    return list(pairwise(cuts)) if len(values) else []
