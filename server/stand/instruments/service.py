"""The register of a stand's instruments: checks written down, when each is due again, and what is known of torque."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np
from torvix_core.pull.span_check import local_gravity, span_check
from torvix_core.pull.trace import BANKS, MIXTURE, PLAUSIBLE, TORQUE
from torvix_core.units import quantities
from torvix_core.units.quantity_parser import NotUnderstood, read_count, read_quantity

from shop import audit, moments
from shop.models import Person, Stand
from shop.permissions import require_operator, require_owner, units_of
from shop.refusals import Invalid
from shop.texts import optional
from stand.live.display import FIXED, FOLLOWS, channel_name
from stand.models import InstrumentCheck, InstrumentCheckKind, InstrumentInterval, Link, Pull

USUAL_DAYS = {TORQUE: 90, **dict.fromkeys((MIXTURE, *BANKS), 180)}  # between two checks of a channel [prac]
OTHER_DAYS = 365
MOST_READINGS = 40
ARM_M, HUNG_KG, TORQUE_NM = (0.05, 5.0), (0.0, 2000.0), (-20_000.0, 20_000.0)
ARM_MM = "1 mm"  # where nobody says how well the arm is known [prac]
WEIGHTS = "0.1 %"


@dataclass(frozen=True)
class InstrumentState:
    """A channel of a stand: its last checks, and when the next is due; None where none is asked for."""

    channel: str
    name: str
    zero: InstrumentCheck | None
    check: InstrumentCheck | None  # the last that says how far it reads off
    days: int | None
    due_at: datetime | None

    def is_due(self, at: datetime) -> bool:
        return self.due_at is not None and self.due_at <= at


@dataclass(frozen=True)
class SpanEntry:
    """A span check as somebody typed it: weights and readings by row."""

    weights: Sequence[str]
    readings: Sequence[str]
    arm: str
    arm_uncertainty: str = ""
    weights_percent: str = ""
    latitude: str = ""
    note: str = ""


def register(stand: Stand) -> list[InstrumentState]:
    """Every channel that the stand sends or that was ever checked, torque first."""
    checks = list(stand.instrument_checks.all())
    own = {row.channel: row.days for row in stand.instrument_intervals.all()}
    link: Link | None = getattr(stand, "link", None)
    sent = [name for name, _ in (link.hello if link else {}).get("channels", [])]
    names = [name for name in dict.fromkeys([*sent, *(one.channel for one in checks), *own]) if name in PLAUSIBLE]
    found = []
    for name in sorted(names, key=lambda name: name != TORQUE):
        mine = [one for one in checks if one.channel == name]
        last = next((one for one in reversed(mine) if one.kind != InstrumentCheckKind.ZERO), None)
        days = own.get(name, USUAL_DAYS.get(name, OTHER_DAYS))
        due_at = last.at + timedelta(days=days) if last and days else None
        zero = next((one for one in reversed(mine) if one.kind == InstrumentCheckKind.ZERO), None)
        found.append(InstrumentState(name, channel_name(name), zero, last, days, due_at))
    return found


def due(stand: Stand, at: datetime) -> list[str]:
    """What is asked for before a session: channels whose last check has run out. One that nobody ever checked is
    shown in the register and asked for by nobody."""
    return [
        f"{one.name}: the check of {_date(one.check.at)} ran out on {_date(one.due_at)}"
        for one in register(stand)
        if one.check and one.due_at and one.is_due(at)
    ]


def _date(at: datetime) -> str:
    """By the shop's clock."""
    return f"{at.astimezone(moments.clock()):%Y-%m-%d}"


def known_at(stand: Stand, channel: str, at: datetime) -> InstrumentCheck | None:
    """The last check before `at` that says how far a channel read off."""
    checks = stand.instrument_checks.filter(channel=channel, at__lte=at).exclude(kind=InstrumentCheckKind.ZERO)
    return checks.order_by("at", "pk").last()


def torque_error(check: InstrumentCheck) -> tuple[float, float] | None:
    """By what share of a reading torque was found to read high, and its uncertainty at 95 %; None of a zero."""
    if check.error is None or check.uncertainty is None:
        return None
    if check.kind == InstrumentCheckKind.SPAN:
        return check.error, check.uncertainty
    reference = abs(check.points[0][0]) if check.points else 0.0
    return (check.error / reference, check.uncertainty / reference) if reference > 0 else None


def torque_checks(pulls: Sequence[Pull]) -> list[tuple[InstrumentCheck, list[Pull]]]:
    """Pulls by the check that their torque was read under, the earliest check first. Those before any are not in it.

    The pulls need their session. One query, however many pulls and stands.
    """
    stands = {pull.session.stand_id for pull in pulls}
    checks = list(
        InstrumentCheck.objects.filter(stand__in=stands, channel=TORQUE)
        .exclude(kind=InstrumentCheckKind.ZERO).order_by("at", "pk")
    )  # fmt: skip
    found: dict[InstrumentCheck, list[Pull]] = {}
    for pull in pulls:
        before = [one for one in checks if one.stand_id == pull.session.stand_id and one.at <= pull.armed_at]
        if before:
            found.setdefault(before[-1], []).append(pull)
    return sorted(found.items(), key=lambda item: (item[0].at, item[0].pk))


def torque_words(stand: Stand, at: datetime) -> str:
    """How far a torque reading of that day is to be trusted; "" where nobody checked it."""
    found = known_at(stand, TORQUE, at)
    share = None if found is None else torque_error(found)
    if found is None or share is None:
        return ""
    error, uncertainty = share
    days = next((row.days for row in stand.instrument_intervals.all() if row.channel == TORQUE), USUAL_DAYS[TORQUE])
    late = bool(days) and at - found.at > timedelta(days=days or 0)
    side = "high" if error > 0 else "low"
    reads = f"reads {100 * abs(error):.2f} % {side} ± {100 * uncertainty:.2f} %, not corrected here"
    if abs(error) <= uncertainty:
        reads = f"± {100 * max(uncertainty, abs(error)):.2f} %"
    kind = "span check" if found.kind == InstrumentCheckKind.SPAN else "check against a reference"
    return f"{reads}, by the {kind} of {_date(found.at)}{', which has run out' if late else ''}"


def write_zero(
    person: Person, stand: Stand, channel: str, reading: str, at: datetime, note: str = ""
) -> InstrumentCheck:
    """What a channel reads where nothing is there to read."""
    require_operator(person)
    value = _reading(person, channel, reading, "reading")
    return InstrumentCheck.objects.create(
        stand=stand, channel=channel, kind=InstrumentCheckKind.ZERO, at=at, by=person, zero=value,
        note=optional(note, "note", 200),
    )  # fmt: skip


def write_reference(
    person: Person, stand: Stand, channel: str, reference: str, reading: str, known_to: str, at: datetime,
    note: str = "",
) -> InstrumentCheck:  # fmt: skip
    """What a channel reads beside an instrument that is known to `known_to` at 95 %."""
    require_operator(person)
    wrong: dict[str, str] = {}
    values: dict[str, float] = {}
    for field, text in (("reference", reference), ("reading", reading)):
        try:
            values[field] = _reading(person, channel, text, field)
        except Invalid as invalid:
            wrong |= invalid.fields
    unit = _unit(person, channel)
    try:
        typed = read_quantity(known_to, quantities.measures(unit), unit)
        values["known"] = typed.value - float(quantities.to_si(0.0, typed.unit))  # a width: 2 °C wide is 2 K
        if values["known"] <= 0:
            raise NotUnderstood("Say within how much the reference is right; nothing is known without doubt.")
    except NotUnderstood as reason:
        wrong["known_to"] = str(reason)
    if wrong:
        raise Invalid("The check is not usable: see the fields.", fields=wrong)
    return InstrumentCheck.objects.create(
        stand=stand, channel=channel, kind=InstrumentCheckKind.REFERENCE, at=at, by=person,
        error=values["reading"] - values["reference"], uncertainty=values["known"],
        points=[[values["reference"], values["reading"]]], note=optional(note, "note", 200),
    )  # fmt: skip


def write_span(person: Person, stand: Stand, entry: SpanEntry, at: datetime) -> InstrumentCheck:
    """Weights on an arm against the torque that was read. Invalid names the row."""
    require_operator(person)
    units, wrong = units_of(person), {}

    def typed(field: str, text: str, measure: str, unit: str, low: float, high: float) -> float:
        try:
            return read_quantity(text, measure, unit, low, high).value
        except NotUnderstood as reason:
            wrong[field] = str(reason)
            return float("nan")

    rows = [
        (at_row, weight, reading)
        for at_row, (weight, reading) in enumerate(zip(entry.weights, entry.readings, strict=False))
        if weight.strip() or reading.strip()
    ]
    if len(rows) > MOST_READINGS:
        raise Invalid("Too many readings.", fields={"weights": f"at most {MOST_READINGS} are taken"})
    mass = [typed(f"weights.{row}", weight, "mass", units["mass"], *HUNG_KG) for row, weight, _ in rows]
    read = [typed(f"readings.{row}", text, "torque", units["torque"], *TORQUE_NM) for row, _, text in rows]
    arm = typed("arm", entry.arm, "length", units["length"], *ARM_M)
    arm_to = typed("arm_uncertainty", entry.arm_uncertainty or ARM_MM, "length", units["length"], 0.0, 0.05)
    share = typed("weights_percent", entry.weights_percent or WEIGHTS, "fraction", "%", 0.0, 0.05)
    gravity = None
    try:
        if entry.latitude.strip():
            latitude = read_quantity(entry.latitude, "angle", "°", -90, 90).value
            gravity = local_gravity(latitude, stand.elevation or 0.0)
    except NotUnderstood as reason:
        wrong["latitude"] = str(reason)
    if wrong:
        raise Invalid("The check is not usable: see the fields.", fields=wrong)
    try:
        found = span_check(
            np.array(mass), np.array(read), arm, arm_uncertainty=arm_to, mass_uncertainty=share, gravity=gravity
        )
    except ValueError as error:
        raise Invalid("The readings make no check.", fields={"weights": str(error)}) from error
    return InstrumentCheck.objects.create(
        stand=stand, channel=TORQUE, kind=InstrumentCheckKind.SPAN, at=at, by=person, zero=found.zero,
        error=found.error, uncertainty=found.uncertainty, arm=arm,
        points=[list(pair) for pair in zip(mass, read, strict=True)], note=optional(entry.note, "note", 200),
    )  # fmt: skip


def set_interval(person: Person, stand: Stand, channel: str, days: str, at: datetime) -> None:
    """How often a channel is to be checked; an empty text asks for no check."""
    require_owner(person)
    _unit(person, channel)
    number = None
    if days.strip():
        try:
            number = read_count(days, 1, 3650)
        except NotUnderstood as reason:
            raise Invalid("The interval is not usable.", fields={"days": str(reason)}) from reason
    InstrumentInterval.objects.update_or_create(stand=stand, channel=channel, defaults={"days": number})
    asked = f"every {number} days" if number else "not asked for"
    audit.note(person, f"set the checks of {channel_name(channel).lower()} on {stand}: {asked}", at)


def unit_of(channel: str, units: Mapping[str, str]) -> str:
    """The unit in which a channel is read."""
    return units[FOLLOWS[channel]] if channel in FOLLOWS else FIXED.get(channel, "")


def _unit(person: Person, channel: str) -> str:
    unit = unit_of(channel, units_of(person))
    if channel not in PLAUSIBLE or not unit:
        raise Invalid("There is no such channel.", fields={"channel": "choose one of the register"})
    return unit


def _reading(person: Person, channel: str, text: str, field: str) -> float:
    unit = _unit(person, channel)
    try:
        return read_quantity(text, quantities.measures(unit), unit, *PLAUSIBLE[channel]).value
    except NotUnderstood as reason:
        raise Invalid("The reading is not usable.", fields={field: str(reason)}) from reason
