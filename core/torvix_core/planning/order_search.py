"""The search for a running order: visits as a circuit with times, handed to a constraint solver."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import TYPE_CHECKING, Any

from torvix_core.planning.day_plan import OrderPlace, OrderProblem, Visit

if TYPE_CHECKING:
    from ortools.sat.python import cp_model

SECONDS = 60  # the solver counts whole seconds
FUEL_STEPS = 1000  # and fuel in thousandths of the unit that it is told in

Report = Callable[[float, float], bool]  # total and bound in minutes; False stops the search


@dataclass(frozen=True)
class SearchResult:
    """What a search brought: values of the variables by node, and how good they are."""

    follows: dict[int, int]
    starts: dict[int, int]
    objective: float
    bound: float
    proven: bool
    seconds: float


class Circuit:
    """The circuit. Node 0 is the world outside; then the baseline's visits of each session, then all others."""

    def __init__(self, problem: OrderProblem, kept: frozenset[int]) -> None:
        from ortools.sat.python import cp_model

        self.problem = problem
        self.model = cp_model.CpModel()
        self.setup: list[int] = [-1]
        self.session_of: dict[int, int] = {}
        self.length: list[int] = [0]
        self.visits_of: dict[int, list[int]] = {}
        tasks = sorted(kept)
        visits = sum(
            problem.tasks[index].visits for index in tasks if problem.tasks[index].place is not OrderPlace.LAST
        )
        returns = max(1, math.ceil(visits / problem.return_every))
        # With one session and nothing to wait for, the visits follow each other without a gap.
        late = sum(problem.tasks[index].available_min > 0 for index in tasks)
        self.waits = len(problem.sessions) > 1 or late > 0
        returns = max(returns, min(returns + late, visits))  # one more may shorten the change once a part has come
        self.baseline = [
            [self._node(0, problem.opening_min if back == 0 else problem.return_min) for back in range(returns + 1)]
            for _ in problem.sessions
        ]
        self.visits_of = {
            index: [self._node(index, problem.tasks[index].visit_min) for _ in range(problem.tasks[index].visits)]
            for index in tasks
        }
        self.is_opening = {group[0] for group in self.baseline}
        self._times()
        self._circuit()
        self._rules()
        self._limits()

    def _node(self, setup: int, minutes: float) -> int:
        self.setup.append(setup)
        self.length.append(in_seconds(minutes))
        return len(self.setup) - 1

    def _times(self) -> None:
        """When each visit starts, in whole seconds on the clock of the sessions."""
        problem = self.problem
        longest = int(problem.change_min.max() * SECONDS) + 1
        horizon = sum(self.length) + longest * len(self.length) + sum(
            in_seconds(session.start_min + problem.warm_up_min) for session in problem.sessions
        ) + max((in_seconds(task.available_min) for task in problem.tasks), default=0)  # fmt: skip
        self.horizon = horizon
        self.hinted: tuple[dict[int, int], dict[int, int]] | None = None
        self.start = [self.model.new_int_var(0, horizon, f"start {node}") for node in range(len(self.setup))]
        self.load = {
            node: self.model.new_int_var(1, problem.return_every, f"load {node}") for node in self._task_nodes()
        }
        self.there = [self.model.new_bool_var(f"there {node}") for node in range(len(self.setup))]
        for session, group in zip(problem.sessions, self.baseline, strict=True):
            begin = in_seconds(session.start_min + problem.warm_up_min)
            for node in group:
                self.model.add(self.start[node] >= begin)
            for before, after in pairwise(group):
                self.model.add_implication(self.there[after], self.there[before])
                self.model.add(self.start[before] + self.length[before] <= self.start[after])
            if math.isfinite(session.paid_min):
                end = in_seconds(session.start_min + session.paid_min)
                for node in group:
                    self.model.add(self.start[node] + self.length[node] <= end).only_enforce_if(self.there[node])

    def _task_nodes(self) -> Iterator[int]:
        for nodes in self.visits_of.values():
            yield from nodes

    def _circuit(self) -> None:
        self.arcs: list[tuple[int, int, cp_model.LiteralT]] = []
        last = {node for index, nodes in self.visits_of.items() for node in nodes
                if self.problem.tasks[index].place is OrderPlace.LAST}  # fmt: skip
        first = {node for index, nodes in self.visits_of.items() for node in nodes[:1]
                 if self.problem.tasks[index].place is OrderPlace.FIRST}  # fmt: skip
        opening = self.baseline[0][0]
        self._arc(0, opening)
        for session, group in enumerate(self.baseline):
            for place, node in enumerate(group):
                # Without waiting every visit to the baseline is made, so the last of them closes the day.
                closes, goes_on = (True, True) if self.waits else (node == group[-1], node != group[-1])
                if place and closes:
                    self._arc(node, 0)
                    for later in self.baseline[session + 1 :]:
                        self._arc(node, later[0], gap=True)
                for task in self._task_nodes():
                    # The one that is fixed first follows the opening, and nothing else does.
                    may_follow = (task in first) == (node == opening) if first else True
                    is_last = task in last
                    if (may_follow and not is_last and goes_on) or (is_last and closes):
                        self._arc(node, task, load=0 if is_last else 1)
                    if place and not is_last:
                        self._arc(task, node)
        for one in self._task_nodes():
            if one in last:
                self._arc(one, 0)
                continue
            for other in self._task_nodes():
                if self.setup[one] != self.setup[other] and other not in last and other not in first:
                    self._arc(one, other, load=None)
        for node in range(1, len(self.setup)):
            if self.waits and node != opening and node not in self.load:
                self.arcs.append((node, node, self.there[node].negated()))
            else:
                self.model.add(self.there[node] == 1)
        self.model.add_circuit(self.arcs)

    def _arc(self, one: int, other: int, *, load: int | None = 0, gap: bool = False) -> None:
        """From one visit to the next. `load` is how many visits stand since the baseline; None counts one more."""
        taken = self.model.new_bool_var(f"{one} to {other}")
        self.arcs.append((one, other, taken))
        if one and other and not gap:
            change = in_seconds(self.problem.change_min[self.setup[one], self.setup[other]])
            then = self.start[one] + self.length[one] + change
            rule = self.start[other] >= then if self.waits else self.start[other] == then
            self.model.add(rule).only_enforce_if(taken)
            if arrives := in_seconds(self.problem.tasks[self.setup[other]].available_min):
                # What is not there cannot be bolted on.
                self.model.add(self.start[other] >= arrives + change).only_enforce_if(taken)
        elif gap:
            self.model.add(self.start[other] >= self.start[one] + self.length[one]).only_enforce_if(taken)
        if load == 1:
            self.model.add(self.load[other] == 1).only_enforce_if(taken)
        elif load is None:
            self.model.add(self.load[other] == self.load[one] + 1).only_enforce_if(taken)

    def _rules(self) -> None:
        """Visits of one setup in their order; what builds on a setup comes after it."""
        for index, nodes in self.visits_of.items():
            task = self.problem.tasks[index]
            for before, after in pairwise(nodes):
                self.model.add(self.start[before] + self.length[before] <= self.start[after])
            if task.after and task.after in self.visits_of:
                base = self.visits_of[task.after][0]
                self.model.add(self.start[base] + self.length[base] <= self.start[nodes[0]])

    def _limits(self) -> None:
        """The fuel, and what there is of paid time."""
        problem = self.problem
        fuel: list[tuple[int, int]] = [
            (_fuel(problem.fuel_warm_up + problem.fuel_opening), group[0]) for group in self.baseline
        ]
        fuel += [(_fuel(problem.fuel_return), node) for group in self.baseline for node in group[1:]]
        fuel += [(_fuel(problem.tasks[self.setup[node]].fuel), node) for node in self._task_nodes()]
        if math.isfinite(problem.fuel):
            self.model.add(sum(amount * self.there[node] for amount, node in fuel) <= math.floor(
                problem.fuel * FUEL_STEPS + 1e-6))  # fmt: skip
        work: Any = sum(
            in_seconds(problem.change_min[self.setup[one], self.setup[other]]) * taken
            for one, other, taken in self.arcs
            if one and other and one != other and other not in self.is_opening
        )
        work += sum(self.length[node] * self.there[node] for node in range(1, len(self.setup)))
        work += sum(in_seconds(problem.warm_up_min) * self.there[group[0]] for group in self.baseline)
        if self.waits:
            self.spent: cp_model.LinearExprT = self._with_waits(work)
        else:
            self.spent = work
            if math.isfinite(problem.sessions[0].paid_min):
                self.model.add(work <= in_seconds(problem.sessions[0].paid_min))

    def _with_waits(self, work: cp_model.LinearExprT) -> cp_model.IntVar:
        """What the sessions take from start to end, which is the work and whatever is waited for."""
        problem, taken, self.ends = self.problem, [], []
        for session, group in zip(problem.sessions, self.baseline, strict=True):
            end = self.model.new_int_var(0, self.horizon, "end")
            for node in group:
                self.model.add(end >= self.start[node] + self.length[node]).only_enforce_if(self.there[node])
            self.ends.append(end)
            length = self.model.new_int_var(0, self.horizon, "length")
            self.model.add(length >= end - in_seconds(session.start_min)).only_enforce_if(self.there[group[0]])
            taken.append(length)
        for index, nodes in self.visits_of.items():
            if problem.tasks[index].place is OrderPlace.LAST:
                self._last_ends(nodes[-1])
        spent = self.model.new_int_var(0, self.horizon * len(self.baseline), "spent")
        self.model.add(spent == sum(taken))
        self.model.add(spent >= work)
        return spent

    def _last_ends(self, node: int) -> None:
        """The setup that the day ends with lies inside the session of the baseline before it."""
        into = {one: taken for one, other, taken in self.arcs if other == node and one != node}
        for end, session, group in zip(self.ends, self.problem.sessions, self.baseline, strict=True):
            for one in group:
                if one in into:
                    done = self.start[node] + self.length[node]
                    self.model.add(end >= done).only_enforce_if(into[one])
                    if math.isfinite(session.paid_min):
                        limit = in_seconds(session.start_min + session.paid_min)
                        self.model.add(done <= limit).only_enforce_if(into[one])

    def any_order(self, seconds: float, report: Report | None) -> SearchResult | None:
        """An order that keeps all limits, or None; then `refuted` says whether there surely is none."""
        return self._search(seconds, None, report)

    def least_time(self, seconds: float, report: Report | None) -> SearchResult | None:
        self.model.minimize(self.spent)
        return self._search(seconds, report, report)

    def begin_with(self, visits: Sequence[Visit], starts_min: Sequence[float]) -> None:
        """Begin the search at this order, if it keeps the rules: the first answer is then at hand."""
        baseline = [list(group) for group in self.baseline]
        waiting = {index: list(nodes) for index, nodes in self.visits_of.items()}
        try:
            nodes = [(waiting[visit.setup] if visit.setup else baseline[visit.session]).pop(0) for visit in visits]
        except (IndexError, KeyError):
            return
        if any(waiting.values()):
            return
        follows = dict(zip([0, *nodes], [*nodes, 0], strict=True))
        self.hinted = follows, {node: in_seconds(start) for node, start in zip(nodes, starts_min, strict=True)}

    def spread(self, best: SearchResult, seconds: float) -> SearchResult | None:
        """Of the orders that take the least time, the one whose visits of each setup stand furthest apart."""
        self.model.add(self.spent <= int(best.objective))
        gaps = []
        groups = [*self.baseline, *(nodes for nodes in self.visits_of.values() if len(nodes) > 1)]
        for nodes in groups:
            shortest = self.model.new_int_var(0, self.horizon, "gap")
            for before, after in pairwise(nodes):
                self.model.add(shortest <= self.start[after] - self.start[before]).only_enforce_if(self.there[after])
            self.model.add(shortest == 0).only_enforce_if(self.there[nodes[1]].negated())
            gaps.append(shortest)
        self.model.maximize(sum(gaps))
        self.hinted = best.follows, best.starts
        return self._search(seconds, None, None)

    def _search(self, seconds: float, report: Report | None, stop: Report | None) -> SearchResult | None:
        from ortools.sat.python import cp_model

        solver = cp_model.CpSolver()
        # One worker: the same question gets the same answer, so an order does not jump about while it is edited.
        solver.parameters.num_workers = 1
        solver.parameters.random_seed = 1
        solver.parameters.max_time_in_seconds = max(seconds, 0.05)
        self.model.clear_hints()  # type: ignore[no-untyped-call]
        if self.hinted:
            follows, starts = self.hinted
            for one, other, taken in self.arcs:
                self.model.add_hint(taken, follows.get(one, one) == other)  # type: ignore[arg-type]
            for node, at in starts.items():
                self.model.add_hint(self.start[node], at)
            since = 0
            node = follows[0]
            while node:
                since = since + 1 if node in self.load else 0
                if node in self.load:
                    self.model.add_hint(self.load[node], min(since, self.problem.return_every))
                node = follows[node]
        watch = _Watch(solver, report, stop)
        status = solver.solve(self.model, watch.callback)
        self.seconds, self.refuted = solver.wall_time, status == cp_model.INFEASIBLE
        if status not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
            return None
        follows = {one: other for one, other, taken in self.arcs if one != other and solver.boolean_value(taken)}
        return SearchResult(
            follows, {node: solver.value(start) for node, start in enumerate(self.start)}, solver.objective_value,
            solver.best_objective_bound, status == cp_model.OPTIMAL, solver.wall_time,
        )  # fmt: skip

    def visits(self, found: SearchResult) -> tuple[Visit, ...]:
        ordered, node, session = [], found.follows[0], -1
        while node:
            session += node in self.is_opening
            if node in self.is_opening:
                session = next(place for place, group in enumerate(self.baseline) if group[0] == node)
            ordered.append(Visit(self.setup[node], session))
            node = found.follows[node]
        return tuple(ordered)


class _Watch:
    """Tells how the search goes, and stops it when nobody wants it any more."""

    def __init__(self, solver: cp_model.CpSolver, report: Report | None, stop: Report | None) -> None:
        from ortools.sat.python import cp_model

        class Callback(cp_model.CpSolverSolutionCallback):
            def on_solution_callback(self) -> None:
                total, bound = self.objective_value / SECONDS, self.best_objective_bound / SECONDS
                if report is not None and not report(total, bound):
                    self.stop_search()

        self.callback = Callback()
        if stop is not None:
            solver.best_bound_callback = lambda bound: None if stop(math.nan, bound / SECONDS) else solver.stop_search()


def in_seconds(minutes: float) -> int:
    """Minutes as the solver counts.

    Shapes: scalar.
    Units:  minutes; result in whole seconds.
    Errors: none.
    Source: definition.
    >>> in_seconds(1.5)
    90
    """
    return round(minutes * SECONDS)


def _fuel(amount: float) -> int:
    return math.ceil(amount * FUEL_STEPS - 1e-6)
