"""What comes before a pull: cautions, the list of what must be seen to, and the change of parts by the stopwatch."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from datetime import datetime

from ninja import Field

from programmes.models import Setup
from programmes.plan import on_paper
from shop.models import Person, Role
from shop.permissions import units_of
from shop.schema import Schema
from stand.instruments import service as instruments
from stand.models import Asks, Change, Link, Moment, Session
from stand.pulls import arming
from stand.session import changes, checklist, handling, removal
from stand.tank import service as tank


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
    handling: list[str]  # what to mind with the part that goes on


class ToMeasureOut(Schema):
    key: str
    label: str


class ProposedReadingOut(Schema):
    """A dimension measured on removal that is in no revision yet, and what the sheet has now."""

    key: str
    label: str
    measured: str
    sheet: str
    origin: str


class RemovalReadingIn(Schema):
    setup_id: int
    key: str
    text: str


class ReviseIn(Schema):
    setup_id: int


class ChangeOut(Schema):
    begun_at: datetime
    ended_at: datetime | None
    begun_by: str
    gasket: str
    sealer: str
    milling: str


class TankOut(Schema):
    """About what is left in the tank; `text` says it in a sentence, `dry` where it may not last for the next pull."""

    text: str
    dry: bool


class NextPull(Schema):
    """What has to be done before the next pull of a setup, and what that pull will be."""

    setup_id: int
    due: list[DueOut]
    swaps: list[SwapOut]
    planned_min: float
    change: ChangeOut | None
    to_measure: list[ToMeasureOut]
    measured: list[ProposedReadingOut]
    would_move: list[str]  # what a revision with them would say otherwise
    because_of_setup: list[str]  # what must be checked because of its parts and settings, by the engine on paper
    purpose: str
    warm_ups_left: int
    instruments_due: list[str]  # whose last check has run out
    tank: TankOut | None


class TickIn(Schema):
    setup_id: int
    item_id: int
    words: str = ""
    measured: dict[str, str] = Field(default_factory=dict)
    override_reason: str = ""


class SwapRecordIn(Schema):
    setup_id: int
    gasket: str = ""
    sealer: str = ""
    milling: str = ""


class TankIn(Schema):
    setup_id: int
    volume: str


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


def next_pull_out(person: Person, session: Session, setup: Setup, at: datetime) -> NextPull:
    change = changes.current(session, setup)
    units = units_of(person)
    link: Link | None = getattr(session.stand, "link", None)
    coolant = link.values.get("coolant_temperature") if link else None
    left = arming.warm_ups_left(session, setup)
    readings = removal.open_readings(session.programme)
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
                    handling=handling.words(swap.key, swap.facts, coolant, units) if swap.on else [])
            for swap in changes.swaps(session, setup)
        ],
        planned_min=changes.planned_min(session, setup),
        change=_change_out(change) if change else None,
        to_measure=[ToMeasureOut(key=one.key, label=one.label) for one in changes.to_measure(session, setup)],
        measured=[ProposedReadingOut(**asdict(one)) for one in removal.proposed(person, session.programme, readings)],
        would_move=removal.would_move(person, session.programme, readings),
        because_of_setup=on_paper.of_setup(session.programme, setup),
        purpose=arming.purpose_of(session, setup),
        warm_ups_left=left,
        instruments_due=instruments.due(session.stand, at),
        tank=_tank_out(session, units),
    )  # fmt: skip


def _tank_out(session: Session, units: Mapping[str, str]) -> TankOut | None:
    found = tank.left_in_tank(session)
    return TankOut(text=tank.tank_words(found, units), dry=found.dry) if found else None


def _change_out(change: Change) -> ChangeOut:
    return ChangeOut(begun_at=change.begun_at, ended_at=change.ended_at, begun_by=str(change.begun_by),
                     gasket=change.gasket, sealer=change.sealer, milling=change.milling)  # fmt: skip


# The shop's list


def checklist_out(person: Person) -> ListOut:
    return ListOut(
        items=[
            ItemOut(id=item.pk, text=item.text, moment=item.moment, slots=item.slots, asks=item.asks, usual=item.usual)
            for item in checklist.the_list()
        ],
        moments=dict(Moment.choices), kinds=dict(Asks.choices), may_write=person.role == Role.OWNER,
    )  # fmt: skip
