"""The day at the stand: sessions, pulls as they stand in the ribbon, and what is asked of the stand."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.db.models import F
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Field, Router, Schema
from torvix_core.air.air import air_from_relative_humidity
from torvix_core.units import quantities

from programmes.models import Programme, Setup
from shop.models import Person, Stand
from shop.permissions import is_person, may_operate, units_of
from stand.live import live_curve
from stand.live.display import Display, channel_name
from stand.models import Link, Pull, Session
from stand.pulls import arming, keeping, starting, steps, stopping
from stand.pulls.gates import gates
from stand.session import opening

router = Router(tags=["stand"])


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
    """Points of [rpm, torque in the person's unit]."""

    points: list[list[float]]


class CommandOut(Schema):
    id: int
    name: str
    state: str
    answer: str


def person_of(request: HttpRequest) -> Person:
    """Who asks."""
    assert is_person(request.user)  # the router's authentication has seen to it
    return request.user


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
        settings=pull.set_to,
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


def _day_air(session: Session | None, pulls: list[Pull], units: dict[str, str]) -> AirOut | None:
    """The air now while a session is open, else that of the last pull."""
    if session and session.closed_at is None:
        link = Link.objects.filter(stand=session.stand).first()
        if link and link.connected and link.weather:
            return air_out(**link.weather, units=units)
    for pull in reversed(pulls):
        if None not in (pull.barometer, pull.air_temperature, pull.relative_humidity):
            return air_out(pull.barometer, pull.air_temperature, pull.relative_humidity, units)  # type: ignore[arg-type]
    return None


@router.get("/programmes/{programme_id}/day", response=StandDay, operation_id="day")
def read_day(request: HttpRequest, programme_id: int):
    programme = get_object_or_404(Programme.objects.visible_to(person_of(request)), pk=programme_id)
    made = Pull.objects.filter(session__programme=programme).select_related("operator", "session")
    pulls = list(made.order_by("number"))
    # The open one, whatever the date of what was imported.
    newest = (F("closed_at").desc(nulls_first=True), "-opened_at")
    session = programme.sessions.select_related("stand").order_by(*newest).first()
    left = steps.steps_left(list(programme.steps.all()), pulls)
    return StandDay(
        pulls=[pull_mark(pull, before) for pull, before in zip(pulls, [None, *pulls], strict=False)],
        planned=[Planned(setup_id=step.setup_id, pulls=count) for step, count in left],
        session=_session_out(session) if session else None,
        stands=[
            StandOut(id=stand.pk, name=stand.name)
            for stand in Stand.objects.filter(on_line=True, retired_at=None).order_by("name")
        ],
        air=_day_air(session, pulls, units_of(person_of(request))),
    )


def _session_out(session: Session) -> SessionOut:
    return SessionOut(
        id=session.pk,
        stand=StandOut(id=session.stand.pk, name=session.stand.name),
        opened_at=session.opened_at,
        closed_at=session.closed_at,
        fuel=session.fuel,
        oil=session.oil,
        coolant=session.coolant,
    )


@router.get("/programmes/{programme_id}/stand", response=StandNow, operation_id="stand_now")
def stand_now(request: HttpRequest, programme_id: int):
    person = person_of(request)
    programme = get_object_or_404(Programme.objects.visible_to(person_of(request)), pk=programme_id)
    session = programme.sessions.filter(closed_at=None).select_related("stand").first()
    link = Link.objects.filter(stand=session.stand).first() if session else None
    display = Display(units_of(person_of(request)))
    hello: dict[str, Any] = link.hello if link else {}
    channels = [(name, display.unit(name)) for name, _ in hello.get("channels", [])]
    values = {name: display.value(name, value) for name, value in (link.values if link else {}).items()}
    open_pull = session.pulls.filter(state__in=("armed", "running")).first() if session else None
    like = starting.like_next(open_pull, programme)
    why = link.lost(timezone.now()) if link else "the bench worker has not reported yet"
    return StandNow(
        connected=session is not None and not why,
        why=f"{why}." if session else "No session is open.",
        alarm=link.alarm if link else "",
        unsaved=link.unsaved if link else "",
        stand_id=session.stand_id if session else None,
        stop_key=stopping.stop_key(person, session.stand) if session and may_operate(person) else "",
        state=link.state if link else "",
        simulated=bool(hello.get("simulated")),
        rate_hz=hello.get("rate_hz"),
        can=hello.get("can", []),
        channels=[ChannelOut(name=name, label=channel_name(name), unit=unit) for name, unit in channels if unit],
        values={name: value for name, value in values.items() if value is not None},
        faulty=link.faulty if link else [],
        gates=[GateOut(**display.gate(gate)) for gate in gates(programme, link, like)],
        pull=pull_mark(open_pull) if open_pull else None,
    )


@router.post("/programmes/{programme_id}/sessions", response=SessionOut, operation_id="open_session")
def open_session(request: HttpRequest, programme_id: int, given: SessionIn):
    programme = get_object_or_404(Programme.objects.visible_to(person_of(request)), pk=programme_id)
    stand = get_object_or_404(Stand, pk=given.stand_id)
    fluids = opening.Fluids(given.fuel, given.oil, given.coolant)
    return _session_out(opening.open_session(person_of(request), programme, stand, timezone.now(), fluids))


@router.post("/sessions/{session_id}/close", response=SessionOut, operation_id="close_session")
def close_session(request: HttpRequest, session_id: int):
    session = get_object_or_404(Session.objects.select_related("stand"), pk=session_id)
    return _session_out(opening.close_session(person_of(request), session, timezone.now()))


@router.post("/sessions/{session_id}/arm", response=PullMark, operation_id="arm")
def arm(request: HttpRequest, session_id: int, given: ArmIn):
    session = get_object_or_404(Session.objects.select_related("programme", "stand"), pk=session_id)
    setup = get_object_or_404(Setup, pk=given.setup_id)
    holds = [(hold.rpm, hold.s) for hold in given.holds]
    wanted = arming.PullRequest(given.purpose, given.start_rpm, given.end_rpm, given.rate_rpm_s, holds)
    return pull_mark(arming.arm(person_of(request), session, setup, timezone.now(), wanted))


@router.get("/pulls/{pull_id}/so-far", response=LiveCurveOut, operation_id="so_far")
def so_far(request: HttpRequest, pull_id: int):
    """The curve of a pull that runs, for a screen that opens or wakes in the middle of it."""
    person = person_of(request)
    seen = Programme.objects.visible_to(person)
    pull = get_object_or_404(Pull.objects.filter(session__programme__in=seen), pk=pull_id)
    scale = quantities.to_si_rule(units_of(person)["torque"]).scale
    return LiveCurveOut(points=[[rpm, round(torque / scale, 2)] for rpm, torque in live_curve.points(pull)])


def _pull(pull_id: int) -> Pull:
    return get_object_or_404(Pull.objects.select_related("session__stand", "session__programme"), pk=pull_id)


@router.post("/pulls/{pull_id}/start", response=CommandOut, operation_id="start_pull")
def start(request: HttpRequest, pull_id: int, given: StartIn):
    return starting.start(person_of(request), _pull(pull_id), given.override_reason)


@router.post("/pulls/{pull_id}/control", response=PullMark, operation_id="take_control")
def take_control(request: HttpRequest, pull_id: int):
    return pull_mark(starting.take_control(person_of(request), _pull(pull_id)))


@router.post("/pulls/{pull_id}/abort", response=CommandOut, operation_id="abort_pull")
def abort(request: HttpRequest, pull_id: int):
    return stopping.abort(person_of(request), _pull(pull_id))


@router.post("/stands/{stand_id}/stop", response=StopOut, auth=None, operation_id="stop_stand")
def stop(request: HttpRequest, stand_id: int, given: StopIn):
    """By a signed key in place of the session, which lies in the database: a stop must work without it."""
    return StopOut(reached=stopping.stop(stand_id, given.key))


@router.post("/pulls/{pull_id}/keep", response=PullMark, operation_id="keep_pull")
def keep(request: HttpRequest, pull_id: int):
    return pull_mark(keeping.keep(person_of(request), _pull(pull_id), timezone.now()))


@router.post("/pulls/{pull_id}/exclude", response=PullMark, operation_id="exclude_pull")
def exclude(request: HttpRequest, pull_id: int, given: ExcludeIn):
    return pull_mark(keeping.exclude(person_of(request), _pull(pull_id), timezone.now(), given.reason))
