"""How many pulls a side it takes to call a difference, and how often a number of pulls would call it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from scipy import special
from torvix_core.units.checked import Array, finite, positive

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
    Source: noncentral t distribution, exact for small numbers, integrated over the scatter shown; checked against
            statsmodels.
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
    critical: Array = np.asarray(special.stdtrit(degrees, 1 - (1 - confidence) / 2))
    # Over the scatter that such pulls would show, of the chance that the difference then passes the test. The library's
    # noncentral t loses up to 0.0002 here or gives NaN for large differences and few pulls.
    shown, weight = _shown_scatter(np.broadcast_to(degrees, shift.shape))
    limit = critical[..., None] * shown
    passed = special.ndtr(shift[..., None] - limit) + special.ndtr(-shift[..., None] - limit)
    found: Array = np.clip(np.asarray((passed * weight).sum(axis=-1)), 0.0, 1.0)
    return found


NODES, WEIGHTS = np.polynomial.legendre.leggauss(160)  # of the scatter that is shown; the integral holds to ten digits


def _shown_scatter(degrees: Array) -> tuple[Array, Array]:
    """Scatter that a sample shows over the true one, (..., nodes), and the weight of each by Gauss and Legendre."""
    free = degrees[..., None]
    top = np.sqrt(special.chdtri(free, 1e-15) / free)
    shown = top * (NODES + 1) / 2
    square = free * shown**2  # distributed as chi square; scipy.stats would cost every start of a process two seconds
    density = np.exp(special.xlogy(free / 2 - 1, square / 2) - square / 2 - special.gammaln(free / 2)) / 2
    weight = density * 2 * free * shown * WEIGHTS * top / 2
    return shown, weight


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
