"""What the setups would be worth without any one pull, for every pull at once, from the fit that has them all.

Excluding a pull is the same as letting its reading be anything: a column of its own in the linear model. That changes
each component of the posterior by a rank-one step, so that no model has to be made anew.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special
from torvix_core.judging.design_matrix import Model
from torvix_core.judging.difference import SMALLEST_DIFFERENCE
from torvix_core.judging.effects import Effects, trusted
from torvix_core.judging.posterior import LEAST_VARIANCE, scatter_nodes, shares_of_blocks
from torvix_core.units.checked import Array, positive

ALONE = 1e-9  # share of a pull that the others leave open: below it nothing links its setup or day without it


@dataclass(frozen=True)
class WithoutEach:
    """Per excluded pull: the setup with the highest score, and the chance that it is above each other one.

    best (pulls,), above (setups, pulls), log_mean (setups, pulls); `known` (pulls,) is False where the rest does not
    say: it was the only pull of its setup, or the only one that links two days.
    """

    known: NDArray[np.bool_]
    best: NDArray[np.int_]
    above: Array
    log_mean: Array


@dataclass(frozen=True)
class _Block:
    """One model with one size of drift, its components moved by excluding each pull: (nodes, pulls) and so on."""

    model: Model
    size: float
    shows: Array  # (ways, nodes, pulls), inverse variance with which each way shows
    own: Array  # (nodes, pulls), precision of a pull's reading given all others
    weights: Array  # (setups, nodes, pulls), of the pull in the setups' means
    mean: Array  # (setups, nodes, pulls)
    log_likelihood: Array


def without_each(fitted: Effects, scores: Array, may: Sequence[int]) -> WithoutEach:
    """Every pull excluded in turn; the best is sought among the setups that `may` win.

    Shapes: scores (pulls,) that `fitted` was fitted to; results as `WithoutEach`.
    Units:  logs and chances.
    Errors: ValueError if the scores are not those of one figure a pull, or readings are accounted for.
    Source: deletion as an added column: Cook and Weisberg, Residuals and Influence in Regression (1982) [mem];
            restricted likelihood as in `posterior`; docs/verdict-model.md.
    >>> from torvix_core.judging.design_matrix import Layout
    >>> from torvix_core.judging.effects import fit
    >>> scores = np.array([100.0, 101, 100, 110, 111, 110])
    >>> found = without_each(fit(scores, Layout.of([0, 0, 0, 1, 1, 1])), scores, [0, 1])
    >>> found.best.tolist(), bool((found.above[0] > 0.99).all())
    ([1, 1, 1, 1, 1, 1], True)
    """
    logs = np.log(positive("scores", scores))
    straight, prior = fitted.model, fitted.history.drift
    if logs.shape != straight.layout.setup.shape or straight.layout.covariates is not None:
        raise ValueError("one score a pull is wanted, and no reading accounted for")
    flat = logs - prior.mean * straight.clock
    sigma2, log_weight, enough = _scatter_without(fitted, flat)
    blocks = [
        _without(model, size, often, straight, flat, sigma2, log_weight)
        for (model, size, _), often in zip(
            fitted.known.blocks, shares_of_blocks(fitted.known.blocks, prior), strict=True
        )
    ]
    known = enough & (fitted.counts[straight.layout.setup] > 1)
    known &= np.all([(block.own * sigma2 > ALONE).all(axis=0) for block in blocks], axis=0)
    whole = np.concatenate([block.log_likelihood for block in blocks])
    weight = np.exp(whole - whole.max(axis=0))
    weight /= weight.sum(axis=0)
    mean = np.concatenate([block.mean for block in blocks], axis=1)
    log_mean = np.einsum("hn,shn->sn", weight, mean)
    allowed = np.full(log_mean.shape, -np.inf)
    allowed[list(may)] = log_mean[list(may)]
    best = allowed.argmax(axis=0)
    deviation = np.concatenate([_deviation(block, sigma2, best) for block in blocks], axis=1)
    gap = mean[best, :, np.arange(len(best))].T[None] - mean
    above = (weight * special.ndtr(gap / deviation)).sum(axis=1)
    return WithoutEach(known, best, above, log_mean)


def leaders_without_each(
    fitted: Effects, scores: Array, baseline: int, smallest: float = SMALLEST_DIFFERENCE, out: Collection[int] = ()
) -> Iterator[tuple[int, tuple[int, ...]] | None]:
    """As `verdict.leaders`, without each pull in turn; None where the rest does not say.

    Shapes: as `without_each`.
    Units:  indices.
    Errors: as `without_each`.
    Source: as `verdict.leaders`.
    >>> from torvix_core.judging.design_matrix import Layout
    >>> from torvix_core.judging.effects import fit
    >>> scores = np.array([100.0, 101, 100, 110, 111, 110])
    >>> list(leaders_without_each(fit(scores, Layout.of([0, 0, 0, 1, 1, 1])), scores, 0))[:2]
    [(1, (1,)), (1, (1,))]
    """
    linked = [setup for setup in range(len(fitted.counts)) if fitted.linked(setup, baseline)]
    may = [setup for setup in linked if setup not in out]
    if not may:
        may = [max(linked, key=lambda setup: float(fitted.log_mean[setup]))]
    found = without_each(fitted, scores, may)
    change = np.expm1(found.log_mean[found.best, np.arange(len(found.best))] - found.log_mean)
    ahead = (found.above > 1 - fitted.tail / 2) & (change > smallest)
    for pull, is_known in enumerate(found.known.tolist()):
        best = int(found.best[pull])
        level = tuple(setup for setup in may if setup == best or not ahead[setup, pull])
        yield (best, level) if is_known else None


def _scatter_without(fitted: Effects, flat: Array) -> tuple[Array, Array, NDArray[np.bool_]]:
    """Scatters squared (nodes, pulls) where the rest of the pulls puts them, the log weight that all pulls give them,
    and whether anything shows scatter without each."""
    straight, history = fitted.model, fitted.history
    own = (straight.rest**2).sum(axis=0)
    alone, has = float(((straight.rest @ flat) ** 2).sum()), own > ALONE
    left = alone - np.divide((straight.rest.T @ (straight.rest @ flat)) ** 2, own, out=np.zeros_like(own), where=has)
    left = np.maximum(left, 0.0)
    degrees = len(straight.rest) - has.astype(int)
    trusts = np.zeros(len(flat), dtype=bool)
    for count in np.unique(degrees):
        here = degrees == count
        trusts[here] = trusted(left[here], int(count), history)
    weight = np.where(trusts, history.weight, 0.0)
    before, free = weight * history.scatter**2, weight + degrees
    enough = (free > 0) & (history.known | (straight.degrees_of_freedom > 1))
    log_weight, sigma2 = scatter_nodes(np.where(enough, before + left, 1.0), np.where(enough, free, 1.0))
    more = weight + len(straight.rest) - free
    return sigma2, log_weight - 0.5 * (more * np.log(sigma2) + (alone - left) / sigma2), enough


def _without(
    model: Model, size: float, often: float, straight: Model, flat: Array, sigma2: Array, log_weight: Array
) -> _Block:
    shown, reach = model.directions @ flat, model.directions[:, None, :]
    shows = 1 / (sigma2 + size * model.spread[:, None, None])
    rest = model.rest @ flat
    own = (model.rest**2).sum(axis=0) / sigma2 + (reach**2 * shows).sum(axis=0)
    # What is not known without a pull divides by nothing here, and is not used.
    precision = np.maximum(own, ALONE / sigma2)
    residual = (model.rest.T @ rest) / sigma2 + (reach * shown[:, None, None] * shows).sum(axis=0)
    log_likelihood = log_weight + np.log(often) + 0.5 * (residual**2 / precision - np.log(precision))
    log_likelihood += 0.5 * (np.log(shows) - shown[:, None, None] ** 2 * shows).sum(axis=0)
    if model is not straight:  # some of what was scatter alone is drift here
        less = float(rest @ rest) - float(((straight.rest @ flat) ** 2).sum())
        log_likelihood += 0.5 * ((len(straight.rest) - len(model.rest)) * np.log(sigma2) - less / sigma2)
    weights = model.weights[:, None, :] - size * np.tensordot(model.shift, reach * shows, 1)
    mean = (model.weights @ flat)[:, None, None] - size * np.tensordot(model.shift, shown[:, None, None] * shows, 1)
    return _Block(model, size, shows, precision, weights, mean - weights * residual / precision, log_likelihood)


def _deviation(block: _Block, sigma2: Array, best: NDArray[np.int_]) -> Array:
    """Of the best of each pull over every setup, (setups, nodes, pulls)."""
    model, size = block.model, block.size

    def apart(covariance: Array) -> Array:
        own = np.diagonal(covariance)
        return np.asarray(own[best] + own[:, None] - 2 * covariance[:, best])

    moved = (size * (model.shift[best] - model.shift[:, None])) ** 2  # (setups, pulls, ways)
    pulls = np.arange(len(best))
    lever = block.weights[best, :, pulls].T[None] - block.weights
    varies = (
        sigma2 * apart(model.covariance)[:, None] + size * apart(model.drift_covariance)[:, None]
        - np.einsum("snk,khn->shn", moved, block.shows, optimize=True) + lever**2 / block.own
    )  # fmt: skip
    return np.asarray(np.sqrt(np.maximum(varies, LEAST_VARIANCE)))
