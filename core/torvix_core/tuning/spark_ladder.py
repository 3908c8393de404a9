"""Ignition timing in steps: what each step brought against scatter, and the best setting once three were pulled."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import pairwise

import numpy as np
from scipy import stats
from torvix_core.judging.difference import SMALLEST_DIFFERENCE
from torvix_core.judging.effects import USUAL
from torvix_core.units.checked import Array, finite, same_length

CONFIDENCE = 0.95
FEWEST_SETTINGS = 3
SAME = 0.25  # degrees: closer than a timing light tells apart [prac]


class StepVerdict(StrEnum):
    """What a step of the ladder says."""

    BETTER = "better"
    WORSE = "worse"
    NOT_SEPARATED = "not_separated"


@dataclass(frozen=True)
class SparkStep:
    """From one setting to the next: the change as a share of torque with its 95 % interval, and what it says."""

    before: float
    after: float
    change: float
    low: float
    high: float

    @property
    def verdict(self) -> StepVerdict:
        if self.low > 0:
            return StepVerdict.BETTER
        return StepVerdict.WORSE if self.high < 0 else StepVerdict.NOT_SEPARATED


class NoBest(StrEnum):
    """Why no best setting is named."""

    FEW = "few"  # fewer than three settings
    FLAT = "flat"  # no bend beyond scatter
    OUTSIDE = "outside"  # its interval runs past the tested settings
    LIMIT = "limit"  # its interval runs past the limit


@dataclass(frozen=True)
class SparkLadder:
    """Steps in the order of the pulls; the best setting and its interval in degrees, or why there is none.

    `flat` is how many degrees either side of the best cost less than what matters; None without a best.
    """

    steps: tuple[SparkStep, ...]
    scatter: float
    best: float | None
    low: float | None
    high: float | None
    flat: float | None
    none: NoBest | None


def read_ladder(
    advance: Array, score: Array, limit: float | None = None, smallest: float = SMALLEST_DIFFERENCE
) -> SparkLadder:
    """A ladder of pulls that differ in ignition timing alone.

    Shapes: (pulls,) each, in the order of the pulls.
    Units:  degrees before top dead center; any one unit of torque, above zero.
    Errors: ValueError naming the argument; fewer than two pulls.
    Source: least squares of a parabola in ln torque; the interval of its top by Fieller, J. R. Stat. Soc. B 16 (1954)
            [mem]; scatter steadied by what is usual for a stand [prac].
    >>> found = read_ladder(np.array([30.0, 32, 34, 36, 38]), np.array([198.0, 199.5, 200.0, 199.4, 198.1]))
    >>> round(found.best), found.low < 34 < found.high, found.none
    (34, True, None)
    """
    same_length(advance=advance, score=score)
    finite("advance", advance)
    if len(advance) < 2 or (score <= 0).any():
        raise ValueError("score: at least two pulls, each above zero")
    logs = np.log(score)
    settings = _settings(advance)
    groups = [np.flatnonzero(np.abs(advance - setting) <= SAME) for setting in settings]
    design = np.vander(advance - advance.mean(), min(len(settings), 3), increasing=True)
    fitted, *_ = np.linalg.lstsq(design, logs)
    rest = logs - design @ fitted
    within = sum(float(((logs[rows] - logs[rows].mean()) ** 2).sum()) for rows in groups)
    # By pulls of one setting; where the parabola leaves more, the parabola is not all of it.
    squares, own = max((within, len(logs) - len(settings)), (float((rest**2).sum()), len(logs) - design.shape[1]),
                       key=lambda one: one[0] / one[1] if one[1] else 0.0)  # fmt: skip
    free = own + USUAL.weight
    scatter = float(((squares + USUAL.weight * USUAL.scatter**2) / free) ** 0.5)
    far = float(stats.t.ppf((1 + CONFIDENCE) / 2, free))
    steps = _steps(advance, logs, scatter * far)
    best = _best(advance, design, fitted, scatter, far, limit, smallest, len(settings))
    return SparkLadder(steps, scatter, *best)


@dataclass(frozen=True)
class SparkBounds:
    """How a ladder is climbed, degrees: each step, how far back from a knock, and what is never passed."""

    step: float = 2.0
    margin: float = 4.0
    limit: float | None = None


def next_setting(ladder: SparkLadder, at: float, bounds: SparkBounds, knocked_at: float | None) -> float | None:
    """The setting to pull next; None where the ladder is done, as far as steps tell.

    Shapes: scalars; `at` is the last setting, `knocked_at` the least that knocked, None if none did.
    Units:  degrees before top dead center.
    Errors: none.
    Source: house rule on common practice [prac]: back by the margin from a knock and never again up to it; on while a
            step gains beyond scatter; back to the better setting once one loses; never past the limit.
    >>> found = read_ladder(np.array([30.0, 32.0]), np.array([196.0, 200.0]))
    >>> next_setting(found, 32.0, SparkBounds(limit=36.0), None), next_setting(found, 32.0, SparkBounds(), 32.0)
    (34.0, 28.0)
    """
    ceilings = [
        one for one in (bounds.limit, None if knocked_at is None else knocked_at - bounds.margin) if one is not None
    ]
    highest = min(ceilings, default=float("inf"))
    if at > highest:
        return highest
    last = ladder.steps[-1]
    if last.verdict is StepVerdict.WORSE:
        return min(last.before, highest)
    if last.verdict is StepVerdict.NOT_SEPARATED:
        return None
    way = bounds.step if last.after > last.before else -bounds.step
    wanted = at + way
    return wanted if wanted <= highest and abs(wanted - at) > SAME else None


def _settings(advance: Array) -> list[float]:
    """Distinct settings, rising."""
    found: list[float] = []
    for one in sorted(advance.tolist()):
        if not found or one - found[-1] > SAME:
            found.append(one)
    return found


def _steps(advance: Array, logs: Array, reach: float) -> tuple[SparkStep, ...]:
    """Runs of pulls at one setting, each against the run before."""
    runs: list[list[int]] = []
    for place in range(len(advance)):
        if runs and abs(advance[place] - advance[runs[-1][0]]) <= SAME:
            runs[-1].append(place)
        else:
            runs.append([place])
    steps = []
    for before, after in pairwise(runs):
        change = float(logs[after].mean() - logs[before].mean())
        half = reach * (1 / len(before) + 1 / len(after)) ** 0.5
        low, middle, high = (float(np.expm1(value)) for value in (change - half, change, change + half))
        steps.append(SparkStep(float(advance[before[0]]), float(advance[after[0]]), middle, low, high))
    return tuple(steps)


_Best = tuple[float | None, float | None, float | None, float | None, NoBest | None]


def _best(
    advance: Array, design: Array, fitted: Array, scatter: float, far: float, limit: float | None, smallest: float,
    settings: int,
) -> _Best:  # fmt: skip
    """Best, low, high, flat, or why not."""
    if settings < FEWEST_SETTINGS:
        return None, None, None, None, NoBest.FEW
    covariance = scatter**2 * np.linalg.inv(design.T @ design)
    slope, bend = fitted[1], fitted[2]
    # Where the slope of the parabola, slope + 2 bend x, may be nought: (slope + 2 bend x)² <= far² its variance.
    squared = 4 * bend**2 - far**2 * 4 * covariance[2, 2]
    linear = 4 * slope * bend - far**2 * 4 * covariance[1, 2]
    constant = slope**2 - far**2 * covariance[1, 1]
    under = linear**2 - 4 * squared * constant
    if bend >= 0 or squared <= 0 or under <= 0:
        return None, None, None, None, NoBest.FLAT
    centre = float(advance.mean())
    low, high = (centre + (-linear + sign * under**0.5) / (2 * squared) for sign in (-1, 1))
    best = centre - slope / (2 * bend)
    if low < advance.min() or high > advance.max():
        return None, None, None, None, NoBest.OUTSIDE
    if limit is not None and high > limit:
        return None, None, None, None, NoBest.LIMIT
    return float(best), float(low), float(high), float((smallest / -bend) ** 0.5), None


def settings_left(tested: Sequence[float], step: float, limit: float) -> float | None:
    """The next setting of a ladder that climbs: one step further, never past the limit.

    Shapes: any number of settings.
    Units:  degrees.
    Errors: ValueError for a step that is not above zero.
    Source: common practice [prac].
    >>> settings_left([32, 34], 2, 38), settings_left([34, 37], 2, 38)
    (36, None)
    """
    if step <= 0:
        raise ValueError("step: above zero")
    further = max(tested) + step
    return further if further <= limit else None
