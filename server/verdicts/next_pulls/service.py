"""Over all open tests: what the verdict cannot decide, the pulls that would, what they take and cost."""

from __future__ import annotations

from collections.abc import Iterable, Sequence, Set
from dataclasses import dataclass, replace
from datetime import datetime

from django.db.models import Exists, F, Max, OuterRef, Q, QuerySet, Subquery
from torvix_core.planning import changeover

from programmes.models import Programme, Setup, Step
from programmes.plan import saving
from programmes.plan.plans import PLAN_ROWS, Plan, PlannedVisit, of_programme
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Refusal
from stand.models import Pull, Standing
from verdicts.models import Decision
from verdicts.results import service as results


class NothingToDecide(Refusal):
    """The test has changed since: nothing of it is undecided, or no day has enough pulls."""

    code = "nothing_to_decide"


@dataclass(frozen=True)
class NextPulls:
    """A test whose best two setups are not decided. `visits` in the order to make them, with the pulls that count.

    `change` of the best over the next with its 95 % interval, shares. Minutes and price are None where no day has
    enough pulls. `planned`: its plan has such visits already, which nobody has made yet.
    """

    programme: Programme
    best: Setup
    second: Setup
    change: float
    low: float
    high: float
    visits: Sequence[tuple[Setup, int]]
    minutes: float | None
    price: float | None
    planned: bool


@dataclass(frozen=True)
class NextOfAll:
    """The quickest first; `waiting` are tests whose result is not made yet."""

    rows: Sequence[NextPulls]
    waiting: int


def open_tests_of(person: Person) -> QuerySet[Programme]:
    """Tests that ran, are in the lists, and were not decided since their last accepted pull."""
    pulls = Pull.objects.filter(session__programme=OuterRef("pk"), standing=Standing.ACCEPTED).order_by()
    last_pull = pulls.values("session__programme").annotate(last=Max("armed_at")).values("last")
    decided = Decision.objects.filter(programme=OuterRef("pk")).order_by()
    last_decision = decided.values("programme").annotate(last=Max("at")).values("last")
    ran = Programme.objects.visible_to(person).filter(Exists(pulls), archived_at=None, practice=None)
    found = ran.annotate(last_pull=Subquery(last_pull), last_decision=Subquery(last_decision))
    return found.filter(Q(last_decision=None) | Q(last_decision__lt=F("last_pull")))


def of_all(person: Person) -> NextOfAll:
    """In as many queries as for one test."""
    seen = open_tests_of(person).order_by("-pk")
    found = results.results_of(list(seen.values_list("pk", flat=True)))
    undecided = {pk: result.undecided for pk, result in found.of.items() if result.undecided}
    tests = Programme.objects.filter(pk__in=undecided).select_related("build__engine", "day_rules")
    made = _visits_made(undecided)
    rows = []
    for programme in tests.prefetch_related(*PLAN_ROWS, "build__readings"):
        row = _next_of(programme, of_programme(programme), undecided[programme.pk], made)
        if row is not None:
            rows.append(row)
    rows.sort(key=lambda one: (one.planned, one.minutes is None, one.minutes or 0.0))
    return NextOfAll(rows, len(found.waiting))


def _visits_made(programme_ids: Iterable[int]) -> Set[int]:
    """Visits of the running orders that pulls were made for."""
    steps = Step.objects.filter(programme__in=list(programme_ids), pulls_made__isnull=False)
    return set(steps.values_list("pk", flat=True))


def _next_of(programme: Programme, plan: Plan, pair: object, made: Set[int]) -> NextPulls | None:
    assert isinstance(pair, dict)
    setups = {setup.pk: setup for setup in programme.setups.all()}
    if any(pk not in setups for pk in pair["setups"]):
        return None
    best, second = (setups[pk] for pk in pair["setups"])
    change, low, high = pair["change"]
    visits = [(setups[pk], pulls) for pk, pulls in pair["pulls"]]
    minutes = _minutes(plan, visits) if visits else None
    hour = plan.times.hour_price
    price = None if hour is None or minutes is None else float(hour) * minutes / 60
    return NextPulls(
        programme,
        best,
        second,
        change,
        low,
        high,
        visits,
        minutes,
        price,
        bool(visits) and _is_planned(plan, visits, made),
    )


def _places(plan: Plan) -> dict[int, int]:
    return {setup.pk: place for place, setup in enumerate(plan.setups) if setup.pk is not None}


def _minutes(plan: Plan, visits: Sequence[tuple[Setup, int]]) -> float:
    """A session of its own: warm-up, then each setup put on in turn, the first in place of the baseline."""
    places, levels, works = _places(plan), plan.levels(), plan.works()
    on, total = 0, plan.times.warm_up_min
    for setup, pulls in visits:
        place = places[setup.pk]
        total += changeover.minutes(levels[on], levels[place], works)
        total += replace(plan.times, tuning_min=0.0).visit_min(pulls, first=False)
        on = place
    return total


def _is_planned(plan: Plan, visits: Sequence[tuple[Setup, int]], made: Set[int]) -> bool:
    """Whether its order ends with these visits, and nobody has made them."""
    places = _places(plan)
    wanted = [(places[setup.pk], pulls) for setup, pulls in visits]
    last = plan.order[-len(wanted) :]
    return [(visit.setup, visit.pulls) for visit in last] == wanted and not any(visit.pk in made for visit in last)


def plan_them(person: Person, programme: Programme, at: datetime) -> Programme:
    """Put the pulls that would decide at the end of the running order, as the next version of the plan."""
    require_operator(person)
    result = results.results_of([programme.pk]).of.get(programme.pk)
    plan = saving.plan_in_force(programme)
    row = (
        None
        if result is None or result.undecided is None
        else _next_of(programme, plan, result.undecided, _visits_made([programme.pk]))
    )
    if row is None or not row.visits:
        raise NothingToDecide("Nothing of this test is undecided that so many pulls would decide. Look at its verdict.")
    if row.planned:
        raise NothingToDecide("These pulls stand at the end of the plan already.")
    places = _places(plan)
    session = max((visit.session for visit in plan.order), default=0)
    added = [PlannedVisit(places[setup.pk], pulls, session) for setup, pulls in row.visits]
    return saving.change_plan(person, programme, replace(plan, order=[*plan.order, *added]), at)
