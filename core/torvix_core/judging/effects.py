"""What each setup is worth: setup, session and drift separated, with the scatter that says how sure that is.

The model is additive on the log of the score, so a difference is a ratio and means the same at every power. Scatter is
taken to be equal for all setups: it belongs to the engine and the stand, not to the part. The clock of the drift is the
number of pulls that the session has seen: heat, deposits and wear come with running, not with the hands of a watch.
How drift and scatter are known together stands in docs/verdict-model.md.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy import special
from torvix_core.judging.design_matrix import Layout, Model, model_of
from torvix_core.judging.difference import Difference
from torvix_core.judging.drift import DriftPrior
from torvix_core.judging.multiple_comparisons import tail_of_all_pairs
from torvix_core.judging.posterior import Posterior, chance_below, interval, posterior
from torvix_core.units.checked import Array, finite, positive

CONFIDENCE = 0.95
REPEATABILITY = 2.8  # times the scatter: two readings differ by more in 5 % of cases, ISO 5725 [std]
SPEAKS_FOR_A_BEND = 1.1  # times the chance that a drift is bent before its pulls are seen; house rule
DISAGREES = 0.05  # chance of so much scatter if the history were right; below it the history is left out


class NotEnoughPulls(ValueError):
    """Nothing tells a difference from scatter."""


class NotLinked(ValueError):
    """Two setups share no session, not even by way of others."""


@dataclass(frozen=True)
class History:
    """What is known before the first pull: scatter of one pull, its weight in degrees of freedom, drift of a pull.

    The defaults are common practice for an engine that nobody has pulled; `known` says that it was.
    """

    scatter: float = 0.004  # [prac]
    weight: float = 3.0  # degrees of freedom [prac], modest: three pulls per setup outvote it
    drift: DriftPrior = field(default_factory=DriftPrior)
    known: bool = False


USUAL = History()


@dataclass(frozen=True)
class Effects:
    """Fitted scores: log_mean (setups, ...), scatter (...) of one pull on the log scale, steadied by the history.

    `own_scatter` (...) is what these pulls alone show once drift is out, with `own_degrees`; None where none tells.
    `trusts_history` (...) tells whether the history was counted in; `bent` (...) the chance that the drift is bent;
    `slopes` and `slope_errors` (sessions, ...) the drift of one pull and its standard deviation. `tail` is the chance
    that one interval misses.
    """

    model: Model
    history: History
    known: Posterior
    log_mean: Array
    scatter: Array
    own_scatter: Array | None
    degrees_of_freedom: Array
    trusts_history: NDArray[np.bool_]
    bent: Array
    slopes: Array
    slope_errors: Array
    influence: Array  # (readings, ...), of one unit of each that is accounted for
    residuals: Array = field(repr=False)
    tail: float = 1 - CONFIDENCE
    _differences: dict[tuple[int, int], Difference] = field(default_factory=dict, init=False, repr=False)

    @property
    def counts(self) -> NDArray[np.int_]:
        """Pulls of each setup."""
        return self.model.layout.counts

    @property
    def own_degrees(self) -> int:
        return len(self.model.rest)

    @property
    def mean(self) -> Array:
        """Geometric mean of each setup at the middle of its sessions, in the unit of the scores."""
        return np.exp(self.log_mean)

    @property
    def repeatability(self) -> Array:
        """Two single pulls of one setup differ by more than this share in only 5 % of cases (ISO 5725 [std])."""
        return np.asarray(REPEATABILITY * self.scatter)

    @property
    def is_bent(self) -> NDArray[np.bool_]:
        """Whether the pulls speak for a bent drift rather than against it."""
        return np.asarray(self.bent > SPEAKS_FOR_A_BEND * self.history.drift.bent)

    def linked(self, setup: int, reference: int) -> bool:
        """Whether the two were ever run on one day, or through setups that were."""
        return bool(self.model.group[setup] == self.model.group[reference])

    def ahead(self, setup: int, references: Sequence[int], smallest: float) -> NDArray[np.int_]:
        """(references, ...): 1 where the setup is ahead of each, -1 where behind, else 0: `difference` without its
        bounds. 0 against itself and where nothing links the two."""
        others = np.array(references, dtype=int)
        above = self.chances(np.full(len(others), setup), others)
        change = np.expm1(self.log_mean[setup] - self.log_mean[others])
        sure, unsure = (above > 1 - self.tail / 2) & (change > smallest), (above < self.tail / 2) & (change < -smallest)
        apart = (self.model.group[others] == self.model.group[setup]) & (others != setup)
        return np.asarray((sure.astype(int) - unsure.astype(int)).T * apart).T

    def chances(self, setups: NDArray[np.int_], references: NDArray[np.int_]) -> Array:
        """(pairs, ...): that each setup is above the reference beside it, as `difference` has it."""
        own = np.eye(len(self.log_mean))
        below = chance_below(self.known.weight[:, None], *self.known.contrasts(own[setups] - own[references]), 0.0)
        return 1 - below.reshape(len(setups), *self.scatter.shape)

    def difference(self, setup: int, reference: int) -> Difference:
        """The setup against the reference, with its interval; NotLinked where the days have nothing in common."""
        if not self.linked(setup, reference):
            raise NotLinked("no session links these two setups, so what they differ in is not known")
        if setup == reference:
            still = np.zeros(self.scatter.shape)
            return Difference(still, still, still, still + 0.5)
        if (setup, reference) not in self._differences:  # ranking, lead strip and gains ask for the same pairs
            self._measure([setup], reference)
        return self._differences[setup, reference]

    def against(self, reference: int) -> dict[int, Difference]:
        """Every other setup that is linked with the reference against it, in one go."""
        linked = np.flatnonzero(self.model.group == self.model.group[reference]).tolist()
        others = [setup for setup in linked if setup != reference]
        self._measure([setup for setup in others if (setup, reference) not in self._differences], reference)
        return {setup: self._differences[setup, reference] for setup in others}

    def _measure(self, setups: Sequence[int], reference: int) -> None:
        """Work out and keep the differences of some setups against one."""
        if not setups:
            return
        own = np.eye(len(self.log_mean))
        mean, deviation = self.known.contrasts(own[list(setups)] - own[reference])
        weight = np.broadcast_to(self.known.weight[:, None], mean.shape)
        low, high = interval(weight, mean, deviation, self.tail)
        above = 1 - chance_below(weight, mean, deviation, 0.0)
        for place, setup in enumerate(setups):
            gap = self.log_mean[setup] - self.log_mean[reference]
            self._differences[setup, reference] = Difference(np.expm1(gap), *(self._shaped(each) for each in (
                np.expm1(low[place]), np.expm1(high[place]), above[place])))  # fmt: skip

    @cached_property
    def own_half_widths(self) -> Array:
        """(setups, ...): half the 95 % interval of each setup's own log mean, for a band round its curve."""
        mean, deviation = self.known.contrasts(np.eye(len(self.log_mean)))
        low, high = interval(np.broadcast_to(self.known.weight[:, None], mean.shape), mean, deviation, 1 - CONFIDENCE)
        return np.asarray((high - low) / 2).reshape(self.log_mean.shape)

    def all_pairs(self) -> tuple[Array, Array, Array]:
        """log(setup / reference) of every pair with an interval that holds for all of them together, (setups, setups);
        for a single score. The interval of a pair that nothing links is endless."""
        column = self.known.columns(slice(0, 1))
        covariance = column.covariance(0)
        own = np.diagonal(covariance, axis1=1, axis2=2)
        deviation = np.sqrt(np.maximum(own[:, :, None] + own[:, None, :] - 2 * covariance, 1e-18))
        mean = column.mean[:, :, None, 0] - column.mean[:, None, :, 0]
        weight = np.broadcast_to(column.weight[:, :1, None], mean.shape)
        sizes, free = np.bincount(self.model.group), float(np.min(self.degrees_of_freedom))
        tail = np.array([tail_of_all_pairs(max(int(size), 2), round(free, 3), CONFIDENCE) for size in sizes])
        tail = tail[self.model.group][:, None]
        linked = self.model.group[:, None] == self.model.group[None, :]
        low, high = interval(weight, mean, deviation, np.broadcast_to(tail, mean.shape[1:]))
        gap = self.log_mean.reshape(len(self.log_mean))
        return gap[:, None] - gap[None, :], np.where(linked, low, -np.inf), np.where(linked, high, np.inf)

    def contrast(self, shares: Array, questions: int = 1) -> tuple[Array, Array, Array]:
        """Any combination of setups whose shares add up to nought: its value and its interval, on the log scale.

        The interval holds for so many questions of this kind together (Bonferroni).
        """
        mixture = (self.known.weight, *self.known.contrast(shares))
        tail = (1 - CONFIDENCE) / questions
        low, high = (self._shaped(bound) for bound in interval(*mixture, tail))
        return np.asarray(np.tensordot(shares, self.log_mean, 1)), low, high

    def column(self, at: int) -> Effects:
        """The effects of one of several scores that were fitted together, or of one bin of a curve."""
        return replace(
            self, known=self.known.columns(slice(at, at + 1)), log_mean=self.log_mean[:, at], scatter=self.scatter[at],
            own_scatter=None if self.own_scatter is None else self.own_scatter[at],
            degrees_of_freedom=self.degrees_of_freedom[at], trusts_history=self.trusts_history[at], bent=self.bent[at],
            slopes=self.slopes[:, at], slope_errors=self.slope_errors[:, at],
            influence=self.influence[:, at], residuals=self.residuals[:, at],
        )  # fmt: skip

    def drift(self) -> Array:
        """What was taken out between the first and the last pull that count, by session (sessions, ...)."""
        spans = np.array([self.model.layout.span(session) for session in range(self.model.layout.sessions)])
        return np.asarray((self.slopes.T * spans).T)

    def _shaped(self, values: Array) -> Array:
        return np.asarray(values.reshape(self.scatter.shape))


def fit(
    scores: Array, layout: Layout, history: History = USUAL, smoothed: int = 1, steadier: float = 1.0
) -> Effects:  # fmt: skip
    """Worth of each setup and the scatter of a single pull, pooled over setups and steadied by the history.

    Shapes: scores (pulls, ...), for instance one average a pull or a whole curve.
    Units:  any one unit above zero. `smoothed`: over so many neighbouring bins the scatter is averaged, as it hardly
            changes from bin to bin while its estimate from few pulls jumps; for scores that are curves. `steadier`: by
            how much that multiplies the degrees of freedom.
    Errors: ValueError if scores are not finite and above zero or differ in length from the layout; NotEnoughPulls if
            neither a repeated pull nor a known history says what scatter is.
    Source: linear model on logs with random slopes, docs/verdict-model.md; moderated variance: Smyth, Linear models and
            empirical Bayes methods, Stat. Appl. Genet. Mol. Biol. 3 (2004) [mem].
    >>> from torvix_core.judging.drift import NO_DRIFT
    >>> effects = fit(np.array([100.0, 101, 103, 104]), Layout.of([0, 0, 1, 1]), History(weight=0.0, drift=NO_DRIFT))
    >>> found = effects.difference(1, 0)
    >>> round(float(found.change), 4), round(float(found.half_width), 4), found.state().value
    (0.0299, 0.0307, 'undecided')
    """
    logs = np.log(positive("scores", scores))
    if logs.shape[:1] != layout.setup.shape:
        raise ValueError(f"scores are of {logs.shape[0]} pulls, the layout of {layout.setup.shape[0]}")
    prior = history.drift
    model = model_of(layout, prior)
    if (model.degrees_of_freedom < 1 and not history.known) or not len(model.rest) + history.weight:
        raise NotEnoughPulls(without_scatter(layout))
    flat = logs.reshape(len(logs), -1) - prior.mean * model.clock[:, None]
    squares = ((model.rest @ flat) ** 2).sum(axis=0)
    if smoothed > 1:
        squares = over_neighbours(squares, smoothed)
    degrees, shape = len(model.rest), logs.shape[1:]
    trusts = trusted(squares, degrees, history)
    weight = np.where(trusts, history.weight, 0.0)
    models = [model, model_of(layout, prior, bent=True)] if prior.bent and prior.curve_sd and prior.sd else [model]
    known = posterior(
        flat, models, prior, weight * history.scatter**2 + squares * steadier, weight + degrees * steadier
    )
    precise, varies = known.precision
    slopes, errors = known.slopes()
    return Effects(
        model=model,
        history=history,
        known=known,
        log_mean=finite("means", known.log_mean.reshape(layout.setups, *shape)),
        scatter=(1 / np.sqrt(precise)).reshape(shape),
        own_scatter=np.sqrt(squares / degrees).reshape(shape) if degrees else None,
        degrees_of_freedom=(2 * precise**2 / varies).reshape(shape),
        trusts_history=trusts.reshape(shape),
        bent=known.bent().reshape(shape),
        slopes=(slopes + prior.mean).reshape(layout.sessions, *shape),
        slope_errors=errors.reshape(layout.sessions, *shape),
        influence=(model.influence @ flat - known.influence()).reshape(-1, *shape),
        residuals=known.residuals(flat).reshape(logs.shape),
    )


def trusted(squares: Array, degrees: int, history: History) -> NDArray[np.bool_]:
    """Where the history is counted in: not where these pulls scatter more than it allows.

    Shapes: squares (n,) sums of squared residuals; result (n,).
    Units:  logs; `degrees` of the residuals, 0 where no pull repeats another.
    Errors: none.
    Source: chi square test at DISAGREES; house rule.
    >>> trusted(np.array([5 * 0.004**2, 5 * 0.02**2]), 5, History()).tolist()
    [True, False]
    """
    if not degrees:
        return np.full(squares.shape, history.weight > 0)
    return np.asarray((special.chdtrc(degrees, squares / history.scatter**2) >= DISAGREES) & (history.weight > 0))


def without_scatter(layout: Layout) -> str:
    """Why pulls laid out so say nothing of the scatter, and what would.

    Shapes: none.
    Units:  none.
    Errors: none.
    Source: the degrees of freedom of the linear model that `fit` names: pulls less the levels that it estimates.
    >>> without_scatter(Layout.of([0, 0, 0], [0, 1, 2]))[:48]
    'no setup has two accepted pulls in one session, '
    """
    if np.bincount(layout.setup, minlength=1).max() < 2:
        return "no setup has two accepted pulls, so the scatter is not known: repeat one of them"
    pairs = np.unique(np.stack([layout.setup, layout.session]), axis=1, return_counts=True)[1]
    if pairs.max() >= 2:
        return "so few pulls do not tell scatter from drift: repeat a setup once more"
    return (
        "no setup has two accepted pulls in one session, and sessions differ, so the scatter is not known: repeat a "
        "setup within a session"
    )


def over_neighbours(values: Array, bins: int) -> Array:
    """Mean of each value and its neighbours, fewer at the ends.

    Shapes: (n,); result (n,).
    Units:  those of the values.
    Errors: none.
    Source: definition.
    >>> over_neighbours(np.array([1.0, 2, 6]), 3).tolist()
    [1.5, 3.0, 4.0]
    """
    place, reach = np.arange(len(values)), bins // 2
    first, after = np.maximum(place - reach, 0), np.minimum(place + reach + 1, len(place))
    total = np.concatenate([[0.0], np.cumsum(values)])
    return np.asarray((total[after] - total[first]) / (after - first))
