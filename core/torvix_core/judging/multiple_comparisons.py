"""Critical values for many comparisons at once: over all pairs of setups, and along a curve.

One interval in twenty misses; of sixty intervals three do. A verdict that holds all setups against each other, at every
engine speed, is wrong in one day of twenty only if its intervals are widened for all that it looks at.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from scipy import optimize, special
from torvix_core.units.checked import Array

STRAIGHT = 1e-6  # rad; the last bits of a residual make no turn
WIDEST = 1e4  # times the scatter; with one degree of freedom a critical value may be large
NODES, WEIGHTS = np.polynomial.legendre.leggauss(64)


@lru_cache(maxsize=512)
def all_pairs(setups: int, degrees_of_freedom: float, confidence: float = 0.95) -> float:
    """In place of Student's quantile, where every pair of so many setups is compared.

    Shapes: scalars.
    Units:  times the standard error of a difference [-].
    Errors: ValueError if there are fewer than two setups or no degree of freedom.
    Source: Tukey's studentized range over √2, in Kramer's form for unequal counts; two setups give Student's t.
    >>> round(all_pairs(2, 10), 3), round(all_pairs(4, 10), 3)
    (2.228, 3.059)
    """
    if setups < 2:
        raise ValueError("a comparison takes two setups")
    if not degrees_of_freedom > 0:
        raise ValueError("there must be degrees of freedom")
    if setups == 2:
        return float(special.stdtrit(degrees_of_freedom, 0.5 + confidence / 2))
    low, high = 0.1, WIDEST
    return float(
        optimize.brentq(lambda c: chance_of_pairs(c, setups, degrees_of_freedom) - (1 - confidence), low, high)
    )


def tail_of_all_pairs(setups: int, degrees_of_freedom: float, confidence: float = 0.95) -> float:
    """The chance that a single interval may miss, so that those of every pair hold together.

    Shapes: scalars.
    Units:  [-].
    Errors: as `all_pairs`.
    Source: `all_pairs`, turned into the tails of Student's t.
    >>> round(tail_of_all_pairs(2, 10), 9), round(tail_of_all_pairs(4, 10), 4)
    (0.05, 0.0121)
    """
    return 2 * float(special.stdtr(degrees_of_freedom, -all_pairs(setups, degrees_of_freedom, confidence)))


def chance_of_pairs(critical: float, setups: int, degrees_of_freedom: float) -> float:
    """Chance that the widest of all pairs of equal setups lies beyond a critical value.

    Shapes: scalars.
    Units:  critical in standard errors of a difference; result [-].
    Errors: none.
    Source: distribution of the studentized range, by Gauss and Legendre over the scatter and the lowest setup.
    >>> round(chance_of_pairs(3.059, 4, 10), 3)
    0.05
    """
    shown, weight = _shown_scatter(degrees_of_freedom)
    # 64 nodes each way: to seven digits for up to 26 setups and any degrees of freedom from one.
    lowest = 9.0 * NODES
    density = np.exp(-(lowest**2) / 2) / np.sqrt(2 * np.pi) * WEIGHTS * 9.0
    reach = critical * np.sqrt(2) * shown
    between = special.ndtr(lowest[:, None] + reach) - special.ndtr(lowest)[:, None]
    inside = setups * (density[:, None] * between ** (setups - 1)).sum(axis=0)
    return float(1 - np.clip((inside * weight).sum(), 0.0, 1.0))


def _shown_scatter(degrees_of_freedom: float) -> tuple[Array, Array]:
    """Scatter that a sample shows over the true one, and the weight of each, both (nodes,)."""
    free = degrees_of_freedom
    low, high = (np.sqrt(special.chdtri(free, tail) / free) for tail in (1 - 1e-13, 1e-13))
    middle, reach = (high + low) / 2, (high - low) / 2
    shown = middle + reach * NODES
    square = free * shown**2
    log_density = special.xlogy(free / 2 - 1, square / 2) - square / 2 - special.gammaln(free / 2) - np.log(2)
    weight = np.exp(log_density) * 2 * free * shown * WEIGHTS * reach
    return shown, weight / weight.sum()


def path_length(residuals: Array) -> float:
    """How far the residuals turn from the first bin to the last: neighbours that err together turn little.

    Shapes: residuals (pulls, bins).
    Units:  radians on the unit sphere of the residuals, at most π/2 a step (a sign is no turn that helps).
    Errors: none; a bin without any residual counts as a whole turn.
    Source: Sun and Loader, Simultaneous confidence bands for linear regression and smoothing, Ann. Statist. 22 (1994)
            [mem]; the length estimated from residuals, as smoothness is in Worsley's fields [mem].
    >>> round(path_length(np.array([[1.0, 1, 0], [0, 0, 1]])), 3)
    1.571
    """
    length = np.sqrt((residuals**2).sum(axis=0))
    product = np.abs((residuals[:, 1:] * residuals[:, :-1]).sum(axis=0))
    whole = length[1:] * length[:-1]
    cosine = np.divide(product, whole, out=np.zeros_like(whole), where=whole > 0)
    turns = np.arccos(np.clip(cosine, 0.0, 1.0))
    return float(np.where(turns < STRAIGHT, 0.0, turns).sum())


def smoothing_gain(path: float, bins: int, window: int) -> float:
    """By how much the degrees of freedom grow where scatter is averaged over so many neighbouring bins.

    Shapes: scalars.
    Units:  times the degrees of one bin; 1 where neighbours err together, up to `window` where each errs alone.
    Errors: none.
    Source: variance of a mean of squares whose residuals correlate by ρ, ρ⁴, ρ⁹…, ρ from the turn between neighbours
            (Gaussian smoothness); Satterthwaite.
    >>> smoothing_gain(0.0, 40, 5), round(smoothing_gain(39 * np.pi / 2, 40, 5), 2)
    (1.0, 5.0)
    """
    if bins < 2:
        return 1.0
    apart = np.arange(1, window)
    alike = np.cos(min(path / (bins - 1), np.pi / 2)) ** (2 * apart**2)
    return float(window / (1 + 2 * ((1 - apart / window) * alike).sum()))


@lru_cache(maxsize=256)
def along_curve(
    setups: int, degrees_of_freedom: float, path: float, bins: int, confidence: float = 0.95
) -> float:  # fmt: skip
    """In place of Student's quantile, where every pair of setups is compared in every bin of a curve.

    Shapes: scalars; `path` as `path_length` gives it.
    Units:  times the standard error of a difference [-].
    Errors: as `all_pairs`.
    Source: expected upcrossings of a t field, whose scatter is estimated in each bin (Worsley, Adv. Appl. Probab. 26
            (1994) [mem]): P ≤ P(pairs) + pairs·path/π·(1 + c²/ν)^(-(ν-1)/2); never wider than Bonferroni over the bins.
    >>> along_curve(2, 10, 0.0, 40) == all_pairs(2, 10)
    True
    """
    pairs, free = setups * (setups - 1) / 2, degrees_of_freedom

    def chance(critical: float) -> float:
        turned = pairs * path / np.pi * (1 + critical**2 / free) ** (-(free - 1) / 2)
        return chance_of_pairs(critical, setups, free) + float(turned)

    start = all_pairs(setups, free, confidence)
    bonferroni = all_pairs(setups, free, 1 - (1 - confidence) / max(bins, 1))
    if path <= 0 or chance(start) <= 1 - confidence:
        return start
    if chance(bonferroni) >= 1 - confidence:
        return bonferroni
    return float(optimize.brentq(lambda c: chance(c) - (1 - confidence), start, bonferroni))


def tail_along_curve(
    setups: int, degrees_of_freedom: float, path: float, bins: int, confidence: float = 0.95
) -> float:  # fmt: skip
    """The chance that a single interval may miss, so that those of every pair hold together in every bin.

    Shapes: scalars.
    Units:  [-].
    Errors: as `along_curve`.
    Source: `along_curve`, turned into the tails of Student's t.
    >>> round(tail_along_curve(2, 10, 0.0, 40), 9)
    0.05
    """
    critical = along_curve(setups, degrees_of_freedom, path, bins, confidence)
    return 2 * float(special.stdtr(degrees_of_freedom, -critical))
