"""The day at the stand: sessions, pulls as they stand in the ribbon, and what is asked of the stand."""

from __future__ import annotations

from datetime import datetime

from ninja import Field
from torvix_core.air.air import air_from_relative_humidity
from torvix_core.units import quantities

from shop.schema import Schema
from stand.models import Link, Pull, Session


class PullMark(Schema):
    """A pull as the ribbon shows it."""

    id: int
    number: int
    setup_id: int
    stand_id: int  # where it was made; a stand of its own for what was imported
    session_id: int
    state: str
    state_label: str
    standing: str
    standing_label: str
    ended_why: str
    tripped: str
    excluded_reason: str
    override_reason: str
    changed: bool
    first_after_change: bool
    purpose: str
    purpose_label: str
    started_at: datetime | None
    ended_at: datetime | None
    samples_lost: int
    sweep_start_rpm: float
    sweep_end_rpm: float
    sweep_rate_rpm_s: float
    settings: dict[str, str]
    operator_username: str
    operator: str


class Planned(Schema):
    setup_id: int
    pulls: int


class StandOut(Schema):
    id: int
    name: str


class SessionOut(Schema):
    id: int
    stand: StandOut
    opened_at: datetime
    closed_at: datetime | None
    fuel: str
    oil: str
    coolant: str


class CheckLineOut(Schema):
    """`right` is None where it was not measured."""

    words: str
    right: bool | None


class CheckPassOut(Schema):
    go: bool
    lines: list[CheckLineOut]


class AirOut(Schema):
    pressure: float
    pressure_unit: str
    temperature: float
    temperature_unit: str
    relative_humidity_percent: float
    density_altitude_ft: float


class StandDay(Schema):
    """All that the frame of every screen shows about the stand."""

    pulls: list[PullMark]
    planned: list[Planned]
    session: SessionOut | None
    stands: list[StandOut]
    air: AirOut | None


class GateOut(Schema):
    channel: str
    name: str
    unit: str
    low: float
    high: float
    value: float | None
    side: str
    like: list[int]


class ChannelOut(Schema):
    name: str
    label: str
    unit: str


class StandNow(Schema):
    """The stand as a screen that opens in the middle needs it; frames go on from there."""

    connected: bool
    why: str
    alarm: str
    unsaved: str  # records of this stand that are kept in a file, with what to do
    stand_id: int | None
    recorder: str  # the folder of a stand that has no line
    stop_key: str  # empty for those who may not operate
    state: str
    simulated: bool
    rate_hz: float | None
    can: list[str]
    channels: list[ChannelOut]
    values: dict[str, float]
    faulty: list[str]
    gates: list[GateOut]
    pull: PullMark | None


class SessionIn(Schema):
    stand_id: int
    fuel: str = ""
    oil: str = ""
    coolant: str = ""


class HoldIn(Schema):
    rpm: float
    s: float


class ArmIn(Schema):
    """Empty fields are as the plan says; an empty purpose is chosen by what went before."""

    setup_id: int
    purpose: str = ""
    start_rpm: float | None = None
    end_rpm: float | None = None
    rate_rpm_s: float | None = None
    holds: list[HoldIn] = Field(default_factory=list)


class StopIn(Schema):
    key: str


class StopOut(Schema):
    reached: bool  # the bench worker has passed it to the stand; else the command waits for the worker


class StartIn(Schema):
    override_reason: str = ""


class ExcludeIn(Schema):
    reason: str


class LiveCurveOut(Schema):
    """Points of [rpm, torque, power], both in the person's units."""

    points: list[list[float]]


class CommandOut(Schema):
    id: int
    name: str
    state: str
    answer: str


def pull_mark(pull: Pull, before: Pull | None = None) -> PullMark:
    return PullMark(
        id=pull.pk,
        number=pull.number,
        setup_id=pull.setup_id,
        stand_id=pull.session.stand_id,
        session_id=pull.session_id,
        state=pull.state,
        state_label=pull.get_state_display(),
        standing=pull.standing,
        standing_label=pull.get_standing_display(),
        ended_why=pull.ended_why,
        tripped=pull.tripped,
        excluded_reason=pull.excluded_reason,
        override_reason=pull.override_reason,
        changed=before is not None and before.setup_id != pull.setup_id,
        first_after_change=pull.first_after_change,
        purpose=pull.purpose,
        purpose_label=pull.get_purpose_display(),
        started_at=pull.started_at,
        ended_at=pull.ended_at,
        samples_lost=pull.samples_lost,
        sweep_start_rpm=pull.sweep_start_rpm,
        sweep_end_rpm=pull.sweep_end_rpm,
        sweep_rate_rpm_s=pull.sweep_rate_rpm_s,
        settings=pull.settings_in_force,
        operator_username=pull.operator.username,
        operator=str(pull.operator),
    )


def air_out(barometer: float, temperature: float, relative_humidity: float, units: dict[str, str]) -> AirOut | None:
    """None where the readings cannot be weather."""
    try:
        air = air_from_relative_humidity(barometer, temperature, relative_humidity)
    except ValueError:
        return None
    return AirOut(
        pressure=float(quantities.from_si(barometer, units["air_pressure"])),
        pressure_unit=units["air_pressure"],
        temperature=float(quantities.from_si(temperature, units["temperature"])),
        temperature_unit=units["temperature"],
        relative_humidity_percent=relative_humidity * 100,
        density_altitude_ft=float(quantities.from_si(air.density_altitude, "ft")),
    )


def day_air_out(session: Session | None, pulls: list[Pull], units: dict[str, str]) -> AirOut | None:
    """The air now while a session is open, else that of the last pull."""
    if session and session.closed_at is None:
        link = Link.objects.filter(stand=session.stand).first()
        if link and link.connected and link.weather:
            return air_out(**link.weather, units=units)
    for pull in reversed(pulls):
        if None not in (pull.barometer, pull.air_temperature, pull.relative_humidity):
            return air_out(pull.barometer, pull.air_temperature, pull.relative_humidity, units)  # type: ignore[arg-type]
    return None


def session_out(session: Session) -> SessionOut:
    return SessionOut(
        id=session.pk,
        stand=StandOut(id=session.stand.pk, name=session.stand.name),
        opened_at=session.opened_at,
        closed_at=session.closed_at,
        fuel=session.fuel,
        oil=session.oil,
        coolant=session.coolant,
    )
