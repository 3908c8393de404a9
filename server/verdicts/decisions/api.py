"""Decisions of a programme: the log, and one more."""

from __future__ import annotations

from datetime import datetime

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router

from shop.permissions import is_person
from shop.schema import Schema
from verdicts.access import programme_of
from verdicts.decisions import service as decisions
from verdicts.judging.schemas import ChoiceIn
from verdicts.models import Decision

router = Router(tags=["decisions"])


class DecisionIn(ChoiceIn):
    """`setup_id` null: nothing is changed, or nothing was chosen. The rest is the verdict that was looked at."""

    setup_id: int | None = None
    reason: str


class DecisionOut(Schema):
    id: int
    setup_id: int | None
    reason: str
    evidence: list[str]
    by: str
    at: datetime


def _out(found: Decision) -> DecisionOut:
    return DecisionOut(id=found.pk, setup_id=found.setup_id, reason=found.reason, evidence=found.evidence,
                       by=str(found.by), at=found.at)  # fmt: skip


@router.get("/programmes/{programme_id}/decisions", response=list[DecisionOut], operation_id="decisions")
def read_decisions(request: HttpRequest, programme_id: int) -> list[DecisionOut]:
    """The newest first."""
    assert is_person(request.user)
    programme = programme_of(request.user, programme_id)
    return [_out(decision) for decision in programme.decisions.select_related("by")]


@router.post("/programmes/{programme_id}/decisions", response=DecisionOut, operation_id="decide")
def decide(request: HttpRequest, programme_id: int, given: DecisionIn) -> DecisionOut:
    assert is_person(request.user)
    programme = programme_of(request.user, programme_id)
    choice = given.read(programme)
    setup = None if given.setup_id is None else get_object_or_404(programme.setups.all(), pk=given.setup_id)
    return _out(decisions.decide(request.user, programme, choice, setup, given.reason, timezone.now()))
