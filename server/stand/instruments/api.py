"""The register of instruments: read by everybody, checks written by operators, intervals by the owner."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Field, Router
from torvix_core.units import quantities

from shop.models import Person, Role, Stand
from shop.permissions import person_of, units_of
from shop.schema import Schema
from stand.instruments import service as instruments
from stand.models import InstrumentCheck, InstrumentCheckKind

router = Router(tags=["instruments"])


class InstrumentCheckOut(Schema):
    kind: str
    at: datetime
    by: str
    found: str  # in the reader's units
    note: str


class InstrumentOut(Schema):
    """A channel of the register; `due_at` is empty where nothing is asked for or nobody ever checked it."""

    channel: str
    name: str
    unit: str
    zero: InstrumentCheckOut | None
    check: InstrumentCheckOut | None
    days: int | None
    due_at: datetime | None
    is_due: bool


class StandInstruments(Schema):
    stand_id: int
    stand: str
    instruments: list[InstrumentOut]


class RegisterOut(Schema):
    stands: list[StandInstruments]
    torque_unit: str
    mass_unit: str
    length_unit: str
    may_write: bool
    may_set: bool


class ZeroIn(Schema):
    reading: str
    note: str = ""


class ReferenceIn(Schema):
    reference: str
    reading: str
    known_to: str
    note: str = ""


class SpanIn(Schema):
    """Weights and readings by row, as they are typed; an empty row says nothing."""

    weights: list[str] = Field(max_length=200)
    readings: list[str] = Field(max_length=200)
    arm: str
    arm_uncertainty: str = ""
    weights_percent: str = ""
    latitude: str = ""
    note: str = ""


class IntervalIn(Schema):
    days: str = ""


def found_words(check: InstrumentCheck, units: Mapping[str, str]) -> str:
    """What a check found, in the reader's units."""
    unit = instruments.unit_of(check.channel, units)
    if check.kind == InstrumentCheckKind.ZERO:
        return f"reads {quantities.words(check.zero or 0.0, unit)} at nothing"
    error, uncertainty = check.error or 0.0, check.uncertainty or 0.0
    side = "high" if error > 0 else "low"
    if check.kind == InstrumentCheckKind.SPAN:
        found = f"reads {abs(100 * error):.2f} % {side} ± {100 * uncertainty:.2f} %"
        return f"{found}, {quantities.words(check.zero or 0.0, unit)} with no load"
    scale = quantities.to_si_rule(unit).scale
    digits = max(quantities.digits(unit), 1)
    return f"reads {abs(error) / scale:.{digits}f} {unit} {side} ± {uncertainty / scale:.{digits}f} {unit}"


def _check(check: InstrumentCheck | None, units: Mapping[str, str]) -> InstrumentCheckOut | None:
    if check is None:
        return None
    return InstrumentCheckOut(
        kind=check.get_kind_display(), at=check.at, by=str(check.by), found=found_words(check, units), note=check.note
    )


def _out(person: Person) -> RegisterOut:
    units, now = units_of(person), timezone.now()
    stands = Stand.objects.filter(on_line=True, retired_at=None).select_related("link").order_by("name")
    return RegisterOut(
        stands=[
            StandInstruments(
                stand_id=stand.pk, stand=stand.name,
                instruments=[
                    InstrumentOut(
                        channel=one.channel, name=one.name, unit=instruments.unit_of(one.channel, units),
                        zero=_check(one.zero, units), check=_check(one.check, units), days=one.days,
                        due_at=one.due_at, is_due=one.is_due(now),
                    )
                    for one in instruments.register(stand)
                ],
            )
            for stand in stands.prefetch_related("instrument_checks__by", "instrument_intervals")
        ],
        torque_unit=units["torque"], mass_unit=units["mass"], length_unit=units["length"],
        may_write=person.role in (Role.OWNER, Role.OPERATOR), may_set=person.role == Role.OWNER,
    )  # fmt: skip


@router.get("/instruments", response=RegisterOut, operation_id="instruments")
def read_register(request: HttpRequest) -> RegisterOut:
    return _out(person_of(request))


@router.post("/stands/{stand_id}/instruments/torque/span", response=RegisterOut, operation_id="write_span_check")
def write_span(request: HttpRequest, stand_id: int, given: SpanIn) -> RegisterOut:
    person, stand = person_of(request), get_object_or_404(Stand, pk=stand_id)
    instruments.write_span(person, stand, instruments.SpanEntry(**given.model_dump()), timezone.now())
    return _out(person)


@router.post("/stands/{stand_id}/instruments/{channel}/zero", response=RegisterOut, operation_id="write_zero_check")
def write_zero(request: HttpRequest, stand_id: int, channel: str, given: ZeroIn) -> RegisterOut:
    person, stand = person_of(request), get_object_or_404(Stand, pk=stand_id)
    instruments.write_zero(person, stand, channel, given.reading, timezone.now(), given.note)
    return _out(person)


@router.post("/stands/{stand_id}/instruments/{channel}/reference", response=RegisterOut,
             operation_id="write_reference_check")  # fmt: skip
def write_reference(request: HttpRequest, stand_id: int, channel: str, given: ReferenceIn) -> RegisterOut:
    person, stand = person_of(request), get_object_or_404(Stand, pk=stand_id)
    instruments.write_reference(person, stand, channel, given.reference, given.reading, given.known_to,
                                timezone.now(), given.note)  # fmt: skip
    return _out(person)


@router.put("/stands/{stand_id}/instruments/{channel}/interval", response=RegisterOut,
            operation_id="set_instrument_interval")  # fmt: skip
def set_interval(request: HttpRequest, stand_id: int, channel: str, given: IntervalIn) -> RegisterOut:
    person, stand = person_of(request), get_object_or_404(Stand, pk=stand_id)
    instruments.set_interval(person, stand, channel, given.days, timezone.now())
    return _out(person)
