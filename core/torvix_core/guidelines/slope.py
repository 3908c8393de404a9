"""What one test says of a deciding variable: how its setups' figure changes with it, on a straight line."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from torvix_core.units.checked import Array, finite

OFF_THE_LINE = 2.0  # standard errors by which a setup lies off the line before that is said; house rule


@dataclass(frozen=True)
class Slope:
    """Change of the figure for one unit of the variable, its standard error, and of how many setups it is.

    `is_bent`: a straight line does not hold them, so the slope is only an average between the ends.
    """

    value: float
    error: float
    setups: int
    is_bent: bool


def slope_of(amounts: Array, figures: Array, variances: Array) -> Slope:
    """Straight line through the setups of one test by least squares, its error from what is known of every pair.

    Setups of one test stand on each other's pulls, so their pairs are no separate pieces of evidence: one test gives
    one slope. For weights c that add up to nought, the variance of sum(c y) is -1/2 sum(c c' V) with V the variance of
    the difference of each pair.

    Shapes: (setups,), (setups,), (setups, setups); at least two setups.
    Units:  any; any; the square of the figures'.
    Errors: ValueError if not finite, if all amounts are alike, or a variance is below zero.
    Source: ordinary least squares; variance of a contrast.
    >>> apart = np.array([[0.0, 2, 2], [2, 0, 2], [2, 2, 0]])
    >>> found = slope_of(np.array([0.0, 1, 2]), np.array([0.0, 3, 6]), apart)
    >>> round(found.value, 9), round(found.error, 3), found.is_bent  # independent, variance 1: 1 / sqrt(2)
    (3.0, 0.707, False)
    """
    x, y, apart = finite("amounts", amounts), finite("figures", figures), finite("variances", variances)
    if len(x) < 2 or np.ptp(x) <= 0:
        raise ValueError("a slope needs two setups that differ in the variable")
    if (apart < 0).any():
        raise ValueError("a variance cannot be below zero")
    away = x - x.mean()
    weights = away / np.square(away).sum()
    error = float(np.sqrt(max(-0.5 * weights @ apart @ weights, 0.0)))
    value = float(weights @ y)
    off = y - y.mean() - value * away
    unsure = np.sqrt(apart.max()) if len(x) > 2 else np.inf
    return Slope(value, error, len(x), bool(np.ptp(off) > OFF_THE_LINE * unsure))
