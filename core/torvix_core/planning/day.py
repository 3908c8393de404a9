"""The planned day against the clock: what happens when, in any order, and what an order breaks or waits for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from torvix_core.planning.day_plan import Order, OrderPlace, OrderProblem, Visit


class Doing(StrEnum):
    WARM_UP = "warm_up"
    CHANGE = "change"
    WAIT = "wait"  # for a part that has not arrived
    VISIT = "visit"


@dataclass(frozen=True)
class Block:
    """A stretch of the day; minutes on the clock of the sessions. `visit` counts through the order, -1 for warm-up."""

    doing: Doing
    session: int
    start_min: float
    end_min: float
    setup: int
    visit: int = -1
    previous: int | None = None  # what was on the engine before a change
    fuel: float = 0.0
    unpaid: bool = False  # ends after what is paid


@dataclass(frozen=True)
class DaySchedule:
    """An order on the clock. `broken` says in words what it does not keep; empty for an order of the planner."""

    blocks: tuple[Block, ...]
    total_min: float
    finish_min: float
    waited_min: float
    fuel: float
    broken: tuple[str, ...]


def schedule(problem: OrderProblem, visits: Sequence[Visit], names: Sequence[str]) -> DaySchedule:
    """Lay an order out on the clock, whatever order it is.

    Shapes: visits (k,), names of the setups (n,).
    Units:  minutes; fuel as the problem has it.
    Errors: ValueError if a visit names a setup or session that is not there, or sessions run backwards.
    Source: sums along the order; each part is waited for.
    >>> import numpy as np
    >>> from torvix_core.planning.day_plan import Task
    >>> change = np.array([[0.0, 10], [10, 0]])
    >>> problem = OrderProblem(change, (Task(0), Task(5)), opening_min=5, return_min=3, warm_up_min=20)
    >>> day = schedule(problem, [Visit(0), Visit(1), Visit(0)], "AB")
    >>> [(block.doing.value, block.end_min) for block in day.blocks][:3], day.total_min, day.broken
    ([('warm_up', 20.0), ('visit', 25.0), ('change', 35.0)], 53.0, ())
    """
    blocks: list[Block] = []
    session, clock, on, total, waited = -1, 0.0, 0, 0.0, 0.0
    for place, visit in enumerate(visits):
        if not 0 <= visit.setup < len(problem.tasks) or not 0 <= visit.session < len(problem.sessions):
            raise ValueError(f"visit {place + 1} names what is not in the plan")
        if visit.session < session:
            raise ValueError("sessions follow each other")
        paid = problem.sessions[visit.session]
        opens = visit.session > session
        if opens:
            if session >= 0:
                total += clock - problem.sessions[session].start_min
            session, clock = visit.session, paid.start_min
            blocks.append(Block(Doing.WARM_UP, session, clock, clock + problem.warm_up_min, on,
                                fuel=problem.fuel_warm_up))  # fmt: skip
            clock += problem.warm_up_min
        task = problem.tasks[visit.setup]
        change = float(problem.change_min[on, visit.setup])
        if visit.setup and (idle := task.available_min - clock) > 1e-9:
            blocks.append(Block(Doing.WAIT, session, clock, clock + idle, visit.setup, place))
            waited, clock = waited + idle, clock + idle
        if on != visit.setup:
            blocks.append(Block(Doing.CHANGE, session, clock, clock + change, visit.setup, place, on))
            clock += change
        length, fuel = task.visit_min, task.fuel
        if visit.setup == 0:
            length, fuel = (
                (problem.opening_min, problem.fuel_opening) if opens else (problem.return_min, problem.fuel_return)
            )
        length = length if visit.minutes is None else visit.minutes
        fuel = fuel if visit.fuel is None else visit.fuel
        blocks.append(Block(Doing.VISIT, session, clock, clock + length, visit.setup, place, fuel=fuel))
        clock, on = clock + length, visit.setup
    if session >= 0:
        total += clock - problem.sessions[session].start_min
    blocks = [
        replace(block, unpaid=block.end_min > problem.sessions[block.session].start_min
                + problem.sessions[block.session].paid_min + 1e-9)
        for block in blocks
    ]  # fmt: skip
    burnt = sum(block.fuel for block in blocks)
    broken = (*_broken(problem, visits, names), *_overrun(problem, blocks, burnt))
    return DaySchedule(tuple(blocks), round(total, 6), round(clock, 6), round(waited, 6), burnt, broken)


def of_order(problem: OrderProblem, order: Order, names: Sequence[str]) -> DaySchedule:
    """The day of an order that the planner found.

    Shapes: as `schedule`.
    Units:  as `schedule`.
    Errors: as `schedule`.
    Source: `schedule`.
    >>> import numpy as np
    >>> from torvix_core.planning.day_plan import Task
    >>> from torvix_core.planning.running_order import solve
    >>> problem = OrderProblem(np.zeros((1, 1)), (Task(0),), opening_min=5)
    >>> of_order(problem, solve(problem), "A").finish_min
    5.0
    """
    return schedule(problem, order.visits, names)


def _broken(problem: OrderProblem, visits: Sequence[Visit], names: Sequence[str]) -> list[str]:
    """Rules of the plan that an order does not keep."""
    found: list[str] = []
    for session in sorted({visit.session for visit in visits}):
        inside = [visit.setup for visit in visits if visit.session == session]
        told = f" of session {session + 1}" if len(problem.sessions) > 1 else ""
        if inside[0] != 0:
            found.append(f"The day{told} does not begin with the baseline, {names[0]}.")
        last = inside[-1]
        ends_fixed = problem.tasks[last].place is OrderPlace.LAST
        if last != 0 and len(inside) > 1 and not (ends_fixed and inside[-2] == 0):
            found.append(f"The day{told} does not come back to {names[0]} at its end: drift cannot be seen.")
        if (longest := _longest_away(problem, inside)) > problem.return_every:
            found.append(
                f"{longest} setups stand between two visits to {names[0]}{told}; at most {problem.return_every} should."
            )
    order = [visit.setup for visit in visits]
    for setup, task in enumerate(problem.tasks):
        if setup == 0 or setup not in order:
            continue
        if task.place is OrderPlace.LAST and order[-1] != setup:
            found.append(f"{names[setup]} should end the day.")
        if task.place is OrderPlace.FIRST and next((one for one in order if one), setup) != setup:
            found.append(f"{names[setup]} should come first after {names[0]}.")
        if task.after and (task.after not in order or order.index(task.after) > order.index(setup)):
            found.append(f"{names[setup]} builds on {names[task.after]} and comes before it.")
        if order.count(setup) != task.visits:
            found.append(f"{names[setup]} is visited {order.count(setup)} times, {task.visits} are planned.")
    return found


def _longest_away(problem: OrderProblem, inside: Sequence[int]) -> int:
    longest = away = 0
    for setup in inside:
        away = 0 if setup == 0 or problem.tasks[setup].place is OrderPlace.LAST else away + 1
        longest = max(longest, away)
    return longest


def _overrun(problem: OrderProblem, blocks: Sequence[Block], fuel: float) -> list[str]:
    found = []
    for session, paid in enumerate(problem.sessions):
        end = max((block.end_min for block in blocks if block.session == session), default=0.0)
        over = end - paid.start_min - paid.paid_min
        if over > 1e-9:
            told = f"Session {session + 1}" if len(problem.sessions) > 1 else "The day"
            found.append(f"{told} runs {over:.0f} minutes over the paid time.")
    if fuel > problem.fuel + 1e-9:
        found.append("The fuel does not reach.")
    return found
