"""A plan simulated before it is paid for: how often would it call the right winner? A job, judged as the verdict is."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, replace
from typing import Any

import numpy as np
from torvix_core.judging.drift import DriftPrior
from torvix_core.judging.effects import History, NotEnoughPulls
from torvix_core.planning import simulated_days
from torvix_core.planning.simulated_days import Habits, SimulatedPlan, Tally
from torvix_core.units.quantity_parser import NotUnderstood, read_count, read_quantity

from jobs import kinds
from jobs.kinds import Queue, Watch
from jobs.service import Unusable
from programmes.expectations.service import region_of
from programmes.models import ExpectedMeasure, Programme
from programmes.plan import saving
from shop.refusals import Invalid
from verdicts.prior.scatter_history import scatter_of

KIND = "odds"
MOST_DAYS = 100_000
DAYS_AT_ONCE = 250
SEED = 20_260_101  # the same plan and effects give the same answer


def arguments(programme: Programme, effects: Mapping[int, str], days: str, refit: str) -> dict[str, Any]:
    """What is simulated, from typed texts. Invalid names the field; effects are by setup."""
    plan = saving.plan_in_force(programme)
    if not plan.order:
        raise Invalid("There is no running order to simulate.", fields={"order": "plan one first"})
    wrong: dict[str, str] = {}
    # What fell off the running order is not pulled, so no verdict will name it.
    visited = {visit.setup for visit in plan.order}
    simulated = [place for place in plan.active if place in visited or place == 0]
    worth = [0.0]
    for place in simulated[1:]:
        setup = plan.setups[place]
        worth.append(_share(effects.get(setup.pk or 0, "") or "0", f"effects.{setup.pk}", wrong))
    count = 0
    try:
        count = read_count(days, 10, MOST_DAYS)
    except NotUnderstood as reason:
        wrong["days"] = str(reason)
    scatter = scatter_of(programme)
    refitted = _share(refit or "0", "refit", wrong, low=0.0)
    if wrong:
        raise Invalid("The simulation is not complete: see the fields.", fields=wrong)
    visits = [[simulated.index(visit.setup), visit.session, visit.pulls] for visit in plan.order]
    return {
        "setups": [plan.setups[place].pk for place in simulated], "visits": visits,
        "pull_s": plan.times.one_pull_min * 60, "conditioning": plan.times.conditioning_pulls, "effects": worth,
        "habits": asdict(habits_of(scatter.history, refitted)), "days": count, "smallest": plan.smallest_difference,
        "history": asdict(scatter.history),
    }  # fmt: skip


def habits_of(history: History, refit_scatter: float = 0.0) -> Habits:
    """How the simulated engine behaves: it scatters and drifts as the verdict expects this one to."""
    return replace(
        Habits(), scatter=history.scatter, drift_per_pull=history.drift.mean, drift_sd=history.drift.sd,
        refit_scatter=refit_scatter,
    )  # fmt: skip


def _share(text: str, field: str, wrong: dict[str, str], low: float = -0.5) -> float:
    try:
        return read_quantity(text, "fraction", "%", low, 0.5).value
    except NotUnderstood as reason:
        wrong[field] = str(reason)
        return 0.0


def expected_effects(programme: Programme) -> dict[int, float]:
    """What people expect of each setup's average torque over the range, in the middle, by setup.

    What nobody expects is left out, and so is what names a direction or a region alone.
    """
    found: dict[int, list[float]] = {}
    for setup in programme.setups.all():
        for expectation in setup.expectations.all():
            low, high = expectation.low, expectation.high
            of_the_range = expectation.measure == ExpectedMeasure.AVERAGE_TORQUE and not region_of(expectation).words
            if of_the_range and low is not None and high is not None:
                found.setdefault(setup.pk, []).append((low + high) / 2)
    return {setup: float(np.mean(middles)) for setup, middles in found.items()}


def run(given: dict[str, Any], watch: Watch) -> dict[str, Any]:
    """The job: so many days with the returns to the baseline, and as many without them."""
    effects, smallest = np.array(given["effects"], dtype=np.float64), given["smallest"]
    visits = [(setup, session, pulls) for setup, session, pulls in given["visits"]]
    habits, total = Habits(**given["habits"]), 2 * given["days"]
    known = given["history"]
    history = History(**{**known, "drift": DriftPrior(**known["drift"])})
    result: dict[str, Any] = {"days": 0, "setups": given["setups"], "effects": given["effects"]}
    done = 0
    for name, returns in (("with_returns", True), ("without_returns", False)):
        layout = simulated_days.lay_out(visits, given["pull_s"], given["conditioning"], returns=returns)
        dice, tally = np.random.default_rng(SEED), None
        while watch.wanted() and (tally is None or tally.days < given["days"]):
            days = min(DAYS_AT_ONCE, given["days"] - (tally.days if tally else 0))
            piece = _piece(layout, effects, habits, days, dice, smallest, history)
            tally = piece if tally is None else tally + piece
            done += days
            watch.tell(done, total, f"{done} of {total} days")
        if tally is not None:
            result[name] = _tally_shown(tally, effects, smallest)
            result["days"] = tally.days
    return result


def _piece(
    layout: SimulatedPlan,
    effects: Any,
    habits: Habits,
    days: int,
    dice: np.random.Generator,
    smallest: float,
    history: History,
) -> Tally:
    missing = set(range(len(effects))) - set(layout.setup.tolist())
    if missing:
        raise Unusable("The running order leaves out the baseline: nothing can be held against it.")
    try:
        read = simulated_days.scores(layout, effects, habits, days, dice)
        return simulated_days.judge(layout, read, smallest, history)
    except NotEnoughPulls as reason:
        raise Unusable(f"Such a day could not be judged: {reason}.") from reason


def _tally_shown(tally: Tally, effects: Any, smallest: float) -> dict[str, Any]:
    odds = simulated_days.odds(tally, effects, smallest)

    def shares(counts: Sequence[int]) -> list[float]:
        return [100 * count / tally.days for count in counts]

    return {
        "days": tally.days, "right_percent": 100 * odds.right, "nobody_percent": 100 * odds.nobody,
        "wrong_percent": 100 * odds.wrong, "truth_is_equal": odds.truth_is_equal, "best": odds.best,
        "winner_percent": shares(tally.winner.tolist()), "better_percent": shares(tally.better.tolist()),
        "worse_percent": shares(tally.worse.tolist()),
    }  # fmt: skip


kinds.register(KIND, "Odds of a plan", Queue.LONG, run)
