"""The idle card of a setup in a session."""

from __future__ import annotations

from datetime import datetime

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Field, Router
from torvix_core.units import quantities

from programmes.models import Programme, Setup
from shop.models import Person
from shop.permissions import person_of, units_of
from shop.schema import Schema
from stand.idle_cards import service as idle_cards
from stand.models import IdleCard, Session

router = Router(tags=["idle cards"])


class IdleCardOut(Schema):
    at: datetime
    by: str
    text: str


class IdleCardsOut(Schema):
    """`now` is what the stand reads, in the reader's units as it would be typed; empty while it does not idle."""

    cards: list[IdleCardOut]  # newest first
    now: dict[str, str]
    units: dict[str, str]
    choices: dict[str, dict[str, str]]


class IdleCardIn(Schema):
    setup_id: int
    measured: dict[str, str] = Field(default_factory=dict)
    chosen: dict[str, str] = Field(default_factory=dict)
    hardware_missing: bool = False
    note: str = ""


def _session(person: Person, session_id: int) -> Session:
    seen = Session.objects.filter(programme__in=Programme.objects.visible_to(person))
    return get_object_or_404(seen.select_related("stand", "programme"), pk=session_id)


def _out(person: Person, session: Session, setup: Setup) -> IdleCardsOut:
    units = units_of(person)
    cards = IdleCard.objects.filter(session__programme=session.programme_id, setup=setup).select_related("by")
    now = {}
    for field, value in idle_cards.at_the_stand(session.stand).items():
        unit = idle_cards.unit_of(field, units)
        now[field] = f"{float(quantities.from_si(value, unit)):.{2 if unit == 'lambda' else quantities.digits(unit)}f}"
    return IdleCardsOut(
        cards=[
            IdleCardOut(at=card.at, by=str(card.by), text=idle_cards.card_words(card, units))
            for card in cards.order_by("-at", "-pk")[:20]
        ],
        now=now, units={field: idle_cards.unit_of(field, units) for field in idle_cards.MEASURED},
        choices={
            field: {value: str(label) for value, label in choices.choices}
            for field, choices in idle_cards.CHOICES.items()
        },
    )  # fmt: skip


@router.get("/sessions/{session_id}/idle-cards", response=IdleCardsOut, operation_id="idle_cards")
def read_cards(request: HttpRequest, session_id: int, setup_id: int) -> IdleCardsOut:
    person = person_of(request)
    session = _session(person, session_id)
    return _out(person, session, get_object_or_404(session.programme.setups, pk=setup_id))


@router.post("/sessions/{session_id}/idle-cards", response=IdleCardsOut, operation_id="write_idle_card")
def write_card(request: HttpRequest, session_id: int, given: IdleCardIn) -> IdleCardsOut:
    person = person_of(request)
    session = _session(person, session_id)
    setup = get_object_or_404(session.programme.setups, pk=given.setup_id)
    entry = idle_cards.IdleEntry(given.measured, given.chosen, given.hardware_missing, given.note)
    idle_cards.write(person, session, setup, entry, timezone.now())
    return _out(person, session, setup)
