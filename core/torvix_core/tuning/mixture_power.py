"""What the mixture is worth in power: a parabola over lambda, from practice and an engine's own jet changes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy import special
from torvix_core.judging.posterior import interval
from torvix_core.pull.comparability import BEST_LAMBDA, MIXTURE_CURVATURE
from torvix_core.tuning.jet_slope import Shift
from torvix_core.units.checked import Array, finite, positive, same_length

BEST_SD = 0.015  # of lambda: from engine to engine the best lies about 12.5 to 13.0 : 1 on gasoline [prac]
CURVATURE_SD = 1.2  # of MIXTURE_CURVATURE, which is practice and no measurement [prac]
BEST_NODES = 21
SHIFT_POINTS = 61  # equally likely values of what the jets do; more move no bound by a hundredth of the interval
SHIFT_NODES, SHIFT_WEIGHTS = np.polynomial.hermite_e.hermegauss(5)


@dataclass(frozen=True, eq=False)
class PowerChange:
    """One change of mixture alone: lambda before and after over the same bins, by how much the mean of ln torque rose.

    `sd` is the scatter of that rise, of two pulls.
    """

    before: Array
    after: Array
    rose: float
    sd: float


@dataclass(frozen=True, eq=False)
class MixturePower:
    """ln torque falls by curvature · (λ − best)²: a mixture over the best lambda, the curvature normal in each.

    weight, best, mean and variance (nodes,); `cases` is the number of changes it rests on.
    """

    weight: Array
    best: Array
    mean: Array
    variance: Array
    cases: int

    @property
    def best_lambda(self) -> tuple[float, float]:
        """Where power is best, and its standard deviation."""
        mean = float(self.weight @ self.best)
        return mean, float(self.weight @ (self.best - mean) ** 2) ** 0.5

    @property
    def curvature(self) -> tuple[float, float]:
        """Share of torque lost for each square of lambda away from the best, and its standard deviation."""
        mean = float(self.weight @ self.mean)
        return mean, float(self.weight @ (self.variance + (self.mean - mean) ** 2)) ** 0.5

    def gain(self, found: Array, shift: Shift, tail: float = 0.05) -> tuple[float, float, float]:
        """Share of torque that a shift of a whole mixture curve should bring: expected, and all but `tail` of it.

        Shapes: (bins,).
        Units:  lambda; shares of torque.
        Errors: ValueError naming the argument.
        Source: the parabola of both curves, in the mean over the bins; what the jets do and what the mixture is worth
                are each uncertain, and independent of each other.
        >>> point = Shift(np.ones(1), np.array([0.05]), np.array([1e-9]))
        >>> [round(value, 3) for value in learn_power([]).gain(np.full(9, 0.80), point)]
        [0.016, 0.005, 0.031]
        """
        finite("found", found)
        worth = _worth(found, _points(shift), self.best)  # (nodes, shifts)
        weight = np.repeat(self.weight / SHIFT_POINTS, SHIFT_POINTS)
        mean = (self.mean[:, None] * worth).reshape(-1)
        deviation = np.maximum((self.variance[:, None] ** 0.5 * np.abs(worth)).reshape(-1), 1e-9)
        low, high = interval(weight[:, None], mean[:, None], deviation[:, None], tail)
        return float(weight @ mean), float(low[0]), float(high[0])


def _points(shift: Shift) -> Array:
    """Values that stand for the shift, each as likely as the next: (SHIFT_POINTS,)."""
    by = (shift.mean[:, None] + shift.deviation[:, None] * SHIFT_NODES).reshape(-1)
    share = (shift.weight[:, None] * SHIFT_WEIGHTS / SHIFT_WEIGHTS.sum()).reshape(-1)
    order = np.argsort(by)
    middle = np.cumsum(share[order]) - share[order] / 2
    return np.interp((np.arange(SHIFT_POINTS) + 0.5) / SHIFT_POINTS, middle, by[order])


def _worth(found: Array, by: Array, best: Array) -> Array:
    """Mean of (λ − best)² before less after, for a curve whose ln λ moves: (best, shifts)."""
    mean, square, factor = float(found.mean()), float((found**2).mean()), np.exp(by)
    return (square * (1 - factor**2))[None] - 2 * best[:, None] * (mean * (1 - factor))[None]


def learn_power(changes: Sequence[PowerChange]) -> MixturePower:
    """What the mixture is worth on one engine, from every change of it that was pulled with nothing else changed.

    Shapes: any number of changes, (bins,) each.
    Units:  lambda; shares of torque.
    Errors: ValueError naming the argument.
    Source: Bayesian linear regression of the rise on the parabola's difference, integrated over where the best lies;
            the priors are practice [prac]. A change shares a pull with the next one; taken as independent, a chain of
            them claims no more than it should of the whole way.
    >>> rich = PowerChange(np.full(9, 0.80), np.full(9, 0.86), 0.018, 0.005)
    >>> learn_power([]).best_lambda[1] > learn_power([rich] * 4).best_lambda[1], learn_power([rich]).cases
    (True, 1)
    """
    best = BEST_LAMBDA + BEST_SD * special.ndtri((np.arange(BEST_NODES) + 0.5) / BEST_NODES)
    for one in changes:
        same_length(before=one.before, after=one.after)
        finite("before", one.before)
        finite("after", one.after)
        finite("rose", one.rose)
        positive("sd", one.sd)
    prior = np.full(BEST_NODES, CURVATURE_SD**2)
    if not changes:
        even = np.full(BEST_NODES, 1 / BEST_NODES)
        return MixturePower(even, best, np.full(BEST_NODES, MIXTURE_CURVATURE), prior, 0)
    worth = np.array([
        ((one.before[None] - best[:, None]) ** 2 - (one.after[None] - best[:, None]) ** 2).mean(axis=1)
        for one in changes
    ])  # fmt: skip
    rose, noise = np.array([one.rose for one in changes]), np.array([one.sd for one in changes]) ** 2
    precision = 1 / prior + (worth**2 / noise[:, None]).sum(axis=0)
    mean = (MIXTURE_CURVATURE / prior + (worth * (rose / noise)[:, None]).sum(axis=0)) / precision
    away = rose[:, None] - MIXTURE_CURVATURE * worth
    # Of a rank-one update of a diagonal: the determinant lemma and the formula of Sherman and Morrison.
    pull = (worth * away / noise[:, None]).sum(axis=0)
    squares = (away**2 / noise[:, None]).sum(axis=0) - pull**2 / precision
    log_evidence = -0.5 * (squares + np.log(precision * prior))
    weight = np.exp(log_evidence - special.logsumexp(log_evidence))
    return MixturePower(weight, best, mean, 1 / precision, len(changes))
