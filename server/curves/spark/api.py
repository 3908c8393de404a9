"""The ladder of ignition timing that ends with one pull."""

from __future__ import annotations

from datetime import datetime

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router
from torvix_core.units import quantities

from curves.reduction import correct
from curves.spark import messages, service
from programmes.models import Programme
from shop.models import Person
from shop.permissions import person_of, units_of
from shop.schema import Schema
from stand.models import Pull

router = Router(tags=["spark"])


class SparkRungOut(Schema):
    number: int
    degrees: float
    torque: float


class SparkDecisionOut(Schema):
    at: datetime
    by: str
    text: str


class SparkLadderOut(Schema):
    """`rungs` are empty where the pulls of this tune were all made with one setting. `step`, `margin` and `limit` are
    how the ladder is climbed, as they would be typed; `next` is the timing to pull next."""

    torque_unit: str
    rungs: list[SparkRungOut]
    sentences: list[str]
    step: str
    margin: str
    limit: str
    next: float | None
    decisions: list[SparkDecisionOut]


class SparkBoundsIn(Schema):
    step: str = ""
    margin: str = ""
    limit: str = ""


class SparkDecisionIn(Schema):
    held: str
    reason: str


@router.get("/pulls/{pull_id}/spark-ladder", response=SparkLadderOut, operation_id="spark_ladder")
def read_ladder(request: HttpRequest, pull_id: int) -> SparkLadderOut:
    """What the pulls up to this one say of the ignition timing: the last step against scatter, and the best setting."""
    return _out(person_of(request), pull_id)


@router.put("/pulls/{pull_id}/spark-bounds", response=SparkLadderOut, operation_id="set_spark_bounds")
def set_bounds(request: HttpRequest, pull_id: int, given: SparkBoundsIn) -> SparkLadderOut:
    """How the ladder of this pull's setup is climbed."""
    person = person_of(request)
    pull = _pull(person, pull_id)
    service.set_bounds(person, pull.setup, given.step, given.margin, given.limit, timezone.now())
    return _out(person, pull_id)


@router.post("/pulls/{pull_id}/spark-decisions", response=SparkLadderOut, operation_id="decide_spark")
def decide(request: HttpRequest, pull_id: int, given: SparkDecisionIn) -> SparkLadderOut:
    """The timing that is held, and why."""
    person = person_of(request)
    pull, found = _work(person, pull_id)
    held = service.read_degrees(given.held)
    left = "" if held is None else messages.left_on_the_table(found, held)
    service.decide(person, pull, given.held, given.reason, left, timezone.now())
    return _out(person, pull_id)


def _pull(person: Person, pull_id: int) -> Pull:
    seen = Programme.objects.visible_to(person)
    return get_object_or_404(Pull.objects.filter(session__programme__in=seen).select_related("session", "setup"),
                             pk=pull_id)  # fmt: skip


def _work(person: Person, pull_id: int) -> tuple[Pull, service.SparkWork]:
    pull = _pull(person, pull_id)
    programme = Programme.objects.get(pk=pull.session.programme_id)
    pulls = correct.pulls_of(programme)
    return pull, service.work(programme, next(one for one in pulls if one.pk == pull.pk), pulls)


def _out(person: Person, pull_id: int) -> SparkLadderOut:
    pull, found = _work(person, pull_id)
    unit, bounds = units_of(person)["torque"], found.bounds
    return SparkLadderOut(
        torque_unit=unit, sentences=messages.sentences(found),
        rungs=[SparkRungOut(number=one.number, degrees=degrees, torque=float(quantities.from_si(mean, unit)))
               for one, degrees, mean in found.rungs] if found.ladder else [],
        step=f"{bounds.step:g}", margin=f"{bounds.margin:g}", limit="" if bounds.limit is None else f"{bounds.limit:g}",
        next=found.next,
        decisions=[
            SparkDecisionOut(
                at=one.at, by=str(one.by),
                text=f"{one.held:g}° held: {one.reason}" + (f" ({one.left})" if one.left else ""),
            )
            for one in pull.setup.spark_decisions.select_related("by").order_by("-at")[:10]
        ],
    )  # fmt: skip
