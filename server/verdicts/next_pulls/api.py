"""The pulls that would decide what is open, over all tests; and one action that plans them."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router
from torvix_core.judging.sentences import signed_percent
from torvix_core.units.grammar import counted, listed

from programmes.models import Programme
from shop.permissions import may_operate, person_of
from shop.schema import Schema
from verdicts.next_pulls import service
from verdicts.next_pulls.service import NextPulls

router = Router(tags=["next pulls"])


class NextPullsOut(Schema):
    """`sentence` says what is open and which pulls would decide it; no minutes where no day has enough."""

    programme_id: int
    question: str
    engine: str
    sentence: str
    minutes: float | None
    price: float | None
    may_plan: bool
    planned: bool


class NextOfAllOut(Schema):
    rows: list[NextPullsOut]
    waiting: int


class PlannedNext(Schema):
    """The test whose plan has them now."""

    programme_id: int


def sentence(found: NextPulls) -> str:
    change = f"{signed_percent(found.change)} ({signed_percent(found.low)} to {signed_percent(found.high)})"
    open_one = f"{found.best.letter} over {found.second.letter}: {change}, undecided."
    if not found.visits:
        return f"{open_one} No day has enough pulls to decide it: they hardly differ, or scatter is large."
    pulls = listed([f"{counted(pulls, 'more pull')} of {setup.letter}" for setup, pulls in found.visits])
    return f"{open_one} {pulls} in one session would decide, if they differ as they do now."


@router.get("/next-pulls", response=NextOfAllOut, operation_id="next_pulls")
def read_next_pulls(request: HttpRequest) -> NextOfAllOut:
    """What is undecided in tests that ran and were not decided by anybody, the quickest to decide first."""
    person = person_of(request)
    found = service.of_all(person)
    return NextOfAllOut(
        rows=[
            NextPullsOut(
                programme_id=one.programme.pk, question=one.programme.question, engine=one.programme.build.engine.name,
                sentence=sentence(one), minutes=one.minutes, price=one.price, planned=one.planned,
                may_plan=may_operate(person) and bool(one.visits) and not one.planned,
            )
            for one in found.rows
        ],
        waiting=found.waiting,
    )  # fmt: skip


@router.post("/programmes/{programme_id}/next-pulls", response=PlannedNext, operation_id="plan_next_pulls")
def plan_next_pulls(request: HttpRequest, programme_id: int) -> PlannedNext:
    """Put the pulls that would decide at the end of the test's running order."""
    person = person_of(request)
    seen = Programme.objects.visible_to(person).select_related("build__engine")
    programme = get_object_or_404(seen.prefetch_related("setups"), pk=programme_id)
    return PlannedNext(programme_id=service.plan_them(person, programme, timezone.now()).pk)
