"""A planned day run many times on a simulated engine: how often would it call the right winner?

The engine has the habits of the simulated stand: each pull scatters, each further pull costs a little, and a part that
comes cold from the bench flatters until it has soaked through. Every day is judged as the verdict judges a real one.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.difference import SMALLEST_DIFFERENCE
from torvix_core.judging.effects import USUAL, History, fit
from torvix_core.units.checked import Array, finite

NOBODY = -1


@dataclass(frozen=True)
class Habits:
    """How an engine on a stand behaves from pull to pull; shares of the score. Defaults are the simulated stand's."""

    scatter: float = 0.0028  # standard deviation of one pull
    drift_per_pull: float = -0.0002  # what each further pull of a session costs
    drift_sd: float = 0.0  # how far sessions stray from that
    cold_part: float = 0.009  # by how much a part straight from the bench reads high
    soak_s: float = 190.0  # time constant of its soaking through
    refit_scatter: float = 0.0  # standard deviation of fitting a part once more
    warming: float = 0.0  # what the engine loses in all while it warms through, beside the straight drift
    warming_pulls: float = 4.0  # after so many pulls all but a third of that is lost


@dataclass(frozen=True)
class SimulatedPlan:
    """Pulls in their order, each with its setup, visit and session, and seconds since the last change of parts."""

    setup: NDArray[np.int_]
    visit: NDArray[np.int_]
    session: NDArray[np.int_]
    since_change_s: Array
    counted: NDArray[np.bool_]

    @property
    def setups(self) -> int:
        return int(self.setup.max()) + 1

    @property
    def place(self) -> Array:
        """How many pulls of its session went before each, counted or not."""
        first = np.array([np.argmax(self.session == session) for session in self.session])
        return np.asarray(np.arange(len(self.setup)) - first, dtype=np.float64)

    @property
    def layout(self) -> Layout:
        """The counted pulls, as the verdict sees them."""
        counted = self.counted
        return Layout(self.setup[counted], self.session[counted], self.place[counted])


@dataclass(frozen=True)
class Tally:
    """Of so many days: how many called each setup the winner, and how many told each from the baseline."""

    days: int
    winner: NDArray[np.int_]  # (setups,)
    nobody: int
    better: NDArray[np.int_]  # (setups,) than the baseline
    worse: NDArray[np.int_]
    warned: int = 0  # days that say that their drift is bent

    def __add__(self, other: Tally) -> Tally:
        return Tally(self.days + other.days, self.winner + other.winner, self.nobody + other.nobody,
                     self.better + other.better, self.worse + other.worse, self.warned + other.warned)  # fmt: skip


@dataclass(frozen=True)
class Odds:
    """Shares of the days that called the right winner, called nobody, or called a wrong one."""

    right: float
    nobody: float
    wrong: float
    truth_is_equal: bool
    best: int


def lay_out(
    visits: Sequence[tuple[int, int, int]], pull_s: float, conditioning: int, *, returns: bool = True
) -> SimulatedPlan:
    """The pulls of a running order.

    Shapes: visits (k,) of (setup, session, counted pulls).
    Units:  pull_s seconds from one pull to the next; `conditioning` pulls after each change that do not count.
    Errors: ValueError if there is no pull.
    Source: house rule. Without returns the baseline is pulled only when a session opens.
    >>> plan = lay_out([(0, 0, 2), (1, 0, 2), (0, 0, 1)], 240.0, 1, returns=False)
    >>> plan.setup.tolist(), plan.counted.tolist()
    ([0, 0, 0, 1, 1, 1], [False, True, True, False, True, True])
    """
    rows: list[tuple[int, int, int, float, bool]] = []
    opened: set[int] = set()
    for place, (setup, session, pulls) in enumerate(visits):
        if setup == 0 and session in opened and not returns:
            continue
        opened.add(session)
        rows += [
            (setup, place, session, number * pull_s, number >= conditioning) for number in range(conditioning + pulls)
        ]
    if not rows:
        raise ValueError("there is no pull in the plan")
    setup_of, visit, session_of, since, counted = zip(*rows, strict=True)
    return SimulatedPlan(np.array(setup_of), np.array(visit), np.array(session_of), np.array(since, dtype=np.float64),
                np.array(counted))  # fmt: skip


def scores(plan: SimulatedPlan, effects: Array, habits: Habits, days: int, dice: np.random.Generator) -> Array:
    """What the counted pulls of so many days read.

    Shapes: effects (setups,); result (counted pulls, days).
    Units:  shares of the baseline's score; the baseline reads about one.
    Errors: ValueError naming the argument.
    Source: habits of the simulated stand, whose tests hold the two together.
    >>> plan = lay_out([(0, 0, 1), (1, 0, 1)], 240.0, 0)
    >>> quiet = Habits(scatter=0.0, drift_per_pull=0.0, cold_part=0.0)
    >>> scores(plan, np.array([0.0, 0.01]), quiet, 1, np.random.default_rng(1)).round(3).tolist()
    [[1.0], [1.01]]
    """
    worth = finite("effects", effects)
    if len(worth) < plan.setups:
        raise ValueError(f"effects are of {len(worth)} setups, the plan has {plan.setups}")
    steady = 1 + worth[plan.setup]
    # A warming engine: what is lost comes soon, and less and less of it.
    steady = steady * (1 - habits.warming * -np.expm1(-plan.place / habits.warming_pulls))
    steady = steady * (1 + habits.cold_part * np.exp(-plan.since_change_s / habits.soak_s))
    fitted = dice.normal(0.0, habits.refit_scatter, (int(plan.visit.max()) + 1, days))[plan.visit]
    slopes = dice.normal(habits.drift_per_pull, habits.drift_sd, (int(plan.session.max()) + 1, days))[plan.session]
    drifted = 1 + slopes * plan.place[:, None]
    read = drifted * steady[:, None] * (1 + dice.normal(0.0, habits.scatter, (len(plan.setup), days))) * (1 + fitted)
    return np.asarray(read[plan.counted])


def judge(plan: SimulatedPlan, read: Array, smallest: float = SMALLEST_DIFFERENCE, history: History = USUAL) -> Tally:
    """Each day's verdict: the setup that is ahead of every other, or nobody.

    Shapes: read (counted pulls, days).
    Units:  as `scores`.
    Errors: `effects.NotEnoughPulls` if no setup is pulled twice.
    Source: `effects.fit`, as the verdict uses it.
    >>> plan = lay_out([(0, 0, 2), (1, 0, 2), (0, 0, 1)], 240.0, 0)
    >>> judge(plan, np.array([[1.0], [1.001], [1.05], [1.051], [1.0]])).winner.tolist()
    [0, 1]
    """
    found = fit(read, plan.layout, history)
    days, count = read.shape[1], plan.setups
    best = found.log_mean.argmax(axis=0)
    states = {one: found.ahead(one, range(one), smallest) for one in range(1, count)}
    ahead = {(one, other): states[one][other] for one in states for other in range(one)}
    clear = np.full(days, count > 1)
    for (one, other), state in ahead.items():
        clear &= ((best != one) | (state > 0)) & ((best != other) | (state < 0))
    against = [ahead[setup, 0] for setup in range(1, count)]
    return Tally(
        days, np.bincount(best[clear], minlength=count), int((~clear).sum()),
        np.array([0, *(int((state > 0).sum()) for state in against)]),
        np.array([0, *(int((state < 0).sum()) for state in against)]), int(found.is_bent.sum()),
    )  # fmt: skip


def odds(tally: Tally, effects: Array, smallest: float = SMALLEST_DIFFERENCE) -> Odds:
    """A tally against the truth it was made with.

    Shapes: effects (setups,).
    Units:  shares.
    Errors: ValueError naming the argument.
    Source: house rule: where the best two lie closer than what matters, to call nobody is right and any call is wrong.
    >>> tally = Tally(10, np.array([1, 7]), 2, np.array([0, 7]), np.array([0, 1]))
    >>> odds(tally, np.array([0.0, 0.01])).right
    0.7
    """
    worth = finite("effects", effects)
    order = np.argsort(-worth, kind="stable")
    best = int(order[0])
    is_equal = bool(len(worth) > 1 and worth[best] - worth[order[1]] < smallest)
    called, nobody = tally.winner / tally.days, tally.nobody / tally.days
    right = nobody if is_equal else float(called[best])
    wrong = float(called.sum()) if is_equal else float(called.sum() - called[best])
    return Odds(right, nobody, wrong, is_equal, best)
