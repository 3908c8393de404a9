"""Where each test stands: counted by the database for a page of them at once, whatever their pulls."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from django.db.models import Count, Exists, F, OuterRef, QuerySet, Subquery
from django.db.models.functions import Coalesce
from torvix_core.air.standards import Standard
from torvix_core.units.grammar import counted

from programmes.listing.access import readable
from programmes.models import Programme
from shop.models import Person, Role
from shop.refusals import Refusal
from stand.models import OpenJob, Pull, PullState, Session, Standing
from verdicts.access import programme_of
from verdicts.judging import answers
from verdicts.judging.choice import Choice
from verdicts.models import Decision, Sheet

if TYPE_CHECKING:
    from datetime import datetime

SEARCHED = ("question", "build__engine__name", "setups__name", "created_by__first_name", "created_by__last_name")
SORTS = {"question": "question", "engine": "build__engine__name", "created": "created_at", "last": "last_pull_at"}


def board(person: Person) -> QuerySet[Programme]:
    """The tests that the person may see, with what says where each stands; the newest first."""
    pulls = Pull.objects.filter(session__programme=OuterRef("pk"))
    last = pulls.order_by("-number")
    waiting = pulls.filter(state=PullState.COMPLETE, standing=Standing.UNDECIDED)
    opened = Session.objects.filter(programme=OuterRef("pk"), closed_at__isnull=True).order_by("-opened_at")
    return readable(person).annotate(
        pulls_made=_many(pulls),
        accepted=_many(pulls.filter(standing=Standing.ACCEPTED)),
        to_judge=_many(waiting),
        last_number=Subquery(last.values("number")[:1]),
        last_setup=Subquery(last.values("setup_id")[:1]),
        last_pull_at=Subquery(last.values(at=Coalesce("started_at", "armed_at"))[:1]),
        opened_at=Subquery(opened.values("opened_at")[:1]),
        opened_on=Subquery(opened.values(on=F("stand__name"))[:1]),
        jobs_open=Exists(OpenJob.objects.filter(session__programme=OuterRef("pk"), closed_at__isnull=True)),
        decided=Exists(Decision.objects.filter(programme=OuterRef("pk"))),
        issued=Exists(Sheet.objects.filter(programme=OuterRef("pk"))),
    )


def _many(pulls: QuerySet[Pull]) -> Coalesce:
    """How many, asked for the rows of a page alone: a count over a join would be made for every test of the shop."""
    of_test = pulls.order_by().values("session__programme").annotate(many=Count("pk"))
    return Coalesce(Subquery(of_test.values("many")), 0)


def stage(test: Any) -> str:
    """How far a test of the board is, in words."""
    if test.opened_at is not None:
        return f"on the dyno, {test.opened_on}"
    if test.issued:
        return "report issued"
    if test.decided:
        return "decided"
    if test.accepted:
        return "measured"
    return "pulled, none accepted" if test.pulls_made else "planned"


def needs(test: Any, person: Person, now: datetime) -> list[str]:
    """What of a test of the board waits for somebody; a customer is not asked."""
    if person.role == Role.CUSTOMER:
        return []
    found = []
    if test.to_judge:
        found.append(f"{counted(test.to_judge, 'pull')} to accept or exclude")
    if test.jobs_open:
        found.append("a job on the engine is open")
    if test.opened_at is not None and (now - test.opened_at).total_seconds() > 12 * 3600:
        found.append("a session was left open")
    return found


def verdict_line(person: Person, programme_id: int) -> str:
    """What the test says so far, by its own duty and standard; empty where it cannot say anything yet."""
    programme = programme_of(person, programme_id)
    try:
        found = answers.answer(person, programme, Choice(Standard(programme.standard)))
    except Refusal:
        return ""
    return answers.choice_line(person, found)
