"""What each setup is worth: setup, session and drift told apart, with the scatter that says how sure that is.

The model is additive on the log of the score, so a difference is a ratio and means the same at every power. Scatter is
taken to be equal for all setups: it belongs to the engine and the stand, not to the part. The clock of the drift is the
number of pulls that the session has seen: heat, deposits and wear come with running, not with the hands of a watch.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray
from scipy import special
from torvix_core.judging.design_matrix import Layout, Model, model_of
from torvix_core.judging.multiple_comparisons import all_pairs
from torvix_core.units.checked import Array, finite, positive

CONFIDENCE = 0.95
SMALLEST_DIFFERENCE = 0.003  # [-], below this a difference does not matter [prac]
REPEATABILITY = 2.8  # times the scatter: two readings differ by more in 5 % of cases, ISO 5725 [std]
DISAGREES = 0.05  # chance of so much scatter if the history were right; below it the history is left out
BENDS = 0.01  # chance of such a curvature in a straight drift; below it the drift is called bent
LARGE_DRIFT = 0.01  # [-], over the counted pulls of a session; more than that is hardly straight [prac]


class NotEnoughPulls(ValueError):
    """Nothing tells a difference from scatter."""


class NotLinked(ValueError):
    """Two setups share no session, not even by way of others."""


@dataclass(frozen=True)
class History:
    """What is known before the first pull: scatter of one pull, its weight in degrees of freedom, drift of a pull.

    The defaults are common practice for an engine that nobody has pulled; `known` says that it was. `drift_per_pull` is
    what a pull may cost on a day that does not return to a setup, where it cannot be seen.
    """

    scatter: float = 0.004  # [prac]
    weight: float = 3.0  # degrees of freedom [prac], modest: three pulls a side outvote it
    drift_per_pull: float = 0.0035  # [prac]
    known: bool = False


USUAL = History()


@dataclass(frozen=True)
class Difference:
    """How one setup's score compares with another's, as a share of the latter; all (...)."""

    change: Array
    low: Array
    high: Array
    half_width: Array

    def is_wash(self, smallest: float = SMALLEST_DIFFERENCE) -> NDArray[np.bool_]:
        """True where the interval covers zero or the change is too small to matter."""
        return np.asarray((self.low <= 0) & (self.high >= 0) | (np.abs(self.change) < smallest))


@dataclass(frozen=True)
class Effects:
    """Fitted scores: log_mean (setups, ...), scatter (...) of one pull on the log scale, steadied by the history.

    `own_scatter` (...) is what these pulls alone show, with `own_degrees`; None where none of them repeats another.
    `trusts_history` (...) tells whether the history was counted in, `bent` (...) whether the drift is not straight,
    `slopes` (drifting sessions, ...) the drift of one pull. `critical` None: as for all pairs of setups together.
    """

    model: Model
    history: History
    log_mean: Array
    scatter: Array
    own_scatter: Array | None
    degrees_of_freedom: Array
    trusts_history: NDArray[np.bool_]
    bent: NDArray[np.bool_]
    bend_shift: Array
    slopes: Array
    residuals: Array = field(repr=False)
    critical: float | None = None

    @property
    def counts(self) -> NDArray[np.int_]:
        """Pulls of each setup."""
        return self.model.layout.counts

    @property
    def own_degrees(self) -> int:
        return self.model.degrees_of_freedom

    @property
    def mean(self) -> Array:
        """Geometric mean of each setup at the middle of its sessions, in the unit of the scores."""
        return np.exp(self.log_mean)

    @property
    def repeatability(self) -> Array:
        """Two single pulls of one setup differ by more than this share in only 5 % of cases (ISO 5725 [std])."""
        return np.asarray(REPEATABILITY * self.scatter)

    def linked(self, setup: int, reference: int) -> bool:
        """Whether the two were ever run on one day, or through setups that were."""
        return bool(self.model.group[setup] == self.model.group[reference])

    def standard_error(self, setup: int, reference: int) -> Array:
        """Of log(setup / reference), from scatter alone."""
        return np.asarray(self.scatter * np.sqrt(self.model.variance(setup, reference)))

    def unseen(self, setup: int, reference: int) -> Array:
        """By how much drift that cannot be seen, or is not straight, may have moved log(setup / reference)."""
        hidden = self.history.drift_per_pull * self.model.hidden_places(setup, reference)
        return np.asarray(hidden + np.where(self.bent, np.abs(self.bend_shift[setup] - self.bend_shift[reference]), 0))

    def half_width(self, setup: int, reference: int) -> Array:
        """Half the interval of log(setup / reference); NotLinked where the days have nothing in common."""
        if not self.linked(setup, reference):
            raise NotLinked("no session links these two setups, so what they differ in is not known")
        family = int((self.model.group == self.model.group[setup]).sum())
        critical = self._critical(max(family, 2))
        return np.asarray(critical * self.standard_error(setup, reference) + self.unseen(setup, reference))

    def own_half_width(self, setup: int) -> Array:
        """Half the 95 % interval of the setup's own log mean, for a band round its curve. Student's t."""
        quantile = special.stdtrit(self.degrees_of_freedom, 0.5 + CONFIDENCE / 2)
        return np.asarray(quantile * self.scatter * np.sqrt(self.model.covariance[setup, setup]))

    def difference(self, setup: int, reference: int) -> Difference:
        """The setup against the reference, with its interval. NotLinked as `half_width`."""
        gap, half = self.log_mean[setup] - self.log_mean[reference], self.half_width(setup, reference)
        change, low, high = np.expm1(gap), np.expm1(gap - half), np.expm1(gap + half)
        return Difference(change=change, low=low, high=high, half_width=(high - low) / 2)

    def all_pairs(self) -> tuple[Array, Array]:
        """log(setup / reference) of every pair and half its interval, (setups, setups); for scores that are no curves.

        The same as `half_width` pair by pair, at once; of pairs that nothing links the half width is endless.
        """
        own = np.diag(self.model.covariance)
        variance = np.maximum(own[:, None] + own[None, :] - 2 * self.model.covariance, 0.0)
        hidden = self.history.drift_per_pull * self.model.hidden_of_pairs()
        if bool(self.bent):
            hidden = hidden + np.abs(self.bend_shift[:, None] - self.bend_shift[None, :])
        sizes = np.bincount(self.model.group)
        critical = np.array([float(self._critical(max(int(size), 2))) for size in sizes])[self.model.group]
        half = critical[:, None] * float(self.scatter) * np.sqrt(variance) + hidden
        linked = self.model.group[:, None] == self.model.group[None, :]
        return self.log_mean[:, None] - self.log_mean[None, :], np.where(linked, half, np.inf)

    def contrast(self, shares: Array, questions: int = 1) -> tuple[Array, Array]:
        """Any combination of setups whose shares add up to nought: its value and half its interval, on the log scale.

        The interval holds for so many questions of this kind together (Bonferroni).
        """
        quantile = special.stdtrit(self.degrees_of_freedom, 1 - (1 - CONFIDENCE) / 2 / questions)
        error = self.scatter * np.sqrt(max(float(shares @ self.model.covariance @ shares), 0.0))
        hidden = self.history.drift_per_pull * self.model.hidden_shift(shares)
        bent = np.where(self.bent, np.abs(np.tensordot(shares, self.bend_shift, 1)), 0.0)
        return np.asarray(np.tensordot(shares, self.log_mean, 1)), np.asarray(quantile * error + hidden + bent)

    def column(self, at: int) -> Effects:
        """The effects of one of several scores that were fitted together, or of one bin of a curve."""
        return replace(
            self, log_mean=self.log_mean[:, at], scatter=self.scatter[at],
            own_scatter=None if self.own_scatter is None else self.own_scatter[at],
            degrees_of_freedom=self.degrees_of_freedom[at], trusts_history=self.trusts_history[at],
            bent=self.bent[at], bend_shift=self.bend_shift[:, at], slopes=self.slopes[:, at],
            residuals=self.residuals[:, at],
        )  # fmt: skip

    @property
    def drifts_much(self) -> NDArray[np.bool_]:
        """Whether so much drift was taken out that a straight line through it is a guess."""
        taken = np.abs(self.drift())
        return np.asarray(taken.max(axis=0) > LARGE_DRIFT if len(taken) else np.zeros(self.scatter.shape, dtype=bool))

    def drift(self) -> Array:
        """What was taken out between the first and the last pull that count, by drifting session (sessions, ...)."""
        spans = np.array([self.model.layout.span(session) for session in self.model.drifting])
        return np.asarray((self.slopes.T * spans).T) if len(spans) else self.slopes

    def _critical(self, family: int) -> Array:
        if self.critical is not None:
            return np.asarray(self.critical)
        if np.ndim(self.degrees_of_freedom) == 0:
            return np.asarray(all_pairs(family, float(self.degrees_of_freedom), CONFIDENCE))
        kinds, place = np.unique(self.degrees_of_freedom, return_inverse=True)
        values = np.array([all_pairs(family, float(free), CONFIDENCE) for free in kinds])
        return np.asarray(values[place].reshape(np.shape(self.degrees_of_freedom)))


def fit(
    scores: Array, layout: Layout, history: History = USUAL, bent: NDArray[np.bool_] | bool | None = None,
    smoothed: int = 1,
) -> Effects:  # fmt: skip
    """Worth of each setup and the scatter of a single pull, pooled over setups and steadied by the history.

    Shapes: scores (pulls, ...), for instance one average a pull or a whole curve. `bent` says that the drift is known
            to be bent or straight, (...) or one for all; None asks each column of scores.
    Units:  any one unit above zero. `smoothed`: over so many neighbouring bins the scatter is averaged, as it hardly
            changes from bin to bin while its estimate from few pulls jumps; for scores that are curves.
    Errors: ValueError if scores are not finite and above zero or differ in length from the layout; NotEnoughPulls if
            neither a repeated pull nor a known history says what scatter is.
    Source: linear model on logs, any text on designed experiments; moderated variance: Smyth, Linear models and
            empirical Bayes methods, Stat. Appl. Genet. Mol. Biol. 3 (2004) [mem].
    >>> effects = fit(np.array([100.0, 101, 103, 104]), Layout.of([0, 0, 1, 1]), History(weight=0.0, drift_per_pull=0))
    >>> found = effects.difference(1, 0)
    >>> round(float(found.change), 4), round(float(found.half_width), 4), bool(found.is_wash())
    (0.0299, 0.0307, True)
    """
    logs = np.log(positive("scores", scores))
    if logs.shape[:1] != layout.setup.shape:
        raise ValueError(f"scores are of {logs.shape[0]} pulls, the layout of {layout.setup.shape[0]}")
    model = model_of(layout)
    degrees = model.degrees_of_freedom
    if degrees < 1 and not history.known:
        raise NotEnoughPulls("no setup has two accepted pulls, so the scatter is not known: repeat one of them")
    flat = logs.reshape(len(logs), -1)
    residuals = model.residual_maker @ flat
    squares = (residuals**2).sum(axis=0)
    if smoothed > 1:
        squares = over_neighbours(squares, smoothed)
    scatter, free, trusts = steadied(squares, degrees, history)
    shape = logs.shape[1:]
    curved = model_of(layout, bent=True)
    shift = (
        (curved.weights - model.weights) @ flat if curved.bend is not None else np.zeros((layout.setups, squares.size))
    )
    seen = _bends(curved, flat, history) if bent is None else np.broadcast_to(np.asarray(bent), shape).reshape(-1)
    return Effects(
        model=model,
        history=history,
        log_mean=finite("means", (model.weights @ flat).reshape(layout.setups, *shape)),
        scatter=scatter.reshape(shape),
        own_scatter=np.sqrt(squares / degrees).reshape(shape) if degrees else None,
        degrees_of_freedom=free.reshape(shape),
        trusts_history=trusts.reshape(shape),
        bent=seen.reshape(shape),
        bend_shift=shift.reshape(layout.setups, *shape),
        slopes=(model.slopes @ flat).reshape(len(model.drifting), *shape),
        residuals=residuals.reshape(logs.shape),
    )


def steadied(squares: Array, degrees: int, history: History) -> tuple[Array, Array, NDArray[np.bool_]]:
    """Scatter of one pull with the history counted in, its degrees of freedom, and where the history was trusted.

    Shapes: squares (n,) sums of squared residuals; results (n,).
    Units:  logs; `degrees` of the residuals, 0 where no pull repeats another.
    Errors: none.
    Source: moderated variance (Smyth 2004 [mem]); the history is dropped where these pulls scatter more than it allows.
    >>> scatter, free, trusts = steadied(np.array([5 * 0.004**2, 5 * 0.02**2]), 5, History())
    >>> scatter.round(4).tolist(), free.tolist(), trusts.tolist()
    ([0.004, 0.02], [8.0, 5.0], [True, False])
    """
    prior = history.weight * history.scatter**2
    if degrees:
        too_much = special.chdtrc(degrees, squares / history.scatter**2) < DISAGREES
    else:
        too_much = np.zeros(squares.shape, dtype=bool)
    weight = np.where(too_much, 0.0, history.weight)
    free = weight + degrees
    scatter = np.sqrt((np.where(too_much, 0.0, prior) + squares) / free)
    return scatter, free, ~too_much & (history.weight > 0)


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


def _bends(curved: Model, flat: Array, history: History) -> NDArray[np.bool_]:
    """Whether a curvature of the drift stands out of the scatter, in each column."""
    if curved.bend is None or curved.degrees_of_freedom < 1:
        return np.zeros(flat.shape[1], dtype=bool)
    squares = ((curved.residual_maker @ flat) ** 2).sum(axis=0)
    scatter, free, _ = steadied(squares, curved.degrees_of_freedom, history)
    told = (curved.bend @ flat) / (scatter * np.sqrt((curved.bend**2).sum()))
    return np.asarray(2 * special.stdtr(free, -np.abs(told)) < BENDS)


def with_critical(effects: Effects, critical: float) -> Effects:
    """The same effects with another critical value, for comparisons that look at more than the setups.

    Shapes: any.
    Units:  times the standard error [-].
    Errors: none.
    Source: `simultaneous`.
    >>> effects = fit(np.array([100.0, 101, 103, 104]), Layout.of([0, 0, 1, 1]))
    >>> bool(with_critical(effects, 9.0).half_width(1, 0) > effects.half_width(1, 0))
    True
    """
    return replace(effects, critical=critical)
