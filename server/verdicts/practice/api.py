"""Practice tests: made, revealed once they are decided, and scored over time by person."""

from __future__ import annotations

from collections import defaultdict
from datetime import datetime
from typing import Any

import numpy as np
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router, Status

from programmes.models import PracticeTest, PracticeTrait, Programme
from programmes.practice.service import MOST_TRAITS, make
from shop.permissions import may_operate, person_of
from shop.schema import Schema
from verdicts.access import programme_of
from verdicts.practice import service

router = Router(tags=["practice"])


class PracticeIn(Schema):
    traits: list[str] = []
    surprise: bool = False


class MadeOut(Schema):
    programme_id: int


class TrueSetupOut(Schema):
    """Per cent over the baseline: the truth, and what the verdict read where it had a figure."""

    setup_id: int
    true_percent: float
    is_best: bool
    percent: float | None
    low: float | None
    high: float | None


class CallOut(Schema):
    """A call; no setup means that nobody is called and the baseline stays. `by` is empty for the verdict's own."""

    setup_id: int | None
    lost_percent: float
    is_right: bool
    by: str = ""


class BoughtOut(Schema):
    """How often such a day calls the right winner, per cent; null where it could not be judged."""

    label: str
    right_percent: float | None
    nobody_percent: float | None
    wrong_percent: float | None


class RevealedOut(Schema):
    setups: list[TrueSetupOut]
    person: CallOut
    tool: CallOut
    bought: list[BoughtOut]
    lessons: list[str]
    traits: list[str]
    pulls: int


class PracticeOut(Schema):
    """`revealed` is null until it is; `may_reveal` while it was decided and is not."""

    traits: list[str]
    decided: bool
    may_reveal: bool
    revealed: RevealedOut | None


class PracticeRow(Schema):
    """A practice test in the list; the calls are empty until it is revealed."""

    programme_id: int
    question: str
    made_by: str
    made_at: datetime
    traits: list[str]
    revealed_at: datetime | None
    by: str
    call: str
    is_right: bool | None
    lost_percent: float | None
    tool_is_right: bool | None
    tool_lost_percent: float | None


class PersonScore(Schema):
    """Of one person: tests that were revealed, calls that were right, and what a call lost on the mean, per cent."""

    name: str
    tests: int
    right: int
    lost_percent: float
    last_lost_percent: float
    tool_right: int


class TraitOut(Schema):
    value: str
    label: str


class PracticePage(Schema):
    rows: list[PracticeRow]
    people: list[PersonScore]
    traits: list[TraitOut]
    most_traits: int
    may_make: bool


@router.get("/practice", response=PracticePage, operation_id="practice_tests")
def read_practice_tests(request: HttpRequest) -> PracticePage:
    """Every practice test, the newest first, and how people do at them."""
    person = person_of(request)
    seen = PracticeTest.objects.filter(programme__in=Programme.objects.visible_to(person))
    found = list(seen.select_related("programme", "made_by").prefetch_related("programme__setups"))
    return PracticePage(
        rows=[_row(one) for one in found], people=_people(found), most_traits=MOST_TRAITS,
        traits=[TraitOut(value=value, label=str(label)) for value, label in PracticeTrait.choices],
        may_make=may_operate(person),
    )  # fmt: skip


@router.post("/practice", response={201: MadeOut}, operation_id="make_practice")
def make_practice(request: HttpRequest, given: PracticeIn) -> Status[MadeOut]:
    """A practice test for the simulated stand, with a plan that is left to be improved."""
    made = make(person_of(request), given.traits, timezone.now(), surprise=given.surprise)
    return Status(201, MadeOut(programme_id=made.pk))


@router.get("/programmes/{programme_id}/practice", response=PracticeOut, operation_id="practice")
def read_practice(request: HttpRequest, programme_id: int) -> PracticeOut:
    """Of one test. Refusal `no_practice` where it is none."""
    person = person_of(request)
    programme = programme_of(person, programme_id)
    return _out(service.of(programme), may_operate(person))


@router.post("/programmes/{programme_id}/practice/reveal", response=PracticeOut, operation_id="reveal_practice")
def reveal_practice(request: HttpRequest, programme_id: int) -> PracticeOut:
    """The truth, once somebody has decided. Both calls are frozen beside it."""
    person = person_of(request)
    return _out(service.reveal(person, programme_of(person, programme_id), timezone.now()), may_operate(person))


def _out(practice: PracticeTest, operates: bool) -> PracticeOut:
    decided = practice.programme.decisions.exists()
    is_revealed = practice.revealed_at is not None
    return PracticeOut(
        traits=_traits(practice), decided=decided,
        may_reveal=decided and operates and not is_revealed,
        revealed=RevealedOut(**practice.outcome) if is_revealed else None,
    )  # fmt: skip


def _traits(practice: PracticeTest) -> list[str]:
    """What makes it hard; of a surprise nobody knows before it is revealed."""
    if practice.is_surprise and practice.revealed_at is None:
        return ["A surprise"]
    return [str(PracticeTrait(trait).label) for trait in practice.traits]


def _row(practice: PracticeTest) -> PracticeRow:
    found: dict[str, Any] = practice.outcome
    call, tool = found.get("person", {}), found.get("tool", {})
    letters = {setup.pk: setup.letter for setup in practice.programme.setups.all()}
    return PracticeRow(
        programme_id=practice.programme_id, question=practice.programme.question, made_by=str(practice.made_by),
        made_at=practice.made_at, traits=_traits(practice),
        revealed_at=practice.revealed_at, by=call.get("by", ""),
        call=letters.get(call["setup_id"], "nobody") if call else "", is_right=call.get("is_right"),
        lost_percent=call.get("lost_percent"), tool_is_right=tool.get("is_right"),
        tool_lost_percent=tool.get("lost_percent"),
    )  # fmt: skip


def _people(found: list[PracticeTest]) -> list[PersonScore]:
    by: dict[int, list[PracticeRow]] = defaultdict(list)  # two people may have one name
    for one in sorted((one for one in found if one.revealed_at), key=lambda one: (one.revealed_at, one.pk)):
        by[one.outcome["person"]["by_id"]].append(_row(one))
    return [
        PersonScore(
            name=rows[-1].by, tests=len(rows), right=sum(bool(row.is_right) for row in rows),
            lost_percent=float(np.mean([row.lost_percent for row in rows])),
            last_lost_percent=float(np.mean([row.lost_percent for row in rows[-5:]])),
            tool_right=sum(bool(row.tool_is_right) for row in rows),
        )
        for rows in sorted(by.values(), key=lambda rows: rows[-1].by)
    ]  # fmt: skip
