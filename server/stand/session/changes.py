"""Parts changed between two setups: what comes off and goes on, how long it should take, and how long it took."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from datetime import datetime
from itertools import pairwise

from django.db import transaction
from torvix_core.engine.dimensions import SHEET, Slot
from torvix_core.engine.evidence import Origin
from torvix_core.planning import changeover

from engines.sheet import sheets
from programmes.models import Setup
from programmes.plan import changeover_times
from programmes.plan.plans import Plan
from programmes.plan.saving import plan_in_force
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Refusal
from shop.texts import optional
from stand.models import Change, Pull, PullState, Purpose, Session

# What can be measured only while a part is off: dimensions of the build sheet, by slot. Common practice, no source.
MEASURED_OFF: dict[str, tuple[str, ...]] = {
    Slot.CYLINDER_HEAD: ("gasket_thickness", "chamber_volume", "deck_clearance", "dome_volume", "relief_volume"),
    Slot.CAMSHAFT: ("intake_clearance", "exhaust_clearance", "intake_lift", "exhaust_lift"),
    Slot.GASKET: ("gasket_thickness",),
    Slot.INTAKE_MANIFOLD: ("runner_length", "runner_area", "plenum_volume", "port_width", "port_height"),
    Slot.THROTTLE_BODY: ("throttle_bore",),
    Slot.CARBURETOR: ("throttle_bore",),
    Slot.HEADER: ("primary_diameter", "primary_length", "collector_diameter"),
}

RECORDED = ("gasket", "sealer", "milling")


@dataclass(frozen=True)
class Swap:
    """One row that changes: what is in it now and what is to be. `label` is the row's."""

    key: str
    label: str
    off: str
    on: str
    facts: Mapping[str, float | str]  # of the part that goes on, SI and words; {} for a setting


@dataclass(frozen=True)
class ToMeasure:
    """A dimension that the build sheet only assumes, and that lies open now."""

    key: str
    label: str


def mounted(session: Session) -> Setup | None:
    """What is bolted on: the setup of the last complete pull on this stand. What was imported says nothing of it."""
    complete = Pull.objects.filter(
        session__programme=session.programme_id, session__stand=session.stand_id, state=PullState.COMPLETE
    )
    last = complete.select_related("setup").order_by("number").last()
    return last.setup if last else None


def touched(session: Session, setup: Setup) -> list[str]:
    """Rows at which somebody works for the setup that comes next; [] where it is on already."""
    before = mounted(session)
    if before is None or before.pk == setup.pk:
        return []
    plan = plan_in_force(session.programme)
    one, other = _levels(plan, before), _levels(plan, setup)
    return changeover.touched(one, other, plan.works())


def retuned(session: Session, setup: Setup) -> dict[str, datetime]:
    """Settings of the setup that is on that were adjusted since its last pull, each with when it was last."""
    before = session.pulls.filter(state=PullState.COMPLETE).order_by("number").last()
    if before is None or before.setup_id != setup.pk:
        return {}
    return {each.key: each.at for each in setup.adjustments.filter(at__gt=before.armed_at)}


def first_heat(session: Session, slots: Collection[str]) -> datetime | None:
    """When the first pull ended that heated a part in one of the slots; None where none was changed on this stand.

    A check pass is over before anything is hot.
    """
    pulls = (
        Pull.objects.filter(
            session__programme=session.programme_id, session__stand=session.stand_id, state=PullState.COMPLETE
        )
        .exclude(purpose=Purpose.CHECK)
        .order_by("number")
    )
    heated: list[tuple[int, datetime]] = []  # the first pull of each visit
    for setup_id, ended_at, armed_at in pulls.values_list("setup_id", "ended_at", "armed_at"):
        if not heated or heated[-1][0] != setup_id:
            heated.append((setup_id, ended_at or armed_at))
    if len(heated) < 2:
        return None
    plan = plan_in_force(session.programme)
    levels = {one.pk: one.levels() for one in plan.setups}
    for (before, _), (after, at) in reversed(list(pairwise(heated))):
        if before in levels and after in levels:
            at_work = changeover.touched(levels[before], levels[after], plan.works())
            if set(at_work) & set(slots):
                return at
    return None


def planned_min(session: Session, setup: Setup) -> float:
    before = mounted(session)
    if before is None or before.pk == setup.pk:
        return 0.0
    plan = plan_in_force(session.programme)
    return changeover.minutes(_levels(plan, before), _levels(plan, setup), plan.works())


def swaps(session: Session, setup: Setup) -> list[Swap]:
    """From what to what, row by row, those that only come off and go back on left out."""
    before = mounted(session)
    if before is None or before.pk == setup.pk:
        return []
    plan = plan_in_force(session.programme)
    one, other = _levels(plan, before), _levels(plan, setup)
    parts = setup.parts.prefetch_related("readings")
    facts = {part.slot: sheets.values(part.readings.all()) for part in parts}
    return [
        Swap(key, plan.label(key), one.get(key, ""), other.get(key, ""), facts.get(key, {}))
        for key in dict.fromkeys([*one, *other])
        if one.get(key, "") != other.get(key, "")
    ]


def to_measure(session: Session, setup: Setup) -> list[ToMeasure]:
    """What should be measured while it lies open, because the build sheet only assumes it."""
    open_now = dict.fromkeys(key for slot in touched(session, setup) for key in MEASURED_OFF.get(slot, ()))
    if not open_now:
        return []
    found = sheets.settled(session.programme.build.readings.all())
    return [
        ToMeasure(key, SHEET[key].label)
        for key in open_now
        if key in SHEET and key in found and found[key].origin == Origin.ASSUMED
    ]


def _levels(plan: Plan, setup: Setup) -> dict[str, str]:
    return next(one.levels() for one in plan.setups if one.pk == setup.pk)


def current(session: Session, setup: Setup) -> Change | None:
    """The change to a setup that was begun and has not been pulled with yet."""
    last = session.pulls.filter(state=PullState.COMPLETE).order_by("-number").first()
    found = session.changes.filter(after=setup).order_by("-begun_at")
    return (found.filter(begun_at__gte=last.ended_at or last.armed_at) if last else found).first()


def begin(person: Person, session: Session, setup: Setup, at: datetime) -> Change:
    """Start the stopwatch."""
    require_operator(person)
    if session.closed_at is not None:
        raise Refusal("This session is closed. Open a new one.", code="session_closed")
    if session.pulls.filter(state__in=(PullState.ARMED, PullState.RUNNING)).exists():
        raise Refusal("A pull is armed or running: nobody works on the engine now. Abort it first.",
                      code="pull_running")  # fmt: skip
    running = session.changes.filter(ended_at=None).first()
    if running is not None:
        if running.after_id == setup.pk:
            return running
        raise Refusal(f"The change to {running.after} runs; it ends when a pull is armed.", code="change_running")
    return Change.objects.create(
        session=session, before=mounted(session), after=setup, planned_min=planned_min(session, setup), begun_at=at,
        begun_by=person,
    )  # fmt: skip


def record(person: Person, session: Session, setup: Setup, said: Mapping[str, str], at: datetime) -> Change:
    """The gasket, sealer and milling of the change to a setup, in words."""
    require_operator(person)
    if session.closed_at is not None:
        raise Refusal("This session is closed. Open a new one.", code="session_closed")
    change = of_tick(person, session, setup, at)
    for field in RECORDED:
        if field in said:
            setattr(change, field, optional(said[field], field, 120))
    change.save(update_fields=RECORDED)
    return change


def of_tick(person: Person, session: Session, setup: Setup, at: datetime) -> Change:
    """The change that a tick belongs to; one that nobody timed begins and ends with it."""
    found = current(session, setup)
    if found is not None:
        return found
    return Change.objects.create(
        session=session, before=mounted(session), after=setup, planned_min=planned_min(session, setup), begun_at=at,
        begun_by=person, ended_at=at,
    )  # fmt: skip


@transaction.atomic
def end(session: Session, setup: Setup, at: datetime) -> Change | None:
    """Stop the stopwatch, if it runs; the next plan learns from it if it ran for the setup that is armed."""
    change = session.changes.filter(ended_at=None).select_related("after", "before").first()
    if change is None:
        return None
    change.ended_at = max(at, change.begun_at)
    change.save(update_fields=["ended_at"])
    if change.before is not None and change.after_id == setup.pk:
        plan, usual = plan_in_force(session.programme), changeover.usual_works()
        one, other = _levels(plan, change.before), _levels(plan, change.after)
        took = (change.ended_at - change.begun_at).total_seconds() / 60
        changeover_times.note(session.programme, changeover.touched(one, other, usual),
                   changeover.minutes(one, other, usual), took, at)  # fmt: skip
    return change
