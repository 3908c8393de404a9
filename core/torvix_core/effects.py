"""What each setup is worth: means of the accepted pulls, their pooled scatter, and differences with intervals.

The model is additive on the log of the score, so a difference is a ratio and means the same at every power.
Scatter is taken to be equal for all setups: it belongs to the engine and the stand, not to the part. Drift
through the session is not taken out here; a return to the baseline shows it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special
from torvix_core.checked import Array, finite, positive

CONFIDENCE = 0.95
SMALLEST_DIFFERENCE = 0.003  # [-], below this a difference does not matter [prac]
REPEATABILITY = 2.8  # times the scatter: two readings differ by more in 5 % of cases, ISO 5725 [std]


class NotEnoughPulls(ValueError):
    """No setup was pulled twice, so nothing tells a difference from scatter."""


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
    """Fitted scores: log_mean (setups, ...), counts (setups,), scatter (...) of one pull on the log scale."""

    log_mean: Array
    counts: NDArray[np.int_]
    scatter: Array
    degrees_of_freedom: int

    @property
    def mean(self) -> Array:
        """Geometric mean of each setup, in the unit of the scores."""
        return np.exp(self.log_mean)

    @property
    def repeatability(self) -> Array:
        """Two single pulls of one setup differ by more than this share in only 5 % of cases (ISO 5725 [std])."""
        return np.asarray(REPEATABILITY * self.scatter)

    def half_width(self, setup: int, reference: int, confidence: float = CONFIDENCE) -> Array:
        """Half the interval of log(setup / reference), Student's t with the pooled degrees of freedom."""
        quantile = special.stdtrit(self.degrees_of_freedom, 0.5 + confidence / 2)
        share = 1 / self.counts[setup] + 1 / self.counts[reference]
        return np.asarray(quantile * self.scatter * np.sqrt(share))

    def difference(self, setup: int, reference: int, confidence: float = CONFIDENCE) -> Difference:
        """The setup against the reference, with its interval."""
        gap, half = self.log_mean[setup] - self.log_mean[reference], self.half_width(setup, reference, confidence)
        change, low, high = np.expm1(gap), np.expm1(gap - half), np.expm1(gap + half)
        return Difference(change=change, low=low, high=high, half_width=(high - low) / 2)


def fit(scores: Array, setup: NDArray[np.int_], setups: int) -> Effects:
    """Mean of each setup and the scatter of a single pull, pooled over setups.

    Shapes: scores (pulls, ...), for instance one average a pull or a whole curve; setup (pulls,), 0 to setups - 1.
    Units:  any one unit above zero.
    Errors: ValueError if scores are not finite and above zero, or a setup has no pull; NotEnoughPulls if no
            setup has two.
    Source: one-way analysis of variance on logs; any text on designed experiments.
    >>> effects = fit(np.array([100.0, 101, 103, 104]), np.array([0, 0, 1, 1]), 2)
    >>> found = effects.difference(1, 0)
    >>> round(float(found.change), 4), round(float(found.half_width), 4), bool(found.is_wash())
    (0.0299, 0.0307, True)
    """
    logs = np.log(positive("scores", scores))
    if logs.shape[:1] != setup.shape:
        raise ValueError(f"scores are of {logs.shape[0]} pulls, setup of {setup.shape[0]}")
    counts = np.bincount(setup, minlength=setups)
    if (counts == 0).any():
        raise ValueError(f"setup {int(np.argmin(counts))} has no accepted pull")
    degrees_of_freedom = int(len(setup) - setups)
    if degrees_of_freedom < 1:
        raise NotEnoughPulls("no setup has two accepted pulls, so the scatter is not known: repeat one of them")
    member = (setup[None, :] == np.arange(setups)[:, None]).astype(np.float64)
    flat = logs.reshape(len(setup), -1)
    means = member @ flat / counts[:, None]
    residual = flat - means[setup]
    scatter = np.sqrt((residual**2).sum(axis=0) / degrees_of_freedom)
    return Effects(
        log_mean=finite("means", means.reshape(setups, *logs.shape[1:])),
        counts=counts,
        scatter=scatter.reshape(logs.shape[1:]),
        degrees_of_freedom=degrees_of_freedom,
    )


def pool_neighbours(effects: Effects, bins: int = 5) -> Effects:
    """The same effects with each bin's scatter pooled over its neighbours, for scores that are curves.

    Scatter hardly changes from one 100 rpm bin to the next while its estimate from a few pulls jumps. The degrees
    of freedom stay as they are, because neighbouring bins of one pull err together.

    Shapes: effects of (setups, bins).
    Units:  [-].
    Errors: ValueError if the scores were not curves.
    Source: root mean square over a window; house rule.
    >>> flat = fit(np.array([[100.0, 100], [101, 103]]), np.array([0, 0]), 1)
    >>> pooled = pool_neighbours(flat, 3).scatter
    >>> bool(np.isclose(pooled[0], pooled[1]))
    True
    """
    if effects.scatter.ndim != 1:
        raise ValueError("the scores are not curves")
    place, reach = np.arange(len(effects.scatter)), bins // 2
    first, after = np.maximum(place - reach, 0), np.minimum(place + reach + 1, len(place))
    total = np.concatenate([[0.0], np.cumsum(effects.scatter**2)])
    pooled = np.sqrt((total[after] - total[first]) / (after - first))
    return Effects(effects.log_mean, effects.counts, pooled, effects.degrees_of_freedom)
