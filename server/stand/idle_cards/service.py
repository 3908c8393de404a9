"""Idle cards: what the stand reads at idle, what somebody saw, and the card in words."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from torvix_core.units import quantities
from torvix_core.units.quantity_parser import NotUnderstood, read_quantity

from programmes.models import Candidate, Programme, Setup
from shop.models import Person, Stand
from shop.permissions import require_operator, units_of
from shop.refusals import Invalid
from shop.texts import optional
from stand.models import IdleCard, Link, LowPull, Returning, Session, Starting

# Of the card, with what each measures, the unit that everybody has or the kind that a person chooses, and its span, SI
MEASURED: dict[str, tuple[str, str, float, float]] = {
    "rpm": ("speed", "rpm", 300.0, 3000.0),
    "manifold_pressure": ("pressure", "air_pressure", 10_000.0, 110_000.0),
    "mixture": ("mixture", "lambda", 0.5, 1.6),
    "spark_advance": ("angle", "°", -20.0, 60.0),
}
CHANNELS = {"rpm": "rpm", "manifold_pressure": "manifold_pressure", "mixture": "lambda"}
CHOICES = {"starting": Starting, "returning": Returning, "low_pull": LowPull}
IDLING = "idle"  # the stand's own word


@dataclass(frozen=True)
class IdleEntry:
    """A card as somebody filled it in; an empty text says nothing."""

    measured: Mapping[str, str]
    chosen: Mapping[str, str]
    hardware_missing: bool = False
    note: str = ""


def unit_of(field: str, units: Mapping[str, str]) -> str:
    return units.get(MEASURED[field][1], MEASURED[field][1])


def at_the_stand(stand: Stand) -> dict[str, float]:
    """What the stand reads now, SI by field of the card; {} while it does not idle."""
    link = Link.objects.filter(stand=stand).first()
    if link is None or not link.connected or link.state != IDLING:
        return {}
    found = {field: link.values.get(channel) for field, channel in CHANNELS.items() if channel not in link.faulty}
    read = {field: value for field, value in found.items() if value is not None}
    return {field: value for field, value in read.items() if MEASURED[field][2] <= value <= MEASURED[field][3]}


def write(person: Person, session: Session, setup: Setup, entry: IdleEntry, at: datetime) -> IdleCard:
    """Keep a card; Invalid names the field that cannot be used."""
    require_operator(person)
    if setup.programme_id != session.programme_id:
        raise Invalid("This setup belongs to another test.", fields={"setup_id": "choose one of this test"})
    units, wrong = units_of(person), {}
    values: dict[str, float | None] = {}
    for field, (measure, _, low, high) in MEASURED.items():
        text = entry.measured.get(field, "").strip()
        try:
            values[field] = read_quantity(text, measure, unit_of(field, units), low, high).value if text else None
        except NotUnderstood as reason:
            wrong[field] = str(reason)
    chosen = {field: entry.chosen.get(field, "") for field in CHOICES}
    for field, choices in CHOICES.items():
        if chosen[field] and chosen[field] not in choices.values:
            wrong[field] = f"one of {', '.join(map(str, choices.labels))}"
    note = optional(entry.note, "note", 200)
    if not wrong and not (
        any(value is not None for value in values.values()) or any(chosen.values()) or note or entry.hardware_missing
    ):
        wrong["rpm"] = "write at least one thing down"
    if wrong:
        raise Invalid("The card is not usable: see the fields.", fields=wrong)
    return IdleCard.objects.create(
        session=session, setup=setup, at=at, by=person, hardware_missing=entry.hardware_missing, note=note,
        **values, **chosen,
    )  # fmt: skip


def latest(programme: Programme) -> dict[int, IdleCard]:
    """The newest card of each setup, by its key."""
    return {card.setup_id: card for card in IdleCard.objects.filter(session__programme=programme)}


def card_words(card: IdleCard, units: Mapping[str, str]) -> str:
    """A card in one line, in the reader's units."""
    if card.hardware_missing:
        return "Idle not judged: the idle hardware was not on" + (f". {card.note}" if card.note else "")
    read = []
    if card.rpm is not None:
        read.append(f"{card.rpm:.0f} rpm")
    if card.manifold_pressure is not None:
        read.append(quantities.words(card.manifold_pressure, units["air_pressure"]))
    if card.mixture is not None:
        read.append(f"lambda {card.mixture:.2f}")
    if card.spark_advance is not None:
        read.append(f"{card.spark_advance:g}° of spark")
    seen = [getattr(card, f"get_{field}_display")() for field in CHOICES if getattr(card, field)]
    parts = [f"Idles at {', '.join(read)}"] if read else []
    text = "; ".join([*parts, *seen])
    return ". ".join(part for part in (text[:1].upper() + text[1:], card.note) if part)


def of_setups(programme: Programme, units: Mapping[str, str]) -> dict[int, str]:
    """The idle of each setup in words; where others have a card and one has none, it says that nobody looked."""
    cards = latest(programme)
    if not cards:
        return {}
    setups = programme.setups.filter(candidate=Candidate.IN).values_list("pk", flat=True)
    return {pk: card_words(cards[pk], units) if pk in cards else "Idle not judged" for pk in setups}
