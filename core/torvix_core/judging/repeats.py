"""How many pulls it takes to call a difference, how often an order of pulls would call it, and what a return buys."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from scipy import special
from torvix_core.judging.design_matrix import Layout, Model, model_of
from torvix_core.judging.difference import SMALLEST_DIFFERENCE
from torvix_core.judging.effects import CONFIDENCE, USUAL, Effects, History
from torvix_core.units.checked import Array, finite, positive

POWER = 0.80  # [-], of finding what is there [prac]
MOST_PULLS = 60  # a side; nobody pulls an engine more often for one question
RETURN_PULLS = 2  # of the first setup at the end of the day [prac]
MOST_MORE = 6  # pulls of each of two setups that are proposed to decide between them [prac]


@dataclass(frozen=True)
class PullsNeeded:
    """Pulls per setup, and the chance that as many call the difference. None where MOST_PULLS are not enough."""

    pulls: int | None
    power: float


def there_and_back(pulls: int, back: int = RETURN_PULLS) -> Layout:
    """One setup, the other, and `back` pulls of the first again, in one session.

    Shapes: scalars.
    Units:  pulls.
    Errors: none.
    Source: common practice.
    >>> there_and_back(2, 1).setup.tolist()
    [0, 0, 1, 1, 0]
    """
    return Layout.of([0] * pulls + [1] * pulls + [0] * back)


def variance_of_gap(model: Model, one: int, other: int, scatter: ArrayLike) -> Array:
    """Of log(one / other) as a layout tells it, drift included, where the scatter of a pull is known.

    Shapes: scatter and result (...).
    Units:  logs; logs squared.
    Errors: none.
    Source: `design_matrix.Model`; docs/verdict-model.md.
    >>> from torvix_core.judging.drift import NO_DRIFT
    >>> round(float(variance_of_gap(model_of(Layout.of([0, 0, 1, 1]), NO_DRIFT), 0, 1, 0.004)) * 1e6, 6)
    16.0
    """
    shares = np.zeros(len(model.weights))
    shares[one], shares[other] = 1.0, -1.0
    own = np.asarray(scatter, dtype=np.float64) ** 2
    seen = ((shares @ model.shift) ** 2 / (own[..., None] + model.spread)).sum(axis=-1)
    found = own * (shares @ model.covariance @ shares) + shares @ model.drift_covariance @ shares - seen
    return np.asarray(np.maximum(found, 0.0))


def power(
    layout: Layout, difference: ArrayLike, history: History = USUAL, confidence: float = CONFIDENCE
) -> Array:  # fmt: skip
    """Chance that the pulls of a layout tell its second setup from its first, by a two-sided interval.

    Shapes: `difference` and result (...).
    Units:  shares of the score. Days differ in their drift as the history says.
    Errors: ValueError naming the argument, or where nothing tells the scatter.
    Source: noncentral t distribution, exact for small numbers, integrated over the scatter shown; without drift checked
            against statsmodels, with it against simulated days.
    >>> from torvix_core.judging.drift import NO_DRIFT
    >>> round(float(power(there_and_back(3, 0), 0.01, History(weight=0.0, drift=NO_DRIFT))), 3)
    0.636
    """
    if not 0.5 <= confidence < 1:
        raise ValueError("confidence must lie between 0.5 and 1")
    model, scatter = model_of(layout, history.drift), float(positive("scatter", history.scatter))
    degrees = np.asarray(len(model.rest) + history.weight, dtype=np.float64)
    if degrees <= 0:
        raise ValueError("pulls must be two or more a side: one pull tells nothing of its own scatter")
    deviation = np.sqrt(variance_of_gap(model, 1, 0, scatter))
    shift = np.abs(finite("difference", difference)) / deviation
    critical: Array = np.asarray(special.stdtrit(degrees, 1 - (1 - confidence) / 2))
    # Over the scatter that such pulls would show, of the chance that the difference then passes. The library's
    # noncentral t loses up to 0.0002 here or gives NaN for large differences and few pulls.
    shown, weight = _shown_scatter(np.broadcast_to(degrees, shift.shape))
    # Only what scatter does to the gap grows with the scatter that is shown; what drift may do does not.
    limit = critical[..., None] * np.sqrt(variance_of_gap(model, 1, 0, scatter * shown)) / deviation
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
    difference: float, history: History = USUAL, confidence: float = CONFIDENCE, wanted: float = POWER,
    back: int = RETURN_PULLS,
) -> PullsNeeded:  # fmt: skip
    """The fewest pulls per setup that find a difference often enough, with `back` pulls of the first setup at the end.

    Shapes: scalars.
    Units:  as `power`; `wanted` [-].
    Errors: ValueError naming the argument.
    Source: `power` for 2, 3, 4... pulls. Common practice works with n = 2·((1.96 + 0.84)·σ/Δ)², which for few pulls is
            too few, and knows nothing of drift.
    >>> pulls_needed(0.01).pulls, pulls_needed(0.01, back=0).pulls
    (3, 14)
    """
    positive("difference", difference)
    found = 0.0
    for pulls in range(2, MOST_PULLS + 1):
        found = float(power(there_and_back(pulls, back), difference, history, confidence))
        if found >= wanted:
            return PullsNeeded(pulls, found)
    return PullsNeeded(None, found)


@dataclass(frozen=True)
class MorePulls:
    """What would decide between two setups if they differ as they do now: so many more pulls of each, `one` first."""

    one: int
    other: int
    one_pulls: int
    other_pulls: int


def more_to_decide(
    effects: Effects, one: int, other: int, smallest: float = SMALLEST_DIFFERENCE, goes_on: bool = True
) -> MorePulls | None:  # fmt: skip
    """The fewest more pulls after which two setups would be separated or be equal, if they differ as they do now.

    Where the last session `goes_on`, first a return to the setup that is not on the engine, then one more visit to
    each; else both on another day. None where MOST_MORE pulls of each are not enough.

    Shapes: effects of (setups,).
    Units:  pulls.
    Errors: `effects.NotLinked`.
    Source: the interval shrinks as the standard deviation of the gap does at the scatter that was seen.
    >>> from torvix_core.judging.effects import fit
    >>> effects = fit(np.array([100.0, 100.4, 99.9, 101.5, 101.1, 101.4]), Layout.of([0, 0, 0, 1, 1, 1]))
    >>> more_to_decide(effects, 1, 0)
    MorePulls(one=0, other=1, one_pulls=1, other_pulls=0)
    """
    found = effects.difference(one, other)
    gap, half = abs(float(found.change)), float(found.half_width)
    layout, scatter, drift = effects.model.layout, float(effects.scatter), effects.history.drift
    now = variance_of_gap(effects.model, one, other, scatter)
    on = int(layout.setup[-1])
    first, second = (other, one) if on == one else (one, other)
    ways = [(back, then) for back in range(1, MOST_MORE + 1) for then in ((0, back) if goes_on else (back,))]
    for back, then in sorted(ways, key=sum):
        wider = longer(layout, [first] * back + [second] * then, goes_on)
        reach = half * np.sqrt(variance_of_gap(model_of(wider, drift), one, other, scatter) / now)
        if (gap > reach and gap > smallest) or gap + reach < smallest:
            return MorePulls(first, second, back, then)
    return None


def longer(layout: Layout, setups: Sequence[int], goes_on: bool = True) -> Layout:
    """The same with more pulls at the end of its last session, or in one more; readings are left aside.

    Shapes: setups (n,) indices.
    Units:  none.
    Errors: none.
    Source: definition.
    >>> longer(Layout.of([0, 0, 1]), [0]).place.tolist()
    [0.0, 1.0, 2.0, 3.0]
    """
    session = int(layout.session[-1]) if goes_on else layout.sessions
    last = float(layout.place[layout.session == session].max()) if goes_on else -1.0
    return Layout(
        np.concatenate([layout.setup, setups]), np.concatenate([layout.session, [session] * len(setups)]),
        np.concatenate([layout.place, last + 1 + np.arange(len(setups))]),
    )  # fmt: skip
