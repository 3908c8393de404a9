"""How many pulls a side it takes to call a difference, and how often a number of pulls would call it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from scipy import stats
from torvix_core.checked import Array, finite, positive

CONFIDENCE = 0.95  # [-], of a call that is not there: one in twenty
POWER = 0.80  # [-], of finding what is there [prac]
MOST_PULLS = 60  # a side; nobody pulls an engine more often for one question


@dataclass(frozen=True)
class PullsNeeded:
    """Pulls a side, and the chance that as many call the difference. None where MOST_PULLS are not enough."""

    pulls: int | None
    power: float


def power(
    pulls: ArrayLike, difference: ArrayLike, scatter: ArrayLike, confidence: float = CONFIDENCE, more_degrees: int = 0
) -> Array:
    """Chance that so many pulls a side call a difference of this size, by a two-sided t test.

    Shapes: the first three broadcast.
    Units:  pulls of each of two setups (2 and more); difference and scatter in one unit, such as shares of the score;
            `more_degrees` are degrees of freedom of the scatter known beside these pulls.
    Errors: ValueError naming the argument.
    Source: noncentral t distribution, exact for small numbers; checked against statsmodels.
    >>> round(float(power(3, 0.01, 0.004)), 3)
    0.636
    """
    count = finite("pulls", pulls)
    if (count < 2).any():
        raise ValueError("pulls must be two or more a side: one pull tells nothing of its own scatter")
    if not 0.5 <= confidence < 1:
        raise ValueError("confidence must lie between 0.5 and 1")
    degrees = 2 * count - 2 + more_degrees
    shift = np.abs(finite("difference", difference)) / (positive("scatter", scatter) * np.sqrt(2 / count))
    critical = stats.t.ppf(1 - (1 - confidence) / 2, degrees)
    found: Array = np.asarray(stats.nct.sf(critical, degrees, shift) + stats.nct.cdf(-critical, degrees, shift))
    # Far out the library's series gives up with NaN; there the difference is found for certain.
    return np.clip(np.where(np.isnan(found), 1.0, found), 0.0, 1.0)


def pulls_needed(
    difference: float, scatter: float, confidence: float = CONFIDENCE, wanted: float = POWER, more_degrees: int = 0
) -> PullsNeeded:
    """The fewest pulls a side that find a difference often enough.

    Shapes: scalars.
    Units:  as `power`; `wanted` [-].
    Errors: ValueError naming the argument.
    Source: `power` for 2, 3, 4... pulls. Common practice works with n = 2·((1.96 + 0.84)·σ/Δ)², which for few pulls is
            too few.
    >>> pulls_needed(0.01, 0.004).pulls
    4
    """
    positive("difference", difference)
    counts = np.arange(2, MOST_PULLS + 1)
    chances = power(counts, difference, scatter, confidence, more_degrees)
    enough = np.flatnonzero(chances >= wanted)
    if not enough.size:
        return PullsNeeded(None, float(chances[-1]))
    return PullsNeeded(int(counts[enough[0]]), float(chances[enough[0]]))
