"""The day at the stand: sessions, pulls as they stand in the ribbon, and what is asked of the stand."""

from __future__ import annotations

from typing import Any

from django.db.models import F
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router
from torvix_core.pull.check_pass import CheckPass

from programmes.models import Programme, Setup
from shop.models import Stand
from shop.permissions import may_operate, person_of, units_of
from stand.live import live_curve
from stand.live.display import Display, channel_name
from stand.models import Link, Pull, Purpose, Session
from stand.pulls import arming, check_passes, keeping, starting, steps, stopping
from stand.pulls.gates import gates
from stand.pulls.schemas import (
    ArmIn,
    ChannelOut,
    CheckLineOut,
    CheckPassOut,
    CommandOut,
    ExcludeIn,
    GateOut,
    LiveCurveOut,
    Planned,
    PullMark,
    SessionIn,
    SessionOut,
    StandDay,
    StandNow,
    StandOut,
    StartIn,
    StopIn,
    StopOut,
    day_air_out,
    pull_mark,
    session_out,
)
from stand.session import opening

router = Router(tags=["stand"])


@router.get("/programmes/{programme_id}/day", response=StandDay, operation_id="day")
def read_day(request: HttpRequest, programme_id: int) -> StandDay:
    programme = get_object_or_404(Programme.objects.visible_to(person_of(request)), pk=programme_id)
    made = Pull.objects.filter(session__programme=programme).select_related("operator", "session")
    pulls = list(made.prefetch_related("settings").order_by("number"))
    # The open one, whatever the date of what was imported.
    newest = (F("closed_at").desc(nulls_first=True), "-opened_at")
    session = programme.sessions.select_related("stand").order_by(*newest).first()
    left = steps.steps_left(list(programme.steps.all()), pulls)
    return StandDay(
        pulls=[pull_mark(pull, before) for pull, before in zip(pulls, [None, *pulls], strict=False)],
        planned=[Planned(setup_id=step.setup_id, pulls=count) for step, count in left],
        session=session_out(session) if session else None,
        stands=[
            StandOut(id=stand.pk, name=stand.name)
            for stand in Stand.objects.filter(on_line=True, retired_at=None).order_by("name")
        ],
        air=day_air_out(session, pulls, units_of(person_of(request))),
    )


@router.get("/programmes/{programme_id}/stand", response=StandNow, operation_id="stand_now")
def stand_now(request: HttpRequest, programme_id: int) -> StandNow:
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
        recorder=session.stand.recorder if session else "",
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
def open_session(request: HttpRequest, programme_id: int, given: SessionIn) -> SessionOut:
    programme = get_object_or_404(Programme.objects.visible_to(person_of(request)), pk=programme_id)
    stand = get_object_or_404(Stand, pk=given.stand_id)
    fluids = opening.Fluids(given.fuel, given.oil, given.coolant)
    return session_out(opening.open_session(person_of(request), programme, stand, timezone.now(), fluids))


@router.post("/sessions/{session_id}/close", response=SessionOut, operation_id="close_session")
def close_session(request: HttpRequest, session_id: int) -> SessionOut:
    session = get_object_or_404(Session.objects.select_related("stand"), pk=session_id)
    return session_out(opening.close_session(person_of(request), session, timezone.now()))


@router.post("/sessions/{session_id}/arm", response=PullMark, operation_id="arm")
def arm(request: HttpRequest, session_id: int, given: ArmIn) -> PullMark:
    session = get_object_or_404(Session.objects.select_related("programme", "stand"), pk=session_id)
    setup = get_object_or_404(Setup, pk=given.setup_id)
    holds = [(hold.rpm, hold.s) for hold in given.holds]
    wanted = arming.PullRequest(given.purpose, given.start_rpm, given.end_rpm, given.rate_rpm_s, holds)
    return pull_mark(arming.arm(person_of(request), session, setup, timezone.now(), wanted))


@router.get("/pulls/{pull_id}/live-curve", response=LiveCurveOut, operation_id="live_curve")
def read_live_curve(request: HttpRequest, pull_id: int) -> LiveCurveOut:
    """The curve of a pull that runs, for a screen that opens or wakes in the middle of it."""
    person = person_of(request)
    seen = Programme.objects.visible_to(person)
    pull = get_object_or_404(Pull.objects.filter(session__programme__in=seen), pk=pull_id)
    return LiveCurveOut(points=Display(units_of(person)).points(live_curve.points(pull)))


@router.get("/pulls/{pull_id}/check-pass", response=CheckPassOut, operation_id="check_pass")
def read_check_pass(request: HttpRequest, pull_id: int) -> CheckPassOut:
    """Go or no go, line by line; no line for a pull that is no check pass."""
    person = person_of(request)
    seen = Pull.objects.filter(session__programme__in=Programme.objects.visible_to(person))
    pull = get_object_or_404(seen.select_related("setup", "build"), pk=pull_id)
    found = check_passes.read(pull) if pull.purpose == Purpose.CHECK else CheckPass(())
    units = units_of(person)
    return CheckPassOut(go=found.go, lines=[
        CheckLineOut(words=check_passes.line_words(line, units), right=line.right) for line in found.lines
    ])  # fmt: skip


def _pull(pull_id: int) -> Pull:
    return get_object_or_404(Pull.objects.select_related("session__stand", "session__programme"), pk=pull_id)


@router.post("/pulls/{pull_id}/start", response=CommandOut, operation_id="start_pull")
def start(request: HttpRequest, pull_id: int, given: StartIn) -> CommandOut:
    return CommandOut.model_validate(starting.start(person_of(request), _pull(pull_id), given.override_reason))


@router.post("/pulls/{pull_id}/control", response=PullMark, operation_id="take_control")
def take_control(request: HttpRequest, pull_id: int) -> PullMark:
    return pull_mark(starting.take_control(person_of(request), _pull(pull_id)))


@router.post("/pulls/{pull_id}/abort", response=CommandOut, operation_id="abort_pull")
def abort(request: HttpRequest, pull_id: int) -> CommandOut:
    return CommandOut.model_validate(stopping.abort(person_of(request), _pull(pull_id)))


@router.post("/stands/{stand_id}/stop", response=StopOut, auth=None, operation_id="stop_stand")
def stop(request: HttpRequest, stand_id: int, given: StopIn) -> StopOut:
    """By a signed key in place of the session, which lies in the database: a stop must work without it."""
    return StopOut(reached=stopping.stop(stand_id, given.key))


@router.post("/pulls/{pull_id}/keep", response=PullMark, operation_id="keep_pull")
def keep(request: HttpRequest, pull_id: int) -> PullMark:
    return pull_mark(keeping.keep(person_of(request), _pull(pull_id), timezone.now()))


@router.post("/pulls/{pull_id}/exclude", response=PullMark, operation_id="exclude_pull")
def exclude(request: HttpRequest, pull_id: int, given: ExcludeIn) -> PullMark:
    return pull_mark(keeping.exclude(person_of(request), _pull(pull_id), timezone.now(), given.reason))
