"""What may be true, given these pulls: one mixture of normal distributions, from which everything is read.

Neither the scatter of a pull nor how its session drifts is known well from six pulls. Each component of the mixture
takes one scatter, one size of drift (times the prior's variance), and the drift straight or bent; its weight says how
well the pulls agree with it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy import special
from torvix_core.judging.design_matrix import Model
from torvix_core.judging.drift import SIZES, DriftPrior
from torvix_core.units.checked import Array

NODES, WEIGHTS = np.polynomial.legendre.leggauss(20)  # over the scatter; more moves no interval by a thousandth
TAIL = 1e-7  # of the scatter's distribution on either side that is left out
LEAST_VARIANCE = 1e-18  # against the last bits of a difference of two numbers
STEPS, EXACT = 30, 1e-9  # of Newton, halved into its bracket, until none moves by so much of its width


@dataclass(frozen=True, eq=False)
class Posterior:
    """Components of the mixture, one block for each model and size of drift.

    weight and variance (components, scores): of the component, and the scatter squared of one pull in it; mean
    (components, setups, scores) of the setups' logs; `blocks` are the models, the size of their drift and where their
    components stand; `stood` (setups,) is what a single pull that stands for its setup adds, in scatter squared.
    """

    weight: Array
    variance: Array
    mean: Array
    blocks: tuple[tuple[Model, float, slice], ...]
    seen: tuple[Array, ...]  # by block, (ways, scores)
    stood: Array

    @property
    def log_mean(self) -> Array:
        """(setups, scores)."""
        return np.asarray(np.einsum("hc,hsc->sc", self.weight, self.mean))

    @property
    def precision(self) -> tuple[Array, Array]:
        """Mean and variance of 1/σ², (scores,) each: what the scatter and its degrees of freedom are read from."""
        inverse = 1 / self.variance
        mean = (self.weight * inverse).sum(axis=0)
        return mean, (self.weight * (inverse - mean) ** 2).sum(axis=0)

    def contrast(self, shares: Array) -> tuple[Array, Array]:
        """Mean and standard deviation of a combination of setups in each component, (components, scores)."""
        mean, deviation = self.contrasts(shares[None])
        return mean[:, 0], deviation[:, 0]

    def contrasts(self, shares: Array) -> tuple[Array, Array]:
        """As `contrast`, for several combinations (n, setups) at once: (components, n, scores) each."""
        found = np.empty((len(self.variance), len(shares), self.variance.shape[1]))
        for (model, size, rows), shown in zip(self.blocks, self._shown, strict=True):
            own = ((shares @ model.covariance) * shares).sum(axis=1) + shares**2 @ self.stood
            drift = ((shares @ model.drift_covariance) * shares).sum(axis=1)
            found[rows] = self.variance[rows, None] * own[:, None] + size * drift[:, None]
            found[rows] -= np.tensordot((size * (shares @ model.shift)) ** 2, shown, 1).swapaxes(0, 1)
        return np.matmul(shares, self.mean), np.sqrt(np.maximum(found, LEAST_VARIANCE))

    @cached_property
    def _shown(self) -> tuple[Array, ...]:
        """By block, the inverse variance with which each way shows, (ways, components, scores)."""
        return tuple(
            1 / (self.variance[rows] + size * model.spread[:, None, None]) for model, size, rows in self.blocks
        )

    def combinations(self, shares: Array, at: int) -> tuple[Array, Array]:
        """As `contrast`, for several combinations (n, setups) of one of the scores: (components, n) each."""
        varies = np.einsum("ns,hst,nt->hn", shares, self.covariance(at), shares, optimize=True)
        return self.mean[:, :, at] @ shares.T, np.sqrt(np.maximum(varies, LEAST_VARIANCE))

    def covariance(self, at: int) -> Array:
        """Of the setups' logs in each component, (components, setups, setups), for one of the scores."""
        found = []
        for model, size, rows in self.blocks:
            own = self.variance[rows, at][:, None, None]
            seen = size * model.shift / np.sqrt(own + size * model.spread)
            found.append(own * (model.covariance + np.diag(self.stood)) + size * model.drift_covariance
                         - seen @ seen.swapaxes(1, 2))  # fmt: skip
        return np.concatenate(found)

    def slopes(self) -> tuple[Array, Array]:
        """Drift of one pull and its standard deviation, (sessions, scores) each; the usual slope is not in it."""
        mean: Array = np.zeros(())
        square: Array = np.zeros(())
        for (model, size, rows), seen in zip(self.blocks, self.seen, strict=True):
            own, weight = self.variance[rows], self.weight[rows]
            spread = own[:, None] + size * model.spread[:, None]  # (components, ways, scores)
            shown = size * np.einsum("dk,hkc->hdc", model.slopes, seen / spread)
            left = size * model.slope_variance[:, None] - size**2 * np.einsum(
                "dk,hkc->hdc", model.slopes**2, 1 / spread
            )
            mean = mean + np.einsum("hc,hdc->dc", weight, shown)
            square = square + np.einsum("hc,hdc->dc", weight, np.maximum(left, 0.0) + shown**2)
        return mean, np.sqrt(np.maximum(square - mean**2, 0.0))

    def influence(self) -> Array:
        """Of one unit of each reading that is accounted for, (readings, scores) on the log scale, drift taken out."""
        found: Array = np.zeros(())
        for (model, size, rows), seen in zip(self.blocks, self.seen, strict=True):
            spread = self.variance[rows][:, None] + size * model.spread[:, None]
            found = found + np.einsum("hc,rk,hkc->rc", self.weight[rows], size * model.influence_shift, seen / spread)
        return found

    def bent(self) -> Array:
        """Chance that the drift is bent, (scores,)."""
        if len(self.blocks) == len(SIZES):
            return np.zeros(self.weight.shape[1])
        return np.asarray(self.weight[len(self.weight) // 2 :].sum(axis=0))

    def residuals(self, logs: Array) -> Array:
        """What setups, sessions, readings and drift leave of the logs, (pulls, scores)."""
        found: Array = np.zeros(logs.shape)
        for (model, size, rows), seen in zip(self.blocks, self.seen, strict=True):
            own, weight = self.variance[rows][:, None], self.weight[rows]
            share = np.einsum("hc,hkc->kc", weight, own / (own + size * model.spread[:, None]))
            found += (model.rest.T @ (model.rest @ logs)) * weight.sum(axis=0) + model.directions.T @ (seen * share)
        return found

    def moved(self, offset: Array, stood: Array) -> Posterior:
        """The same with the setups' means moved, (setups, scores), and what a pull adds that stands for each."""
        return replace(self, mean=self.mean + offset[None], stood=stood)

    def columns(self, which: slice | NDArray[np.int_]) -> Posterior:
        """Some of the scores alone."""
        return replace(self, weight=self.weight[:, which], variance=self.variance[:, which],
                       mean=self.mean[:, :, which], seen=tuple(seen[:, which] for seen in self.seen))  # fmt: skip


def posterior(logs: Array, models: Sequence[Model], prior: DriftPrior, squares: Array, free: Array) -> Posterior:
    """The mixture for several scores of the same pulls.

    Shapes: logs (pulls, scores), less the usual drift; models: straight, or straight and bent. `squares` (scores,) are
            those of what is scatter alone in the straight model and of the history, `free` their degrees of freedom.
    Units:  logs.
    Errors: none; `free` above zero.
    Source: docs/verdict-model.md. Marginal (restricted) likelihood of each component: Harville, Biometrika 61 (1974)
            [mem]; integrated over the scatter by Gauss and Legendre.
    >>> from torvix_core.judging.design_matrix import Layout, model_of
    >>> prior, layout = DriftPrior(), Layout.of([0, 0, 1, 1, 0, 0])
    >>> logs = np.array([[0.0], [0.001], [0.02], [0.021], [0.0], [0.001]])
    >>> known = posterior(logs, [model_of(layout, prior)], prior, np.array([5e-5]), np.array([5.0]))
    >>> round(float(known.log_mean[1, 0] - known.log_mean[0, 0]), 3)
    0.02
    """
    straight = models[0]
    log_weight, sigma2 = scatter_nodes(squares, free)
    alone = ((straight.rest @ logs) ** 2).sum(axis=0)
    nodes = len(sigma2)
    ways = [(model, size) for model in models for size, _ in SIZES]
    blocks = tuple((model, size, slice(at * nodes, (at + 1) * nodes)) for at, (model, size) in enumerate(ways))
    seen, weights, means = [], [], []
    for (model, size, _), often in zip(blocks, shares_of_blocks(blocks, prior), strict=True):
        shown = model.directions @ logs
        spread = sigma2[:, None] + size * model.spread[:, None]
        log_likelihood = log_weight + np.log(often) - 0.5 * (np.log(spread) + shown**2 / spread).sum(axis=1)
        if model is not straight:  # some of what was scatter alone is drift here
            less = ((model.rest @ logs) ** 2).sum(axis=0) - alone
            log_likelihood += 0.5 * ((len(straight.rest) - len(model.rest)) * np.log(sigma2) - less / sigma2)
        weights.append(log_likelihood)
        means.append((model.weights @ logs)[None] - size * np.einsum("sk,hkc->hsc", model.shift, shown / spread))
        seen.append(shown)
    whole = np.concatenate(weights)
    weight = np.exp(whole - whole.max(axis=0))
    return Posterior(
        weight / weight.sum(axis=0), np.tile(sigma2, (len(blocks), 1)), np.concatenate(means), blocks,
        tuple(seen), np.zeros(straight.layout.setups),
    )  # fmt: skip


def shares_of_blocks(blocks: Sequence[tuple[Model, float, slice]], prior: DriftPrior) -> list[float]:
    """How often the drift is of each block's kind and size, before any pull is seen.

    Shapes: blocks of one model, or of a straight and a bent one, each with every size.
    Units:  [-].
    Errors: none.
    Source: `drift.SIZES` and the prior's chance of a bend.
    >>> shares_of_blocks([(None, size, slice(0)) for size, _ in SIZES], DriftPrior())
    [0.2, 0.7, 0.1]
    """
    models = len(blocks) // len(SIZES)
    ways = [1.0] if models == 1 else [1 - prior.bent, prior.bent]
    return [way * often for way in ways for _, often in SIZES]


def scatter_nodes(squares: Array, free: Array) -> tuple[Array, Array]:
    """Scaled inverse chi square of so many degrees of freedom, as nodes to integrate over.

    Shapes: squares and free (scores,); log weights and scatters squared, (nodes, scores) each.
    Units:  logs.
    Errors: none; both above zero.
    Source: Gauss and Legendre over all but TAIL of it on either side.
    >>> log_weight, scatter2 = scatter_nodes(np.array([8.0]), np.array([8.0]))
    >>> weight = np.exp(log_weight[:, 0])
    >>> round(float((weight / scatter2[:, 0]).sum() / weight.sum()), 4)
    1.0
    """
    log_weight, shown = np.empty((2, len(NODES), len(free)))
    for degrees in np.unique(free):
        low, high = (np.sqrt(special.chdtri(degrees, tail) / degrees) for tail in (1 - TAIL, TAIL))
        ratio = (low + high) / 2 + (high - low) / 2 * NODES  # the scatter that these pulls show over the true one
        here = free == degrees
        density = (degrees - 1) * np.log(ratio) - degrees * ratio**2 / 2
        log_weight[:, here] = (density + np.log(WEIGHTS))[:, None]
        shown[:, here] = ratio[:, None]
    return log_weight, squares / free / shown**2


def chance_below(weight: Array, mean: Array, deviation: Array, value: Array | float) -> Array:
    """Chance that the mixture lies below a value.

    Shapes: weight, mean, deviation (components, ...); value and result (...).
    Units:  those of the mean.
    Errors: none.
    Source: definition.
    >>> float(chance_below(np.ones((1, 1)), np.zeros((1, 1)), np.ones((1, 1)), 1.96)[0].round(3))
    0.975
    """
    return np.asarray((weight * special.ndtr((value - mean) / deviation)).sum(axis=0))


def quantile(weight: Array, mean: Array, deviation: Array, share: Array | float) -> Array:
    """Below which so large a share of the mixture lies.

    Shapes: as `chance_below`; share broadcasts to (...).
    Units:  those of the mean.
    Errors: none.
    Source: Newton's method on the normal scale, halved wherever it would leave its bracket.
    >>> halves = np.full((2, 1), 0.5), np.array([[-3.0], [3.0]]), np.ones((2, 1))
    >>> float(quantile(*halves, 0.5)[0].round(9)) + 0.0, float(quantile(*halves, 0.975)[0].round(2))
    (0.0, 4.64)
    """
    wanted = special.ndtri(share)
    each = mean + wanted * deviation
    low, high = each.min(axis=0), each.max(axis=0)
    width = deviation.max(axis=0)
    at = (weight * each).sum(axis=0)
    for _ in range(STEPS):
        part = (at - mean) / deviation
        below = np.clip((weight * special.ndtr(part)).sum(axis=0), 1e-300, 1 - 1e-16)
        low, high = np.where(below < share, at, low), np.where(below < share, high, at)
        normal = special.ndtri(below)
        density = (weight * np.exp(-(part**2) / 2) / deviation).sum(axis=0)
        steep = density / np.maximum(np.exp(-(normal**2) / 2), 1e-300)
        step = at - np.divide(normal - wanted, steep, out=np.zeros_like(at), where=steep > 0)
        before, at = at, np.where((step >= low) & (step <= high), step, (low + high) / 2)
        if (np.abs(at - before) <= EXACT * width).all():
            break
    return np.asarray(at)


def interval(weight: Array, mean: Array, deviation: Array, tail: Array | float) -> tuple[Array, Array]:
    """Between which two values all of the mixture lies but `tail`, half of it on either side.

    Shapes: as `quantile`.
    Units:  those of the mean.
    Errors: none.
    Source: both quantiles in one search.
    >>> [float(bound[0].round(2)) for bound in interval(np.ones((1, 1)), np.zeros((1, 1)), np.ones((1, 1)), 0.05)]
    [-1.96, 1.96]
    """
    shares = np.stack(np.broadcast_arrays(np.asarray(tail) / 2, 1 - np.asarray(tail) / 2))
    shares = shares.reshape(2, *(1,) * (mean.ndim - shares.ndim), *shares.shape[1:])
    low, high = quantile(weight[:, None], mean[:, None], deviation[:, None], shares)
    return low, high
