"""Use cases at the stand: open a session, arm, start, abort, judge; and what the bench worker writes down."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from django.db import IntegrityError, transaction
from django.db.models import Max

from engines import sheets
from engines.services import mark_used
from programmes.expectations import seal
from programmes.models import Programme, Setup, Step
from shop.models import Person, Stand
from shop.refusals import Invalid, Refusal
from shop.services import require_operator
from stand import live, samples
from stand.gates import gates
from stand.models import ENDED, Command, CommandState, Link, Pull, PullState, Session, Standing
from stand.signals import pull_ended

LONGEST_REASON = 300  # characters, as the columns hold


@dataclass(frozen=True)
class StandFacts:
    """What a pull keeps of the stand's hello."""

    rate_hz: float
    names: Sequence[str]
    units: Sequence[str]
    inertia_in_torque: str
    inertia: float


@dataclass(frozen=True)
class MeanAir:
    """Pa, K, 0 to 1, over a pull."""

    barometer: float
    temperature: float
    relative_humidity: float


def open_session(person: Person, programme: Programme, stand: Stand, at: datetime) -> Session:
    require_operator(person)
    try:
        with transaction.atomic():
            return Session.objects.create(programme=programme, stand=stand, opened_at=at, opened_by=person)
    except IntegrityError as error:
        running = Session.objects.filter(stand=stand, closed_at=None).select_related("programme").first()
        told = f"“{running.programme.question}” is open on {stand}." if running else f"{stand} was in use then."
        raise Refusal(f"{told} Close that session first.", code="stand_busy") from error


def close_session(person: Person, session: Session, at: datetime) -> Session:
    require_operator(person)
    if session.closed_at is not None:
        raise Refusal("This session is closed already.", code="session_closed")
    if session.pulls.exclude(state__in=ENDED).exists():
        raise Refusal("A pull is armed or running. Abort it, then close the session.", code="pull_running")
    session.closed_at = at
    session.save(update_fields=["closed_at"])
    _tell(session.stand, {"type": "session"})
    return session


def arm(person: Person, session: Session, setup: Setup, at: datetime) -> Pull:
    """Make the next pull ready: the bench tells the stand what is bolted on and which sweep comes."""
    require_operator(person)
    programme = session.programme
    if session.closed_at is not None:
        raise Refusal("This session is closed. Open a new one.", code="session_closed")
    if setup.programme_id != programme.pk:
        raise Invalid("This setup belongs to another programme.", fields={"setup_id": "choose one of this programme"})
    link = Link.objects.filter(stand=session.stand).first()
    if lost := link.lost(at) if link else "the bench worker does not run":
        raise Refusal(f"{session.stand} is not linked: {lost}.", code="stand_lost")
    made = Pull.objects.filter(session__programme=programme)
    before = made.filter(session=session, state=PullState.COMPLETE).order_by("number").last()
    try:
        with transaction.atomic():
            pull = Pull.objects.create(
                session=session,
                number=(made.aggregate(last=Max("number"))["last"] or 0) + 1,
                setup=setup,
                build=programme.build,
                step=_next_step(programme, setup),
                armed_at=at,
                operator=person,
                first_after_change=before is None or before.setup_id != setup.pk,
                sweep_start_rpm=programme.sweep_start_rpm,
                sweep_end_rpm=programme.sweep_end_rpm,
                sweep_rate_rpm_s=programme.sweep_rate_rpm_s,
            )
            mark_used(programme.build, at)
            seal(setup, at)
            _ask(person, session.stand, "arm", pull, {
                "label": f"{programme.pk}/{setup.letter}",
                "parts": [{"slot": part.slot, "name": part.name,
                           "runner_length_m": sheets.values(part.readings.all()).get("runner_length")}
                          for part in setup.parts.prefetch_related("readings")],
                "start_rpm": pull.sweep_start_rpm,
                "end_rpm": pull.sweep_end_rpm,
                "rate_rpm_s": pull.sweep_rate_rpm_s,
            })  # fmt: skip
    except IntegrityError as error:
        raise Refusal("Another pull is armed or running. Abort or finish it first.", code="pull_running") from error
    return pull


def start(person: Person, pull: Pull, override_reason: str = "") -> Command:
    """Start the sweep, if every gate is open or the person says why it may start all the same."""
    require_operator(person)
    if pull.state != PullState.ARMED:
        raise Refusal(f"{pull} is {pull.get_state_display().lower()}, not armed.", code="not_armed")
    stand = pull.session.stand
    link = Link.objects.filter(stand=stand).first()
    if link is None or not link.connected:
        raise Refusal(f"{stand} is not linked: {link.why if link else 'the bench worker does not run'}.",
                      code="stand_lost")  # fmt: skip
    held = [gate for gate in gates(pull.session.programme, link) if gate.side != "inside"]
    if held and not override_reason.strip():
        names = ", ".join(gate.name.lower() for gate in held)
        raise Refusal(f"Held by {names}. Wait, or give a reason to start all the same.", code="gate_held")
    with transaction.atomic():
        if held:
            pull.override_reason = _fitting(override_reason, "override_reason")
            pull.save(update_fields=["override_reason"])
        return _ask(person, stand, "start", pull, {})


def abort(person: Person, pull: Pull) -> Command:
    require_operator(person)
    if pull.state in ENDED:
        raise Refusal(f"{pull} has ended already.", code="pull_ended")
    with transaction.atomic():
        return _ask(person, pull.session.stand, "abort", pull, {})


def keep(person: Person, pull: Pull, at: datetime) -> Pull:
    """Let the pull count."""
    require_operator(person)
    if pull.state != PullState.COMPLETE:
        raise Refusal(
            f"{pull} is {pull.get_state_display().lower()}: only a complete pull can be kept.", code="not_complete"
        )
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
        _tell(pull.session.stand, {"type": "pull", "pull": pull.pk})
    return pull


def steps_left(steps: Sequence[Step], pulls: Sequence[Pull]) -> list[tuple[Step, int]]:
    """What the running order still asks for: each step with the counted pulls that it lacks."""
    counted: dict[int, int] = {}
    for pull in pulls:
        if pull.step_id and pull.state == PullState.COMPLETE and pull.standing != Standing.EXCLUDED:
            counted[pull.step_id] = counted.get(pull.step_id, 0) + 1
    return [(step, step.pulls - counted.get(step.pk, 0)) for step in steps if step.pulls > counted.get(step.pk, 0)]


def _next_step(programme: Programme, setup: Setup) -> Step | None:
    pulls = list(Pull.objects.filter(session__programme=programme))
    left = steps_left(list(programme.steps.all()), pulls)
    return next((step for step, _ in left if step.setup_id == setup.pk), None)


def _ask(person: Person, stand: Stand, name: str, pull: Pull, arguments: dict[str, object]) -> Command:
    command = Command.objects.create(stand=stand, pull=pull, name=name, arguments=arguments, asked_by=person)
    live.notify(live.ASKED, {"stand": stand.pk})
    _tell(stand, {"type": "pull", "pull": pull.pk})
    return command


def _tell(stand: Stand, message: dict[str, object]) -> None:
    live.notify(live.FRAMES, {"stand": stand.pk, **message})


# What the bench worker writes down


def answer_command(command: Command, ok: bool, why: str) -> None:
    """The stand's reply. A refused arming ends its pull, so that the next can be armed."""
    with transaction.atomic():
        command.state, command.answer = (CommandState.DONE if ok else CommandState.REFUSED), why[:300]
        command.save(update_fields=["state", "answer"])
        if not ok and command.name == "arm" and command.pull_id:
            Pull.objects.filter(pk=command.pull_id, state=PullState.ARMED).update(
                state=PullState.ABORTED, ended_why=f"The stand refused: {why}"[:300]
            )
        _tell(command.stand, {"type": "command", "id": command.pk, "pull": command.pull_id, "name": command.name,
                              "ok": ok, "why": why[:300]})  # fmt: skip


def begin_pull(pull: Pull, facts: StandFacts, at: datetime) -> None:
    pull.state, pull.started_at = PullState.RUNNING, at
    pull.rate_hz, pull.inertia_in_torque, pull.inertia = facts.rate_hz, facts.inertia_in_torque, facts.inertia
    pull.channel_list = [[name, unit] for name, unit in zip(facts.names, facts.units, strict=True)]
    with transaction.atomic():
        pull.save(update_fields=["state", "started_at", "rate_hz", "inertia_in_torque", "inertia", "channel_list"])
        _tell(pull.session.stand, {"type": "pull", "pull": pull.pk})


def end_pull(
    pull: Pull, state: PullState, why: str, at: datetime, *, lost: int = 0, air: MeanAir | None = None
) -> None:
    """Close the record of a pull: pack its samples, note its air, and let the apps above know."""
    with transaction.atomic():
        kept = samples.pack_chunks(pull, *zip(*pull.channel_list, strict=True)) if pull.channel_list else 0
        if state == PullState.COMPLETE and not kept:
            state, why = PullState.INCOMPLETE, "The stand sent no samples."
        pull.state, pull.ended_why, pull.ended_at, pull.samples_lost = state, why[:300], at, lost
        if air:
            pull.barometer, pull.air_temperature = air.barometer, air.temperature
            pull.relative_humidity = air.relative_humidity
        # The worker's copy of the row is as old as the arming: only what ended with the pull is written.
        ended = ["state", "ended_why", "ended_at", "samples_lost"]
        pull.save(update_fields=[*ended, "barometer", "air_temperature", "relative_humidity"])
        pull_ended.send(sender=Pull, pull=pull)
        _tell(pull.session.stand, {"type": "pull", "pull": pull.pk})


def recover_pulls(stand: Stand, at: datetime) -> int:
    """End what a killed worker left open, from the chunks it had committed; how many pulls."""
    left = list(Pull.objects.filter(session__stand=stand).exclude(state__in=ENDED).select_related("session__stand"))
    for pull in left:
        if pull.state == PullState.RUNNING:
            end_pull(pull, PullState.INCOMPLETE, "The bench worker stopped during the pull.", at)
        else:
            end_pull(pull, PullState.ABORTED, "The bench worker stopped before the pull began.", at)
    Command.objects.filter(stand=stand, state=CommandState.WAITING).update(
        state=CommandState.REFUSED, answer="The bench worker was restarted."
    )
    return len(left)
