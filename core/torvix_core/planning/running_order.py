"""In which order the setups are pulled: the least time on the stand, then the visits of each spread over the day.

The baseline opens every session, comes back at least every so many visits, and closes it. A setup may be fixed first or
last, may arrive later than the day begins, or build on another that comes before it. What does not fit into the paid
time or the fuel falls off, the least informative first.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from torvix_core.planning import day
from torvix_core.planning.day import Doing
from torvix_core.planning.day_plan import NoRoom, Order, OrderPlace, OrderProblem, Visit
from torvix_core.planning.order_search import SECONDS, Circuit, Report, SearchResult

PATIENCE_S = 8.0


def solve(problem: OrderProblem, patience_s: float = PATIENCE_S, report: Report | None = None) -> Order:
    """The best order, or the best that was found in time with the bound that is left.

    Shapes: n tasks, change_min (n, n).
    Units:  minutes; fuel in any one unit; patience in seconds.
    Errors: NoRoom if not even the baseline fits; ValueError if sizes differ or two setups have one place.
    Source: travelling through the visits as a circuit with times, solved by constraint programming; checked against
            every order of small cases.
    >>> from torvix_core.planning.day_plan import Task
    >>> change = np.array([[0.0, 10, 12], [10, 0, 2], [12, 2, 0]])
    >>> day = OrderProblem(change, (Task(0), Task(5), Task(5)), return_every=2, opening_min=5, return_min=3)
    >>> found = solve(day)
    >>> len(found.visits), found.total_min, found.proven
    (4, 42.0, True)
    """
    check(problem)
    everything = frozenset(range(1, len(problem.tasks)))
    if not everything:
        return Order((Visit(0),), (), *_baseline_total(problem), True)
    kept, left, sure = everything, patience_s, True
    if _is_limited(problem):
        choice = _choose(problem, everything, patience_s * 0.5, report)
        kept, sure = choice.kept, choice.sure
        left -= choice.seconds
        if not kept:
            return Order((Visit(0),), tuple(sorted(everything)), *_baseline_total(problem), sure)
    model = _begun(problem, kept)
    found = model.least_time(max(left * 0.7, 0.3), report)
    if found is None:
        raise NoRoom("no order was found in time that fits into the paid time")
    left -= found.seconds
    total, bound = found.objective / SECONDS, found.bound / SECONDS
    if found.proven and left > 0:
        found = model.spread(found, min(left, 1.5)) or found
    dropped = tuple(sorted(everything - kept))
    return Order(model.visits(found), dropped, round(total, 6), round(bound, 6), sure and bound >= total - 1e-6)


def check(problem: OrderProblem) -> None:
    """Refuse what no order can satisfy, before anything is searched.

        Shapes: n tasks, change_min (n, n).
        Units:  as `Problem`.
        Errors: as `solve`.
        Source: house rule.
    >>> from torvix_core.planning.day_plan import Task
        >>> check(OrderProblem(np.zeros((1, 1)), (Task(0),)))
    """
    count = len(problem.tasks)
    if problem.change_min.shape != (count, count):
        raise ValueError(f"change_min is {problem.change_min.shape}, there are {count} setups")
    if not np.isfinite(problem.change_min).all() or (problem.change_min < 0).any():
        raise ValueError("change_min must be finite and not below zero")
    if problem.return_every < 1:
        raise ValueError("return_every must be one or more")
    for place in (OrderPlace.FIRST, OrderPlace.LAST):
        if sum(task.place is place for task in problem.tasks) > 1:
            raise ValueError(f"only one setup can be {place}")
    _baseline_total(problem)


def _baseline_total(problem: OrderProblem) -> tuple[float, float]:
    total = problem.warm_up_min + problem.opening_min
    if total > problem.sessions[0].paid_min:
        raise NoRoom(
            f"warm-up and the baseline take {total:.0f} minutes, {problem.sessions[0].paid_min:.0f} minutes are paid"
        )
    if problem.fuel_warm_up + problem.fuel_opening > problem.fuel:
        raise NoRoom("the fuel does not reach for the warm-up and the baseline")
    return total, total


def _is_limited(problem: OrderProblem) -> bool:
    return math.isfinite(problem.fuel) or any(math.isfinite(session.paid_min) for session in problem.sessions)


@dataclass(frozen=True)
class _Choice:
    kept: frozenset[int]
    sure: bool
    seconds: float


def _choose(problem: OrderProblem, everything: frozenset[int], seconds: float, report: Report | None) -> _Choice:
    """Which setups fit. All of them if they do; else they are let in one by one, the most worth first."""
    spent, sure = 0.0, True

    def fits(setups: frozenset[int], share: float) -> SearchResult | None:
        nonlocal spent, sure
        if _surely_too_long(problem, setups):
            return None
        model = _begun(problem, setups)
        found = model.any_order(max((seconds - spent) * share, 0.1), report)
        spent += model.seconds
        sure = sure and (found is not None or model.refuted)
        return found

    if fits(everything, 0.4):
        return _Choice(everything, True, spent)
    sure, kept = True, frozenset[int]()
    for index in sorted(everything, key=lambda one: (-problem.tasks[one].worth, one)):
        base = problem.tasks[index].after
        if base and base not in kept:
            continue
        if fits(kept | {index}, 0.3):
            kept = kept | {index}
    return _Choice(kept, sure, spent)


def _begun(problem: OrderProblem, kept: frozenset[int]) -> Circuit:
    """The search, with an order to begin from: always the nearest setup next."""
    model, visits = Circuit(problem, kept), _nearest_next(problem, kept)
    laid = day.schedule(problem, visits, [""] * len(problem.tasks))
    model.begin_with(visits, [block.start_min for block in laid.blocks if block.doing is Doing.VISIT])
    return model


def _nearest_next(problem: OrderProblem, kept: frozenset[int]) -> list[Visit]:
    """An order found by always going to the setup that is bolted on fastest. It may break rules; it is a beginning."""
    left = [index for index in kept for _ in range(problem.tasks[index].visits)]
    last = [index for index in left if problem.tasks[index].place is OrderPlace.LAST]
    left = [index for index in left if index not in last]
    visits, on, away, session = [Visit(0)], 0, 0, 0

    def clock() -> float:
        return day.schedule(problem, visits, [""] * len(problem.tasks)).finish_min

    def ready(index: int) -> bool:
        task = problem.tasks[index]
        return index != on and (not task.after or task.after not in left)

    while left:
        now = clock()
        able = [index for index in left if ready(index)] or left
        chosen = min(able, key=lambda index: (
            problem.tasks[index].place is not OrderPlace.FIRST,
            max(problem.tasks[index].available_min - now, 0.0) + float(problem.change_min[on, index]), index,
        ))  # fmt: skip
        paid = problem.sessions[session]
        done = max(now, problem.tasks[chosen].available_min) + problem.change_min[on, chosen]
        done += problem.tasks[chosen].visit_min + problem.change_min[chosen, 0] + problem.return_min
        if done > paid.start_min + paid.paid_min and away + 1 < len(visits) and session + 1 < len(problem.sessions):
            if on:
                visits.append(Visit(0, session))
            session, on, away = session + 1, 0, 0
            visits.append(Visit(0, session))
            continue
        if away == problem.return_every:
            visits.append(Visit(0, session))
            on = away = 0
            continue
        visits.append(Visit(chosen, session))
        left.remove(chosen)
        on, away = chosen, away + 1
    if on or len(visits) == 1:
        visits.append(Visit(0, session))
    return [*visits, *(Visit(index, session) for index in last)]


def _surely_too_long(problem: OrderProblem, setups: frozenset[int]) -> bool:
    """True where even changes as short as can be leave no room."""
    tasks = {index: problem.tasks[index] for index in setups}
    visits = sum(task.visits for task in tasks.values() if task.place is not OrderPlace.LAST)
    returns = math.ceil(visits / problem.return_every)
    fuel = problem.fuel_warm_up + problem.fuel_opening + returns * problem.fuel_return
    fuel += sum(task.fuel * task.visits for task in tasks.values())
    if fuel > problem.fuel + 1e-9:
        return True
    among = sorted({0, *setups})
    change = problem.change_min[np.ix_(among, among)] + np.diag(np.full(len(among), np.inf))
    into = change.min(axis=0)
    least = problem.warm_up_min + problem.opening_min + returns * (problem.return_min + into[0])
    least += sum(tasks[index].visits * (tasks[index].visit_min + into[among.index(index)]) for index in setups)
    return bool(least > sum(session.paid_min for session in problem.sessions) + 1e-6)
