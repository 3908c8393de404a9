"""What comes before a pull: cautions, the list of what must be seen to, and the change of parts by the stopwatch."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router

from programmes.models import Programme, Setup
from shop.models import Person
from shop.permissions import person_of, require_owner
from stand.models import ListItem, Session
from stand.session import cautions, changes, checklist, removal
from stand.session.schemas import (
    BeginIn,
    CautionsOut,
    ItemIn,
    ListOut,
    NextPull,
    RemovalReadingIn,
    ReviseIn,
    SwapRecordIn,
    TankIn,
    TickIn,
    checklist_out,
    next_pull_out,
)
from stand.tank import service as tank

router = Router(tags=["before a pull"])


def _session(person: Person, session_id: int) -> Session:
    seen = Session.objects.filter(programme__in=Programme.objects.visible_to(person))
    return get_object_or_404(seen.select_related("programme__build", "programme__day_rules", "stand"), pk=session_id)


def _place(request: HttpRequest, session_id: int, setup_id: int) -> tuple[Person, Session, Setup]:
    """Who asks, in which session, about which setup of its test."""
    person = person_of(request)
    session = _session(person, session_id)
    return person, session, get_object_or_404(session.programme.setups, pk=setup_id)


@router.get("/programmes/{programme_id}/cautions", response=CautionsOut, operation_id="cautions")
def read_cautions(request: HttpRequest, programme_id: int) -> CautionsOut:
    person = person_of(request)
    programme = get_object_or_404(Programme.objects.visible_to(person).select_related("build"), pk=programme_id)
    session = programme.sessions.filter(closed_at=None).first()
    readers = (
        [acknowledgement.person for acknowledgement in session.acknowledgements.select_related("person")]
        if session
        else []
    )
    return CautionsOut(
        paragraphs=cautions.of_programme(programme), read_by=[str(reader) for reader in readers],
        read=person in readers,
    )  # fmt: skip


@router.post("/sessions/{session_id}/cautions", response=CautionsOut, operation_id="read_cautions")
def acknowledge(request: HttpRequest, session_id: int) -> CautionsOut:
    person = person_of(request)
    session = _session(person, session_id)
    cautions.acknowledge(person, session, timezone.now())
    return read_cautions(request, session.programme_id)


@router.get("/sessions/{session_id}/next", response=NextPull, operation_id="next_pull")
def next_pull(request: HttpRequest, session_id: int, setup_id: int) -> NextPull:
    return next_pull_out(*_place(request, session_id, setup_id), timezone.now())


@router.post("/sessions/{session_id}/checklist-entries", response=NextPull, operation_id="tick")
def tick(request: HttpRequest, session_id: int, given: TickIn) -> NextPull:
    person, session, setup = _place(request, session_id, given.setup_id)
    item = get_object_or_404(ListItem, pk=given.item_id)
    checklist.tick(person, session, setup, item, given.words, given.measured, timezone.now(),
                   given.override_reason)  # fmt: skip
    return next_pull_out(person, session, setup, timezone.now())


@router.post("/sessions/{session_id}/changes", response=NextPull, operation_id="begin_change")
def begin_change(request: HttpRequest, session_id: int, given: BeginIn) -> NextPull:
    person, session, setup = _place(request, session_id, given.setup_id)
    changes.begin(person, session, setup, timezone.now())
    return next_pull_out(person, session, setup, timezone.now())


@router.post("/sessions/{session_id}/swap-record", response=NextPull, operation_id="record_swap")
def record_swap(request: HttpRequest, session_id: int, given: SwapRecordIn) -> NextPull:
    person, session, setup = _place(request, session_id, given.setup_id)
    said = given.model_dump(exclude={"setup_id"}, exclude_unset=True)
    changes.record(person, session, setup, said, timezone.now())
    return next_pull_out(person, session, setup, timezone.now())


@router.post("/sessions/{session_id}/removal-readings", response=NextPull, operation_id="measure_on_removal")
def measure_on_removal(request: HttpRequest, session_id: int, given: RemovalReadingIn) -> NextPull:
    person, session, setup = _place(request, session_id, given.setup_id)
    removal.write(person, session, given.key, given.text, timezone.now())
    return next_pull_out(person, session, setup, timezone.now())


@router.post("/sessions/{session_id}/removal-revision", response=NextPull, operation_id="revise_by_removal")
def revise_by_removal(request: HttpRequest, session_id: int, given: ReviseIn) -> NextPull:
    """All that was measured on removal in a new revision of the build; the test keeps the one it has."""
    person, session, setup = _place(request, session_id, given.setup_id)
    removal.revise(person, session.programme, timezone.now())
    return next_pull_out(person, session, setup, timezone.now())


@router.post("/sessions/{session_id}/tank", response=NextPull, operation_id="fill_tank")
def fill_tank(request: HttpRequest, session_id: int, given: TankIn) -> NextPull:
    person, session, setup = _place(request, session_id, given.setup_id)
    tank.fill(person, session, given.volume, timezone.now())
    return next_pull_out(person, session, setup, timezone.now())


@router.get("/checklist", response=ListOut, operation_id="checklist")
def read_list(request: HttpRequest) -> ListOut:
    return checklist_out(person_of(request))


@router.post("/checklist", response=ListOut, operation_id="add_item")
def add_item(request: HttpRequest, given: ItemIn) -> ListOut:
    checklist.write_item(person_of(request), None, given.text, given.moment, given.slots, given.asks)
    return checklist_out(person_of(request))


@router.put("/checklist/{list_item_id}", response=ListOut, operation_id="change_item")
def change_item(request: HttpRequest, list_item_id: int, given: ItemIn) -> ListOut:
    person = person_of(request)
    require_owner(person)
    item = get_object_or_404(ListItem, pk=list_item_id)
    checklist.write_item(person, item, given.text, given.moment, given.slots, given.asks)
    return checklist_out(person_of(request))


@router.delete("/checklist/{list_item_id}", response=ListOut, operation_id="take_off_item")
def take_off_item(request: HttpRequest, list_item_id: int) -> ListOut:
    person = person_of(request)
    require_owner(person)
    checklist.take_off(person, get_object_or_404(ListItem, pk=list_item_id))
    return checklist_out(person_of(request))
