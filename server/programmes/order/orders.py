"""Running orders: the search as a job, and any order laid out on the clock with what it costs and breaks."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from datetime import datetime, timedelta
from typing import Any

import numpy as np
from torvix_core.planning import changeover, day, running_order
from torvix_core.planning.day import DaySchedule
from torvix_core.planning.day_plan import NoRoom, Order, OrderPlace, OrderProblem, Paid, Task
from torvix_core.planning.order_search import Report

from engines.models import Build
from jobs import kinds
from jobs.kinds import Queue, Watch
from jobs.service import Unusable
from programmes.plan import plans
from programmes.plan.plans import LITRE, Plan

KIND = "running_order"
LIVE_SETUPS = 10  # up to so many an order is found while somebody edits
PATIENCE_S = 8.0
HOUR = 60.0


@dataclass(frozen=True)
class Stretch:
    """A block of the day on the clock; `setup` is a place in the plan."""

    doing: str
    session: int
    starts_at: datetime | None
    start_min: float
    end_min: float
    setup: int
    visit: int
    previous: int | None
    unpaid: bool
    touched: Sequence[str]


@dataclass(frozen=True)
class LaidOutOrder:
    """The plan's own order on the clock."""

    stretches: Sequence[Stretch]
    total_min: float
    finish_min: float
    finishes_at: datetime | None
    waited_min: float
    fuel: float | None  # m³
    fuel_basis: str
    price: float | None
    broken: Sequence[str]
    missing: Sequence[int]  # setups in the plan that the order leaves out


def lay_out(plan: Plan, build: Build) -> LaidOutOrder:
    """The order of the plan as it stands, whatever it is."""
    need, basis = plans.fuel_need(plan.times, plan.sweep, build)
    problem, active = plans.problem(plan, need), plan.active
    laid = day.schedule(problem, plans.visits_of(plan, need), [plan.setups[place].letter for place in active])
    begin = plans.origin(plan)
    levels, works = plan.levels(), plan.works()

    def stretch(block: day.Block) -> Stretch:
        setup, previous = active[block.setup], None if block.previous is None else active[block.previous]
        touched = [] if previous is None else changeover.touched(levels[previous], levels[setup], works)
        return Stretch(
            block.doing, block.session, begin and begin + timedelta(minutes=block.start_min), block.start_min,
            block.end_min, setup, block.visit, previous, block.unpaid, [plan.label(key) for key in touched],
        )  # fmt: skip

    price = plan.times.hour_price
    visited = {visit.setup for visit in plan.order}
    return LaidOutOrder(
        [stretch(block) for block in laid.blocks], laid.total_min, laid.finish_min,
        begin and begin + timedelta(minutes=laid.finish_min), laid.waited_min,
        None if need is None else laid.fuel * LITRE, basis,
        None if price is None else float(price) * laid.total_min / HOUR, laid.broken,
        [place for place in active if place not in visited],
    )  # fmt: skip


def arguments(plan: Plan, build: Build) -> dict[str, Any]:
    """What the search needs, as plain JSON: the worker looks at no table."""
    need, _ = plans.fuel_need(plan.times, plan.sweep, build)
    problem = plans.problem(plan, need)
    plain = asdict(problem) | {"change_min": problem.change_min.tolist()}
    return {
        "problem": _finite(plain), "active": plan.active,
        "letters": [plan.setups[place].letter for place in plan.active],
        "has_clock": bool(plan.sessions),
    }  # fmt: skip


def _finite(value: Any) -> Any:
    """JSON has no infinity: no limit is null there."""
    if isinstance(value, dict):
        return {key: _finite(each) for key, each in value.items()}
    if isinstance(value, list | tuple):
        return [_finite(each) for each in value]
    return None if isinstance(value, float) and math.isinf(value) else value


def _problem(told: Mapping[str, Any]) -> OrderProblem:
    def limit(value: float | None) -> float:
        return math.inf if value is None else value

    plain = {key: value for key, value in told.items() if key not in ("change_min", "tasks", "sessions", "fuel")}
    return OrderProblem(
        change_min=np.array(told["change_min"], dtype=np.float64),
        tasks=tuple(Task(**{**task, "place": OrderPlace(task["place"])}) for task in told["tasks"]),
        sessions=tuple(Paid(one["start_min"], limit(one["paid_min"])) for one in told["sessions"]),
        fuel=limit(told["fuel"]), **plain,
    )  # fmt: skip


def search(given: dict[str, Any], watch: Watch) -> dict[str, Any]:
    """The job: the best order, what falls off, and what would help. Visits name places in the plan."""
    problem, active, letters = _problem(given["problem"]), given["active"], given["letters"]

    def report(total: float, bound: float) -> bool:
        if math.isfinite(total) and total > 0:
            watch.tell(progress_text=f"{total:.0f} minutes found, at least {max(bound, 0):.0f} needed")
        return watch.wanted()

    try:
        found = running_order.solve(problem, PATIENCE_S, report)
    except NoRoom as reason:
        raise Unusable(_no_room(problem, str(reason))) from reason
    laid = day.of_order(problem, found, letters)
    advice = [*_advice(problem, found, laid, letters, report)] if watch.wanted() else []
    return {
        "visits": [[active[visit.setup], visit.session] for visit in found.visits],
        "dropped": [active[index] for index in found.dropped], "total_min": found.total_min,
        "bound_min": found.bound_min, "proven": found.proven, "advice": advice,
    }  # fmt: skip


def _no_room(problem: OrderProblem, reason: str) -> str:
    """Why there is no order, and the nearest that there would be."""
    least = _smallest_day(problem)
    return f"The day is too short: {reason}. The baseline and one setup take {least:.0f} minutes: pay for so many."


def _smallest_day(problem: OrderProblem) -> float:
    """Minutes of the shortest day that compares anything: the baseline, one setup, and the baseline again."""
    change = problem.change_min
    others = [
        float(change[0, index] + task.visit_min + change[index, 0]) for index, task in enumerate(problem.tasks) if index
    ]
    return problem.warm_up_min + problem.opening_min + min(others, default=0.0) + problem.return_min


def _advice(
    problem: OrderProblem, found: Order, laid: DaySchedule, letters: Sequence[str], report: Report
) -> list[str]:
    lines = []
    if not found.proven:
        lines.append(
            f"The best order that was found in time: {found.total_min:.0f} minutes. No order can take less than "
            f"{found.bound_min:.0f}."
        )
    if found.dropped:
        lines.append(f"Falls off, least informative first: {', '.join(letters[index] for index in found.dropped)}.")
        if needed := [letters[index] for index in found.dropped if problem.tasks[index].worth >= plans.PROTECTED_WORTH]:
            lines.append(f"The question is about {' and '.join(needed)}, and it does not fit: pay for more time, make "
                        "the day shorter, or ask another question.")  # fmt: skip
        lines += _late(problem, found, letters)
        lines.append(_hour_more(problem, found, letters, report))
    if len(found.visits) < 3 and len(problem.tasks) > 1:
        lines.append(f"The baseline and one setup take {_smallest_day(problem):.0f} minutes: pay for so many.")
    fixed = [index for index, task in enumerate(problem.tasks) if task.place is not OrderPlace.FREE]
    if fixed and (laid.waited_min > 0 or found.dropped):
        lines += _freed(problem, found, letters, fixed, report)
    elif laid.waited_min > 0:
        lines.append(f"{laid.waited_min:.0f} minutes are waited for parts.")
    return lines


def _late(problem: OrderProblem, found: Order, letters: Sequence[str]) -> list[str]:
    end = max(session.start_min + session.paid_min for session in problem.sessions)
    return [
        f"{letters[index]} arrives when the paid time is over: it cannot be pulled in this plan."
        for index in found.dropped
        if problem.tasks[index].available_min >= end
    ]


def _hour_more(problem: OrderProblem, found: Order, letters: Sequence[str], report: Report) -> str:
    """What one more paid hour buys at the end of the last session."""
    last = problem.sessions[-1]
    longer = replace(problem, sessions=(*problem.sessions[:-1], Paid(last.start_min, last.paid_min + HOUR)))
    more = running_order.solve(longer, PATIENCE_S / 2, report)
    won = [letters[index] for index in found.dropped if index not in more.dropped]
    return f"One more hour buys {' and '.join(won)}." if won else "One more hour buys no further setup."


def _freed(
    problem: OrderProblem, found: Order, letters: Sequence[str], fixed: Sequence[int], report: Report
) -> list[str]:
    """What it costs that a setup has a fixed place while others arrive late."""
    free = replace(problem, tasks=tuple(replace(task, place=OrderPlace.FREE) for task in problem.tasks))
    other = running_order.solve(free, PATIENCE_S / 2, report)
    names = " and ".join(letters[index] for index in fixed)
    won = [letters[index] for index in found.dropped if index not in other.dropped]
    if won:
        return [f"With {names} free to stand anywhere, {' and '.join(won)} would fit."]
    if not found.dropped and other.total_min < found.total_min - 0.5:
        return [
            f"The fixed place of {names} contradicts what arrives when: it costs "
            f"{found.total_min - other.total_min:.0f} minutes. Freed, the day takes {other.total_min:.0f}."
        ]
    return []


kinds.register(KIND, "Running order", Queue.QUICK, search)
