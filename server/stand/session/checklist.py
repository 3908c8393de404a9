"""Pre-pull checklist: the shop's list, what of it is due, and who has ticked it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property

from django.db import transaction
from django.db.models import Max
from torvix_core.engine.dimensions import Slot
from torvix_core.engine.settings import TUNE_ITEMS

from programmes.models import Setup
from shop.models import Person
from shop.permissions import require_operator, require_owner
from shop.refusals import Invalid, Refusal
from shop.texts import named, optional
from stand.models import Asks, Link, ListItem, Moment, NoteKind, Pull, PullState, Purpose, Session, Tick
from stand.session import changes
from stand.session.tick_measurements import read

INLET = [str(slot) for slot in (Slot.INTAKE_MANIFOLD, Slot.LOWER_INTAKE, Slot.UPPER_INTAKE, Slot.ADAPTER, Slot.SPACER,
                                Slot.CARBURETOR, Slot.THROTTLE_BODY, Slot.CYLINDER_HEAD)]  # fmt: skip
OPENINGS = [str(Slot.CARBURETOR), str(Slot.THROTTLE_BODY), str(Slot.INTAKE_MANIFOLD)]
VALVES = [str(Slot.CAMSHAFT), str(Slot.CYLINDER_HEAD), "setting:cam_advance"]
HEATED = [str(Slot.CAMSHAFT), str(Slot.CYLINDER_HEAD)]  # lash and fasteners settle with the first heat
FUEL = "setting:fuel"  # a line due for it is due after a flood as well
FUELLED = [str(Slot.CARBURETOR), "setting:jets", FUEL, *(f"setting:{item.key}" for item in TUNE_ITEMS)]
BLOWN = [str(Slot.PULLEY), str(Slot.BOOST_CONTROL), "setting:boost_target", "setting:drive"]

# text, moment, slots, what the tick asks for: common practice, no source
USUAL: tuple[tuple[str, str, Sequence[str], str], ...] = (
    ("Guards on coupling, belts and fan", Moment.SESSION, (), Asks.NOTHING),
    ("Extinguisher at hand, location of the fuel shut-off known to all", Moment.SESSION, (), Asks.NOTHING),
    ("Extraction runs, carbon monoxide alarm on", Moment.SESSION, (), Asks.NOTHING),
    ("Hearing and eye protection worn, nobody in the plane of rotation", Moment.SESSION, (), Asks.NOTHING),
    ("Wired emergency stop tried", Moment.SESSION, (), Asks.NOTHING),
    ("Oil, coolant and fuel on, drains closed, pumps run", Moment.SESSION, (), Asks.NOTHING),
    ("Throttle travels fully and closes, secondaries and choke free", Moment.SESSION, (), Asks.NOTHING),
    ("Instruments zeroed, recorders have power and space", Moment.SESSION, (), Asks.NOTHING),
    ("All fasteners torqued, every stage, in the maker's sequence", Moment.CHANGE, (), Asks.NOTHING),
    ("Tools accounted for and intake clear of swarf before closing", Moment.CHANGE, INLET, Asks.NOTHING),
    ("Leaks of fuel, coolant and vacuum looked for", Moment.CHANGE, (), Asks.NOTHING),
    ("Throttle travels fully and closes with the new part", Moment.CHANGE, OPENINGS, Asks.NOTHING),
    ("Piston-to-valve clearance measured", Moment.CHANGE, VALVES, Asks.CLEARANCE),
    ("Valve timing checked on every bank", Moment.CHANGE, [str(Slot.CAMSHAFT)], Asks.PHASE),
    ("Valve lash set, cold, with the new part", Moment.CHANGE, HEATED, Asks.WORDS),
    ("Spilled fuel wiped up, vapor gone", Moment.CHANGE, FUELLED, Asks.NOTHING),
    ("Boost control and blower speed right for this setup, guard back on", Moment.CHANGE, BLOWN, Asks.NOTHING),
    ("Fuel and ignition on, oil and coolant in, electric pumps run", Moment.START, (), Asks.NOTHING),
    ("Starter clear, nobody in the plane of rotation", Moment.START, (), Asks.NOTHING),
    ("Valve lash set after the break-in", Moment.BREAK_IN, (), Asks.WORDS),
    ("Fasteners checked after the break-in, oil looked at", Moment.BREAK_IN, (), Asks.NOTHING),
)


@dataclass(frozen=True)
class Due:
    """An item of the list that is due now, and its tick if somebody has seen to it."""

    item: ListItem
    tick: Tick | None


def the_list() -> list[ListItem]:
    """The shop's list; the usual one is written down the first time somebody looks."""
    if not ListItem.objects.exists():
        with transaction.atomic():
            ListItem.objects.bulk_create(
                ListItem(text=text, moment=moment, slots=list(slots), asks=asks, position=place, usual=True)
                for place, (text, moment, slots, asks) in enumerate(USUAL)
            )
    return list(ListItem.objects.filter(in_force=True))


@dataclass(frozen=True)
class Occasion:
    """Why a line is due: ticks before `since` do not count, and where parts change only those of this change."""

    since: datetime | None = None
    change: bool = False


class Occasions:
    """What has happened in a session that makes lines due before the next pull of a setup."""

    def __init__(self, session: Session, setup: Setup) -> None:
        self.session = session
        self.touched = set(changes.touched(session, setup))
        self.retuned = changes.retuned(session, setup)
        failed = session.notes.filter(kind=NoteKind.FAILED_START).aggregate(at=Max("at"))["at"]
        stopped = Link.objects.filter(stand=session.stand_id).values_list("stopped_at", flat=True).first()
        self.flooded: datetime | None = failed
        self.stopped = _latest(failed, stopped if stopped and stopped > session.opened_at else None)

    def of(self, item: ListItem) -> Occasion | None:
        """None where the line is not due."""
        match item.moment:
            case Moment.SESSION:
                return Occasion()
            case Moment.CHANGE:
                slots = set(item.slots)
                change = bool(self.touched) and (not slots or bool(slots & self.touched))
                retuned = [at for key, at in self.retuned.items() if key in slots]
                since = _latest(*retuned, self.flooded if FUEL in slots else None)
            case Moment.START:
                change, since = bool(self.touched), self.stopped
            case _:
                change, since = False, _latest(self._broken_in, self._heated)
        return Occasion(since, change) if change or since else None

    @cached_property
    def _broken_in(self) -> datetime | None:
        last = (
            Pull.objects.filter(
                session__programme=self.session.programme_id, purpose=Purpose.BREAK_IN, state=PullState.COMPLETE
            )
            .order_by("number")
            .last()
        )
        return (last.ended_at or last.armed_at) if last else None

    @cached_property
    def _heated(self) -> datetime | None:
        return changes.first_heat(self.session, HEATED)


def _latest(*moments: datetime | None) -> datetime | None:
    return max((at for at in moments if at is not None), default=None)


def due(session: Session, setup: Setup) -> list[Due]:
    """What must be done before the next pull of a setup, in the order of the list."""
    change = changes.current(session, setup)
    ticks = list(Tick.objects.filter(session__programme=session.programme_id).select_related("person", "item"))
    occasions = Occasions(session, setup)

    def counts(tick: Tick, item: ListItem, occasion: Occasion) -> bool:
        if tick.item_id != item.pk or (occasion.since is not None and tick.at < occasion.since):
            return False
        if item.moment == Moment.BREAK_IN:  # lash that was set holds for the next session too
            return True
        mine = change.pk if change else None
        return tick.session_id == session.pk and (not occasion.change or (mine is not None and tick.change_id == mine))

    return [
        Due(item, next((tick for tick in ticks if counts(tick, item, occasion)), None))
        for item in the_list()
        if (occasion := occasions.of(item)) is not None
    ]


def require_seen_to(session: Session, setup: Setup) -> None:
    """Refuse to arm while something due has not been seen to."""
    if left := [one.item.text for one in due(session, setup) if one.tick is None]:
        more = f" and {len(left) - 3} more" if len(left) > 3 else ""
        raise Refusal(f"Not armed: to be seen to first: {'; '.join(left[:3])}{more}.", code="list_open")


@transaction.atomic
def tick(
    person: Person, session: Session, setup: Setup, item: ListItem, words: str, measured: Mapping[str, str],
    at: datetime, override_reason: str = "",
) -> Tick:  # fmt: skip
    """Somebody has seen to an item; ticking one of a change begins the change if nobody has.

    `override_reason` is the owner's, for a measure that is out of bounds.
    """
    require_operator(person)
    if session.closed_at is not None:
        raise Refusal("This session is closed. Open a new one.", code="session_closed")
    said = optional(words, "words", 200)
    if item.asks == Asks.WORDS and not said:
        raise Invalid(f"{item}: say what was found.", fields={"words": "a few words are enough"})
    reason = optional(override_reason, "override_reason", 200)
    values: dict[str, float] = {}
    if item.asks in (Asks.CLEARANCE, Asks.PHASE):
        values = read(person, session.programme.build, item.asks, measured, reason)
    occasion = Occasions(session, setup).of(item) or Occasion()
    change = changes.of_tick(person, session, setup, at) if occasion.change else None
    found, _ = Tick.objects.get_or_create(
        session=session, item=item, change=change, occasion=occasion.since,
        defaults={"person": person, "at": at, "words": said, "values": values, "override_reason": reason},
    )  # fmt: skip
    return found


# The owner's list


def write_item(
    person: Person, item: ListItem | None, text: str, moment: str, slots: Sequence[str], asks: str
) -> ListItem:
    """A new line, or other words for one. A line that was ticked keeps its words: another takes its place."""
    require_owner(person)
    told = named(text, "text", 200)
    wrong = {}
    if moment not in Moment.values:
        wrong["moment"] = f"one of {', '.join(map(str, Moment.labels))}"
    if asks not in Asks.values:
        wrong["asks"] = f"one of {', '.join(map(str, Asks.labels))}"
    if wrong:
        raise Invalid("The line is not usable: see the fields.", fields=wrong)
    with transaction.atomic():
        the_list()
        if item is None:
            last = ListItem.objects.aggregate(last=Max("position"))["last"]
            item = ListItem(position=0 if last is None else last + 1)
        elif item.ticks.exists():
            ListItem.objects.filter(pk=item.pk).update(in_force=False)
            item = ListItem(position=item.position)
        item.text, item.moment, item.slots, item.asks, item.usual = told, moment, list(slots), asks, False
        item.save()
    return item


def take_off(person: Person, item: ListItem) -> None:
    """Off the list; what was ticked stays on record."""
    require_owner(person)
    item.in_force = False
    item.save(update_fields=["in_force"])
