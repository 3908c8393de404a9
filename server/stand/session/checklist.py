"""Pre-pull checklist: the shop's list, what of it is due, and who has ticked it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from django.db import transaction
from django.db.models import Max
from torvix_core.engine.dimensions import Slot
from torvix_core.engine.settings import TUNE_ITEMS

from programmes.models import Setup
from shop.models import Person
from shop.permissions import require_operator, require_owner
from shop.refusals import Invalid, Refusal
from shop.texts import named, optional
from stand.models import Asks, ListItem, Moment, Pull, PullState, Purpose, Session, Tick
from stand.session import changes
from stand.session.tick_measurements import read

INLET = [str(slot) for slot in (Slot.INTAKE_MANIFOLD, Slot.LOWER_INTAKE, Slot.UPPER_INTAKE, Slot.ADAPTER, Slot.SPACER,
                                Slot.CARBURETOR, Slot.THROTTLE_BODY, Slot.CYLINDER_HEAD)]  # fmt: skip
OPENINGS = [str(Slot.CARBURETOR), str(Slot.THROTTLE_BODY), str(Slot.INTAKE_MANIFOLD)]
VALVES = [str(Slot.CAMSHAFT), str(Slot.CYLINDER_HEAD), "setting:cam_advance"]
FUELLED = [str(Slot.CARBURETOR), "setting:jets", "setting:fuel", *(f"setting:{item.key}" for item in TUNE_ITEMS)]
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
    ("Spilled fuel wiped up, vapor gone", Moment.CHANGE, FUELLED, Asks.NOTHING),
    ("Boost control and blower speed right for this setup, guard back on", Moment.CHANGE, BLOWN, Asks.NOTHING),
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


def due(session: Session, setup: Setup) -> list[Due]:
    """What must be seen to before the next pull of a setup, in the order of the list."""
    change = changes.current(session, setup)
    ticks = list(session.ticks.select_related("person", "item"))
    touched = changes.touched(session, setup)
    broken_in = Pull.objects.filter(
        session__programme=session.programme_id, purpose=Purpose.BREAK_IN, state=PullState.COMPLETE
    )
    after_break_in = broken_in.order_by("number").last()
    found = []
    for item in the_list():
        if item.moment == Moment.SESSION:
            done = next((tick for tick in ticks if tick.item_id == item.pk), None)
        elif item.moment == Moment.CHANGE:
            if not touched or (item.slots and not set(item.slots) & set(touched)):
                continue
            done = next((one for one in ticks if one.item_id == item.pk and change and one.change_id == change.pk),
                        None)  # fmt: skip
        else:
            if after_break_in is None:
                continue
            ended = after_break_in.ended_at or after_break_in.armed_at
            done = Tick.objects.filter(
                item=item, session__programme=session.programme_id, at__gte=ended
            ).select_related("person").first()  # fmt: skip
        found.append(Due(item, done))
    return found


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
    told = optional(words, "words", 200)
    if item.asks == Asks.WORDS and not told:
        raise Invalid(f"{item}: say what was found.", fields={"words": "a few words are enough"})
    reason = optional(override_reason, "override_reason", 200)
    values: dict[str, float] = {}
    if item.asks in (Asks.CLEARANCE, Asks.PHASE):
        values = read(person, session.programme.build, item.asks, measured, reason)
    change = changes.of_tick(person, session, setup, at) if item.moment == Moment.CHANGE else None
    again = {"session": session, "item": item, "change": change}
    if item.moment == Moment.BREAK_IN:
        Tick.objects.filter(**again).delete()  # lash that is set once more after another break-in
    found, _ = Tick.objects.get_or_create(
        **again, defaults={"person": person, "at": at, "words": told, "values": values, "override_reason": reason}
    )
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
