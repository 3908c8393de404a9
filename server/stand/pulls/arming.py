"""Make the next pull ready: what it is to be, what stands in its way, and what the stand is told of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from django.db import IntegrityError, transaction
from django.db.models import Max

from engines.builds.service import mark_used as close_build
from engines.sheet import sheets
from programmes.expectations.service import seal
from programmes.models import Candidate, PracticeTest, Programme, Setup
from programmes.plan.versions import mark_used
from programmes.settings import service as adjusting
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Invalid, Refusal
from stand.models import ENDED, Link, Pull, PullSetting, PullState, Purpose, Session
from stand.pulls import check_passes, sweeps
from stand.pulls.commands import command_stand
from stand.pulls.steps import next_step
from stand.session import cautions, changes, checklist, tuning_time
from stand.session.opening import lock_open


@dataclass(frozen=True)
class PullRequest:
    """What the next pull is to be. None: as the plan says; an empty purpose is chosen by what went before."""

    purpose: str = ""
    start_rpm: float | None = None
    end_rpm: float | None = None
    rate_rpm_s: float | None = None
    holds: Sequence[tuple[float, float]] = ()  # rpm and seconds of each step


def arm(person: Person, session: Session, setup: Setup, at: datetime, wanted: PullRequest = PullRequest()) -> Pull:
    """Make the next pull ready: the bench tells the stand what is bolted on and which sweep comes."""
    require_operator(person)
    programme = session.programme
    if session.closed_at is not None:
        raise Refusal("This session is closed. Open a new one.", code="session_closed")
    if setup.programme_id != programme.pk:
        raise Invalid("This setup belongs to another test.", fields={"setup_id": "choose one of this test"})
    if setup.candidate != Candidate.IN:
        raise Refusal(f"{setup.letter} is not in the plan: {setup.candidate_reason}. Take it in first.",
                      code="not_in_plan")  # fmt: skip
    cautions.require_read(person, session)
    if begun := list(session.open_jobs.filter(closed_at=None).select_related("owner")):
        message = "; ".join(f"{job} ({job.owner})" for job in begun)
        raise Refusal(f"Not armed while a job is open: {message}. Finish it and close it first.", code="job_open")
    checklist.require_seen_to(session, setup)
    link = Link.objects.filter(stand=session.stand).first()
    if lost := link.lost(at) if link else "the bench worker does not run":
        raise Refusal(f"{session.stand} is not linked: {lost}.", code="stand_lost")
    purpose = _purpose(session, setup, wanted)
    start_rpm, end_rpm, rate = sweeps.checked(programme, wanted.start_rpm, wanted.end_rpm, wanted.rate_rpm_s)
    if purpose == Purpose.CHECK and wanted.end_rpm is None:
        end_rpm = check_passes.end_of(start_rpm, end_rpm, rate)
    check_passes.require_go(person, session, setup, purpose)
    holds = sweeps.checked_holds(programme, wanted.holds) if purpose == Purpose.STEPS else []
    made = Pull.objects.filter(session__programme=programme)
    # A check pass is over before the new part has taken its heat: the pull after it is still the first.
    full = made.filter(session=session, state=PullState.COMPLETE).exclude(purpose=Purpose.CHECK)
    before = full.order_by("number").last()
    try:
        with transaction.atomic():
            lock_open(session)
            if before is not None and before.setup_id != setup.pk:
                tuning_time.note_visit(session)
            changes.end(session, setup, at)
            pull = Pull.objects.create(
                session=session,
                number=(made.aggregate(last=Max("number"))["last"] or 0) + 1,
                setup=setup,
                build=programme.build,
                step=next_step(programme, setup),
                plan_version=mark_used(programme, at),
                purpose=purpose,
                armed_at=at,
                operator=person,
                first_after_change=before is None or before.setup_id != setup.pk,
                sweep_start_rpm=start_rpm,
                sweep_end_rpm=end_rpm,
                sweep_rate_rpm_s=rate,
                held_speeds=holds,
            )
            PullSetting.objects.bulk_create(
                PullSetting(pull=pull, key=key, text=value.text) for key, value in adjusting.in_force(setup).items()
            )
            close_build(programme.build, at)
            seal(setup, at)
            sweep = {"start_rpm": start_rpm, "end_rpm": end_rpm, "rate_rpm_s": rate}
            if holds:
                sweep["holds"] = [{"rpm": rpm, "s": seconds} for rpm, seconds in holds]  # type: ignore[assignment]
            command_stand(person, session.stand, "arm", pull, {**sweep, "fit": bolted_on(programme, setup)})
    except IntegrityError as error:
        raise _conflict(session) from error
    return pull


def _conflict(session: Session) -> Refusal:
    """What stands in the way of an arming, by name."""
    open_pulls = Pull.objects.filter(session__stand=session.stand).exclude(state__in=ENDED)
    found = open_pulls.select_related("operator", "session__programme").first()
    if found is None:
        return Refusal("Somebody else armed at the same moment. Look at the stand, then arm again.", code="overtaken")
    in_the_way = f"{found} of “{found.session.programme.question}” is {found.get_state_display().lower()}"
    return Refusal(f"{in_the_way}, by {found.operator}. Abort or finish it first.", code="pull_running")


def _purpose(session: Session, setup: Setup, wanted: PullRequest) -> Purpose:
    if wanted.purpose:
        if wanted.purpose not in Purpose.values:
            raise Invalid("There is no such pull.", fields={"purpose": f"one of {', '.join(map(str, Purpose.labels))}"})
        return Purpose(wanted.purpose)
    return purpose_of(session, setup)


def purpose_of(session: Session, setup: Setup) -> Purpose:
    """What the next pull of a setup is for where nobody says: what the plan has come before the pulls that count."""
    if session.programme.day_rules.check_pass_first and not check_passes.passed(session, setup):
        return Purpose.CHECK
    return Purpose.WARM_UP if warm_ups_left(session, setup) > 0 else Purpose.SWEEP


def warm_ups_left(session: Session, setup: Setup) -> int:
    """How many pulls after the last change still only warm the new part; as many as the plan reckons with."""
    done = 0
    complete = session.pulls.filter(state=PullState.COMPLETE).order_by("-number")
    for setup_id, purpose in complete.values_list("setup_id", "purpose"):
        if setup_id != setup.pk:
            break
        done += purpose in (Purpose.WARM_UP, Purpose.SWEEP)
    return max(0, session.programme.day_rules.conditioning_pulls - done)


def bolted_on(programme: Programme, setup: Setup) -> dict[str, object]:
    """What a simulated stand has to know of the engine and the setup; a real one never hears of it."""
    readings = programme.build.readings.all()
    return {
        "label": f"{programme.pk}/{setup.letter}",
        "engine": {key: value for key, value in sheets.values(readings).items() if key in FIT_ENGINE},
        "parts": [{"slot": part.slot, "name": part.name, "values": sheets.values(part.readings.all())}
                  for part in setup.parts.prefetch_related("readings")],
        "settings": {key.removeprefix("setting:"): value.text if value.value is None else value.value
                     for key, value in adjusting.in_force(setup).items()},
        **_practice(programme),
    }  # fmt: skip


def _practice(programme: Programme) -> dict[str, object]:
    """What a simulated stand draws the hidden worth of a practice test from; drift begins anew with each session."""
    found = PracticeTest.objects.filter(programme=programme).first()
    if found is None:
        return {}
    latest = programme.sessions.order_by("-opened_at", "-pk").values_list("pk", flat=True).first()
    return {"practice": {"seed": found.seed, "traits": found.traits, "session": str(latest or "")}}


FIT_ENGINE = ("cylinders", "bore", "stroke", "redline", "quoted_ratio", "spark_advance", "fuel")
