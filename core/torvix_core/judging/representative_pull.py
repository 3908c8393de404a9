"""Which pull stands for a setup: the schools of the trade, and how much surer or less sure each of them is."""

from __future__ import annotations

from dataclasses import replace
from enum import StrEnum
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy import special
from torvix_core.judging.effects import Effects
from torvix_core.units.checked import Array

REACH = 8.5  # standard deviations over which the order statistics are integrated
STEPS = 1200


class School(StrEnum):
    MEAN = "mean"
    MEDIAN = "median"
    BEST = "best"
    LAST = "last"


LABELS = {
    School.MEAN: "Mean of the pulls",
    School.MEDIAN: "Median of the pulls",
    School.BEST: "Best pull",
    School.LAST: "Last pull",
}


def stand_for(fitted: Effects, school: School, by: Effects | None = None) -> Effects:
    """The same effects with each setup represented as the school wants it. Session and drift stay taken out.

    `by` are the effects of the score that says which pull is the best, where the scores at hand are curves.

    Shapes: as `effects.Effects`; `by` of one score a pull.
    Units:  as the scores.
    Errors: none.
    Source: common practice; the variance of the representative as that of an order statistic of normal pulls.
    >>> from torvix_core.judging.effects import fit
    >>> from torvix_core.judging.design_matrix import Layout
    >>> from torvix_core.judging.effects import History
    >>> from torvix_core.judging.drift import NO_DRIFT
    >>> fitted = fit(np.array([100.0, 102, 103, 104]), Layout.of([0, 0, 1, 1]), History(drift=NO_DRIFT))
    >>> stand_for(fitted, School.BEST).mean.round(6).tolist()
    [102.0, 104.0]
    """
    if school is School.MEAN:
        return fitted
    setup = fitted.model.layout.setup
    levelled = fitted.log_mean[setup] + fitted.residuals
    if school is School.MEDIAN:
        stood = np.stack([np.median(levelled[setup == one], axis=0) for one in range(len(fitted.counts))])
    else:
        stood = levelled[standing_rows(by or fitted, school)]
    more = np.array([variance_of(school, int(count)) - 1 / count for count in fitted.counts])
    offset = (stood - fitted.log_mean).reshape(len(more), -1)
    return replace(fitted, known=fitted.known.moved(offset, np.maximum(more, 0.0)), log_mean=stood)


def standing_rows(fitted: Effects, school: School) -> NDArray[np.int_]:
    """The pull that stands for each setup, for the schools that take a single one.

    Shapes: `fitted` of one score a pull; result (setups,) rows.
    Units:  none.
    Errors: ValueError for a school that takes several pulls.
    Source: definition; "best" is the highest score once session and drift are taken out.
    >>> from torvix_core.judging.effects import fit
    >>> from torvix_core.judging.design_matrix import Layout
    >>> standing_rows(fit(np.array([102.0, 100, 103, 104]), Layout.of([0, 0, 1, 1])), School.LAST).tolist()
    [1, 3]
    """
    if school not in (School.BEST, School.LAST):
        raise ValueError("mean and median take all pulls of a setup")
    setup = fitted.model.layout.setup
    rows = [np.flatnonzero(setup == one) for one in range(len(fitted.counts))]
    if school is School.LAST:
        return np.array([mine[-1] for mine in rows])
    return np.array([mine[fitted.residuals[mine].argmax()] for mine in rows])


@lru_cache(maxsize=256)
def variance_of(school: School, pulls: int) -> float:
    """Variance of what stands for a setup of so many pulls, in variances of one pull.

    Shapes: scalars.
    Units:  [-].
    Errors: ValueError if there is no pull.
    Source: order statistics of the normal distribution; tables of Teichroew, Ann. Math. Statist. 27 (1956) [mem].
    >>> round(variance_of(School.BEST, 3), 4), round(variance_of(School.MEDIAN, 3), 4)
    (0.5595, 0.4487)
    """
    if pulls < 1:
        raise ValueError("a setup without a pull has nothing that stands for it")
    if school is School.MEAN:
        return 1 / pulls
    if school is School.LAST or pulls == 1:
        return 1.0
    if school is School.BEST:
        return _variance_of_order(pulls, pulls)
    return _variance_of_order(pulls, (pulls + 1) // 2) if pulls % 2 else _variance_of_middle_pair(pulls)


def _grid() -> tuple[Array, Array, Array, Array]:
    at = np.linspace(-REACH, REACH, STEPS + 1)
    return at, np.exp(-(at**2) / 2) / np.sqrt(2 * np.pi), special.ndtr(at), special.ndtr(-at)


def _variance_of_order(pulls: int, rank: int) -> float:
    at, density, below, above = _grid()
    log_ways = special.gammaln(pulls + 1) - special.gammaln(rank) - special.gammaln(pulls - rank + 1)
    weight = np.exp(log_ways) * below ** (rank - 1) * above ** (pulls - rank) * density
    weight /= weight.sum()
    mean = float((weight * at).sum())
    return float((weight * (at - mean) ** 2).sum())


def _variance_of_middle_pair(pulls: int) -> float:
    """Of the mean of the two middle ones of an even number; their own mean is nought."""
    at, density, below, above = _grid()
    half = pulls // 2 - 1
    lower, upper = below**half * density, above**half * density
    weight = np.triu(np.outer(lower, upper))
    weight[np.diag_indices_from(weight)] /= 2  # the trapezoid's share of the diagonal
    middle = (at[:, None] + at[None, :]) / 2
    return float((weight * middle**2).sum() / weight.sum())
