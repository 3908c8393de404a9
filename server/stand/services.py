"""Use cases at the stand: open a session, arm, start, abort, judge."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import datetime

from django.conf import settings
from django.core import signing
from django.core.exceptions import ObjectDoesNotExist
from django.db import DatabaseError, IntegrityError, transaction
from django.db.models import Max

from engines.builds.service import mark_used as close_build
from engines.sheet import sheets
from programmes.expectations.service import seal
from programmes.models import Candidate, Programme, Setup, Step
from programmes.plan.versions import mark_used
from programmes.settings import service as adjusting
from shop.models import Person, Stand
from shop.permissions import require_operator
from shop.refusals import Invalid, NotAllowed, Refusal
from shop.texts import optional
from stand import cautions, changes, checklist, live, stop_socket, sweeps
from stand.gates import compared_with, gates
from stand.models import ENDED, Command, Link, Pull, PullState, Purpose, Session, Standing
from stand.signals import session_opened

LONGEST_REASON = 300  # characters, as the columns hold


@dataclass(frozen=True)
class Fluids:
    """What is in the engine and the tank, in words."""

    fuel: str = ""
    oil: str = ""
    coolant: str = ""


def open_session(
    person: Person, programme: Programme, stand: Stand, at: datetime, fluids: Fluids = Fluids()
) -> Session:
    """Open a session. Who opens it has read the cautions: the screen asks him before."""
    require_operator(person)
    if stand.retired_at is not None or not stand.on_line:
        raise Refusal(f"{stand} is not in use. Choose another stand, or ask the owner to bring it back.",
                      code="stand_retired")  # fmt: skip
    kept = {key: optional(text, key, 80) for key, text in asdict(fluids).items()}
    try:
        with transaction.atomic():
            session = Session.objects.create(programme=programme, stand=stand, opened_at=at, opened_by=person, **kept)
            cautions.acknowledge(person, session, at)
            session_opened.send(sender=Session, session=session, at=at)
            return session
    except IntegrityError as error:
        running = Session.objects.filter(stand=stand, closed_at=None).select_related("programme").first()
        told = f"“{running.programme.question}” is open on {stand}." if running else f"{stand} was in use then."
        raise Refusal(f"{told} Close that session first.", code="stand_busy") from error


def close_session(person: Person, session: Session, at: datetime) -> Session:
    require_operator(person)
    if session.closed_at is not None:
        raise Refusal("This session is closed already.", code="session_closed")
    with transaction.atomic():
        _locked(session)
        if session.pulls.exclude(state__in=ENDED).exists():
            raise Refusal("A pull is armed or running. Abort it, then close the session.", code="pull_running")
        session.closed_at = at
        session.save(update_fields=["closed_at"])
        tell(session.stand, {"type": "session"})
    return session


def _locked(session: Session) -> None:
    """Nobody closes it while somebody arms in it, and the other way round: the second sees what the first did."""
    fresh = Session.objects.select_for_update().get(pk=session.pk)
    if fresh.closed_at is not None:
        raise Refusal("This session was closed in the meantime. Open a new one.", code="session_closed")


@dataclass(frozen=True)
class Wanted:
    """What the next pull is to be. None: as the plan says; an empty purpose is chosen by what went before."""

    purpose: str = ""
    start_rpm: float | None = None
    end_rpm: float | None = None
    rate_rpm_s: float | None = None
    holds: Sequence[tuple[float, float]] = ()  # rpm and seconds of each step


def arm(person: Person, session: Session, setup: Setup, at: datetime, wanted: Wanted = Wanted()) -> Pull:
    """Make the next pull ready: the bench tells the stand what is bolted on and which sweep comes."""
    require_operator(person)
    programme = session.programme
    if session.closed_at is not None:
        raise Refusal("This session is closed. Open a new one.", code="session_closed")
    if setup.programme_id != programme.pk:
        raise Invalid("This setup belongs to another programme.", fields={"setup_id": "choose one of this programme"})
    if setup.candidate != Candidate.IN:
        raise Refusal(f"{setup.letter} is left out of the plan: {setup.candidate_reason}. Take it in first.",
                      code="not_in_plan")  # fmt: skip
    cautions.require_read(person, session)
    if begun := list(session.open_jobs.filter(closed_at=None).select_related("owner")):
        told = "; ".join(f"{job} ({job.owner})" for job in begun)
        raise Refusal(f"Not armed while a job is open: {told}. Finish it and close it first.", code="job_open")
    checklist.require_seen_to(session, setup)
    link = Link.objects.filter(stand=session.stand).first()
    if lost := link.lost(at) if link else "the bench worker does not run":
        raise Refusal(f"{session.stand} is not linked: {lost}.", code="stand_lost")
    purpose = _purpose(session, setup, wanted)
    start_rpm, end_rpm, rate = sweeps.checked(programme, wanted.start_rpm, wanted.end_rpm, wanted.rate_rpm_s)
    holds = sweeps.checked_holds(programme, wanted.holds) if purpose == Purpose.STEPS else []
    made = Pull.objects.filter(session__programme=programme)
    before = made.filter(session=session, state=PullState.COMPLETE).order_by("number").last()
    try:
        with transaction.atomic():
            _locked(session)
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
                holds=holds,
                set_to={key: value.text for key, value in adjusting.in_force(setup).items()},
            )
            close_build(programme.build, at)
            seal(setup, at)
            sweep = {"start_rpm": start_rpm, "end_rpm": end_rpm, "rate_rpm_s": rate}
            if holds:
                sweep["holds"] = [{"rpm": rpm, "s": seconds} for rpm, seconds in holds]  # type: ignore[assignment]
            _ask(person, session.stand, "arm", pull, {**sweep, "fit": bolted_on(programme, setup)})
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


def _purpose(session: Session, setup: Setup, wanted: Wanted) -> Purpose:
    if wanted.purpose:
        if wanted.purpose not in Purpose.values:
            raise Invalid("There is no such pull.", fields={"purpose": f"one of {', '.join(map(str, Purpose.labels))}"})
        return Purpose(wanted.purpose)
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
    }  # fmt: skip


FIT_ENGINE = ("cylinders", "bore", "stroke", "redline", "told_ratio", "spark_advance", "fuel")


def start(person: Person, pull: Pull, override_reason: str = "") -> Command:
    """Start the sweep, if every gate is open or the person says why it may start all the same."""
    require_operator(person)
    if pull.state != PullState.ARMED:
        raise Refusal(f"{pull} is {pull.get_state_display().lower()}, not armed.", code="not_armed")
    cautions.require_read(person, pull.session)
    if pull.operator_id != person.pk:
        raise Refusal(f"{pull.operator} holds the control. He starts the pull, or you take the control.",
                      code="control_held")  # fmt: skip
    stand = pull.session.stand
    link = Link.objects.filter(stand=stand).first()
    if link is None or not link.connected:
        raise Refusal(f"{stand} is not linked: {link.why if link else 'the bench worker does not run'}.",
                      code="stand_lost")  # fmt: skip
    if "start" not in link.hello.get("can", ["start"]):
        raise Refusal(f"{stand} takes no commands: start the sweep at its console.", code="reports_only")
    programme = pull.session.programme
    held = [gate for gate in gates(programme, link, like_next(pull, programme)) if gate.side != "inside"]
    if held and not override_reason.strip():
        names = ", ".join(gate.name.lower() for gate in held)
        raise Refusal(f"Held by {names}. Wait, or give a reason to start all the same.", code="gate_held")
    with transaction.atomic():
        if held:
            pull.override_reason = _fitting(override_reason, "override_reason")
            pull.save(update_fields=["override_reason"])
        return _ask(person, stand, "start", pull, {})


def like_next(pull: Pull | None, programme: Programme) -> Sequence[Pull]:
    """The pulls that an armed one has to begin like: none for one that is not made to be compared."""
    if pull is not None and pull.purpose not in (Purpose.SWEEP, Purpose.STEPS):
        return ()
    return compared_with(programme)


def take_control(person: Person, pull: Pull) -> Pull:
    """Somebody else holds the control of an armed pull from now on, and alone starts it."""
    require_operator(person)
    if pull.state != PullState.ARMED:
        raise Refusal(f"{pull} is {pull.get_state_display().lower()}, not armed.", code="not_armed")
    cautions.require_read(person, pull.session)
    pull.operator = person
    with transaction.atomic():
        pull.save(update_fields=["operator"])
        tell(pull.session.stand, {"type": "pull", "pull": pull.pk})
    return pull


def abort(person: Person, pull: Pull) -> Command:
    """For the stand: never refused because of what a row says, which may be older than what the engine does."""
    require_operator(person)
    with transaction.atomic():
        return _ask(person, pull.session.stand, "abort", pull, {})


STOP_KEY, STOP_KEY_S = "stop a stand", 24 * 3600


class NotStopped(Refusal):
    """Loud on purpose: an engine may still run."""

    code = "not_stopped"
    status = 503


def stop_key(person: Person, stand: Stand) -> str:
    """What a screen that shows a stand stops it with, so that the database need not be asked who stops it."""
    return signing.dumps([person.pk, stand.pk], salt=STOP_KEY)


def stop(stand_id: int, key: str) -> bool:
    """Stop a stand: past the database by the worker's socket, and by a command that is on record.

    NotAllowed for a key that is none; NotStopped where no way leads to the stand. True where the worker has said that
    it passed it on.
    """
    try:
        person, stand = signing.loads(key, salt=STOP_KEY, max_age=STOP_KEY_S)
    except signing.BadSignature as error:
        raise NotAllowed("This page is out of date. Use the wired stop, then reload it.") from error
    if stand != stand_id:
        raise NotAllowed("This page shows another stand. Use the wired stop.")
    reached = stop_socket.ask(settings.BENCH_SPOOL, stand_id)
    try:
        with transaction.atomic():
            _ask(Person.objects.get(pk=person), Stand.objects.get(pk=stand_id), "abort", None, {})
    except (DatabaseError, ObjectDoesNotExist) as error:
        if not reached:
            raise NotStopped(
                "NOT STOPPED: neither the bench worker nor the database answers. Use the wired emergency stop now."
            ) from error
    return reached


def keep(person: Person, pull: Pull, at: datetime) -> Pull:
    """Let the pull count."""
    require_operator(person)
    if pull.state != PullState.COMPLETE:
        raise Refusal(
            f"{pull} is {pull.get_state_display().lower()}: only a complete pull can be kept.", code="not_complete"
        )
    if pull.purpose == Purpose.STEPS:
        raise Refusal(f"{pull} is a step test: it is not compared with sweeps.", code="step_test")
    return _judge(person, pull, at, Standing.ACCEPTED, "")


def exclude(person: Person, pull: Pull, at: datetime, reason: str) -> Pull:
    """Leave the pull out of every result, with the reason; it stays in the record and can be let in again."""
    require_operator(person)
    if not reason.strip():
        raise Invalid("Say why the pull is left out.", fields={"reason": "a few words are enough"})
    if pull.state not in ENDED:
        raise Refusal(f"{pull} has not ended yet.", code="not_complete")
    return _judge(person, pull, at, Standing.EXCLUDED, _fitting(reason, "reason"))


def _fitting(reason: str, field: str) -> str:
    """A reason as it is kept: never cut off behind its writer's back."""
    text = reason.strip()
    if len(text) > LONGEST_REASON:
        told = f"{len(text)} characters, {LONGEST_REASON} fit: shorten it"
        raise Invalid("The reason is too long.", fields={field: told})
    return text


def _judge(person: Person, pull: Pull, at: datetime, standing: Standing, reason: str) -> Pull:
    pull.standing, pull.excluded_reason, pull.judged_at, pull.judged_by = standing, reason, at, person
    with transaction.atomic():
        pull.save(update_fields=["standing", "excluded_reason", "judged_at", "judged_by"])
        tell(pull.session.stand, {"type": "pull", "pull": pull.pk})
    return pull


def steps_left(steps: Sequence[Step], pulls: Sequence[Pull]) -> list[tuple[Step, int]]:
    """What the running order still asks for: each step with the counted pulls that it lacks."""
    counted: dict[int, int] = {}
    for pull in pulls:
        if pull.step_id and pull.state == PullState.COMPLETE and pull.standing != Standing.EXCLUDED:
            counted[pull.step_id] = counted.get(pull.step_id, 0) + 1
    return [(step, step.pulls - counted.get(step.pk, 0)) for step in steps if step.pulls > counted.get(step.pk, 0)]


def next_step(programme: Programme, setup: Setup) -> Step | None:
    """The visit of the running order that the next pull of a setup counts towards."""
    pulls = list(Pull.objects.filter(session__programme=programme))
    left = steps_left(list(programme.steps.all()), pulls)
    return next((step for step, _ in left if step.setup_id == setup.pk), None)


def _ask(person: Person, stand: Stand, name: str, pull: Pull | None, arguments: dict[str, object]) -> Command:
    command = Command.objects.create(stand=stand, pull=pull, name=name, arguments=arguments, asked_by=person)
    live.notify(live.ASKED, {"stand": stand.pk})
    tell(stand, {"type": "pull", "pull": pull.pk if pull else None})
    return command


def tell(stand: Stand, message: dict[str, object]) -> None:
    live.notify(live.FRAMES, {"stand": stand.pk, **message})
