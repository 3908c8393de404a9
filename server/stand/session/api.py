"""What comes before a pull: cautions, the list of what must be seen to, and the change of parts by the stopwatch."""

from __future__ import annotations

from datetime import datetime

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Field, Router, Schema
from torvix_core.units import quantities

from programmes.models import Programme, Setup
from shop.models import Person, Role
from shop.permissions import require_owner, units_of
from stand.models import Asks, Change, ListItem, Moment, Purpose, Session
from stand.pulls import arming
from stand.pulls.api import person_of
from stand.session import cautions, changes, checklist

router = Router(tags=["before a pull"])


class CautionsOut(Schema):
    """`read_by` are the names of those who said in this session that they have read them."""

    paragraphs: list[str]
    read_by: list[str]
    read: bool


class DueOut(Schema):
    """An item that is due; `done_by` is empty while nobody has seen to it."""

    id: int
    text: str
    moment: str
    asks: str
    done_by: str
    done_at: datetime | None
    words: str
    override_reason: str


class SwapOut(Schema):
    label: str
    off: str
    on: str
    heavy: str


class ToMeasureOut(Schema):
    key: str
    label: str


class ChangeOut(Schema):
    begun_at: datetime
    ended_at: datetime | None
    begun_by: str


class NextPull(Schema):
    """What has to be done before the next pull of a setup, and what that pull will be."""

    setup_id: int
    due: list[DueOut]
    swaps: list[SwapOut]
    planned_min: float
    change: ChangeOut | None
    to_measure: list[ToMeasureOut]
    purpose: str
    warm_ups_left: int


class TickIn(Schema):
    setup_id: int
    item_id: int
    words: str = ""
    measured: dict[str, str] = Field(default_factory=dict)
    override_reason: str = ""


class BeginIn(Schema):
    setup_id: int


class ItemOut(Schema):
    id: int
    text: str
    moment: str
    slots: list[str]
    asks: str
    usual: bool


class ListOut(Schema):
    items: list[ItemOut]
    moments: dict[str, str]
    kinds: dict[str, str]
    may_write: bool


class ItemIn(Schema):
    text: str
    moment: str = Moment.SESSION
    slots: list[str] = Field(default_factory=list)
    asks: str = ""


def _session(person: Person, session_id: int) -> Session:
    seen = Session.objects.filter(programme__in=Programme.objects.visible_to(person))
    return get_object_or_404(seen.select_related("programme__build", "programme__day_rules", "stand"), pk=session_id)


def _setup(session: Session, setup_id: int) -> Setup:
    return get_object_or_404(session.programme.setups, pk=setup_id)


@router.get("/programmes/{programme_id}/cautions", response=CautionsOut, operation_id="cautions")
def read_cautions(request: HttpRequest, programme_id: int):
    person = person_of(request)
    programme = get_object_or_404(Programme.objects.visible_to(person).select_related("build"), pk=programme_id)
    session = programme.sessions.filter(closed_at=None).first()
    readers = [one.person for one in session.acknowledgements.select_related("person")] if session else []
    return CautionsOut(
        paragraphs=cautions.of_programme(programme), read_by=[str(reader) for reader in readers],
        read=person in readers,
    )  # fmt: skip


@router.post("/sessions/{session_id}/cautions", response=CautionsOut, operation_id="read_cautions")
def acknowledge(request: HttpRequest, session_id: int):
    person = person_of(request)
    session = _session(person, session_id)
    cautions.acknowledge(person, session, timezone.now())
    return read_cautions(request, session.programme_id)


def _next(person: Person, session: Session, setup: Setup) -> NextPull:
    change = changes.current(session, setup)
    units = units_of(person)
    left = arming.warm_ups_left(session, setup)
    return NextPull(
        setup_id=setup.pk,
        due=[
            DueOut(
                id=one.item.pk, text=one.item.text, moment=one.item.moment, asks=one.item.asks,
                done_by=str(one.tick.person) if one.tick else "", done_at=one.tick.at if one.tick else None,
                words=one.tick.words if one.tick else "",
                override_reason=one.tick.override_reason if one.tick else "",
            )
            for one in checklist.due(session, setup)
        ],
        swaps=[
            SwapOut(label=swap.label, off=swap.off, on=swap.on,
                    heavy=quantities.words(swap.mass, units["mass"]) if swap.mass else "")
            for swap in changes.swaps(session, setup)
        ],
        planned_min=changes.planned_min(session, setup),
        change=_change_out(change) if change else None,
        to_measure=[ToMeasureOut(key=one.key, label=one.label) for one in changes.to_measure(session, setup)],
        purpose=Purpose.WARM_UP if left else Purpose.SWEEP,
        warm_ups_left=left,
    )  # fmt: skip


def _change_out(change: Change) -> ChangeOut:
    return ChangeOut(begun_at=change.begun_at, ended_at=change.ended_at, begun_by=str(change.begun_by))


@router.get("/sessions/{session_id}/next", response=NextPull, operation_id="next_pull")
def next_pull(request: HttpRequest, session_id: int, setup_id: int):
    person = person_of(request)
    session = _session(person, session_id)
    return _next(person, session, _setup(session, setup_id))


@router.post("/sessions/{session_id}/ticks", response=NextPull, operation_id="tick")
def tick(request: HttpRequest, session_id: int, given: TickIn):
    person = person_of(request)
    session = _session(person, session_id)
    setup, item = _setup(session, given.setup_id), get_object_or_404(ListItem, pk=given.item_id)
    checklist.tick(person, session, setup, item, given.words, given.measured, timezone.now(),
                   given.override_reason)  # fmt: skip
    return _next(person, session, setup)


@router.post("/sessions/{session_id}/changes", response=NextPull, operation_id="begin_change")
def begin_change(request: HttpRequest, session_id: int, given: BeginIn):
    person = person_of(request)
    session = _session(person, session_id)
    setup = _setup(session, given.setup_id)
    changes.begin(person, session, setup, timezone.now())
    return _next(person, session, setup)


# The shop's list


def _list(person: Person) -> ListOut:
    return ListOut(
        items=[
            ItemOut(id=item.pk, text=item.text, moment=item.moment, slots=item.slots, asks=item.asks, usual=item.usual)
            for item in checklist.the_list()
        ],
        moments=dict(Moment.choices), kinds=dict(Asks.choices), may_write=person.role == Role.OWNER,
    )  # fmt: skip


@router.get("/checklist", response=ListOut, operation_id="checklist")
def read_list(request: HttpRequest):
    return _list(person_of(request))


@router.post("/checklist", response=ListOut, operation_id="add_item")
def add_item(request: HttpRequest, given: ItemIn):
    checklist.write_item(person_of(request), None, given.text, given.moment, given.slots, given.asks)
    return _list(person_of(request))


@router.put("/checklist/{list_item_id}", response=ListOut, operation_id="change_item")
def change_item(request: HttpRequest, list_item_id: int, given: ItemIn):
    person = person_of(request)
    require_owner(person)
    item = get_object_or_404(ListItem, pk=list_item_id)
    checklist.write_item(person, item, given.text, given.moment, given.slots, given.asks)
    return _list(person_of(request))


@router.delete("/checklist/{list_item_id}", response=ListOut, operation_id="take_off_item")
def take_off_item(request: HttpRequest, list_item_id: int):
    person = person_of(request)
    require_owner(person)
    checklist.take_off(person, get_object_or_404(ListItem, pk=list_item_id))
    return _list(person_of(request))
