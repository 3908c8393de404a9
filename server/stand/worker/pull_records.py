"""What the bench worker writes down: how a pull began and ended, what the stand answered, what was left open."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from shop.models import Stand
from stand.models import (
    ENDED,
    Command,
    CommandState,
    Note,
    NoteKind,
    Pull,
    PullOrigin,
    PullState,
    Purpose,
    Session,
    Standing,
)
from stand.pulls import samples
from stand.pulls.commands import tell_browsers
from stand.signals import pull_ended


@dataclass(frozen=True)
class HelloFacts:
    """What a pull keeps of the stand's hello."""

    rate_hz: float
    names: Sequence[str]
    units: Sequence[str]
    inertia_in_torque: str
    inertia: float
    simulated: bool = False


@dataclass(frozen=True)
class MeanAir:
    """Pa, K, 0 to 1, over a pull."""

    barometer: float
    temperature: float
    relative_humidity: float


def answer_command(command: Command, ok: bool, why: str) -> None:
    """The stand's reply. A refused arming ends its pull, so that the next can be armed."""
    with transaction.atomic():
        command.state, command.answer = (CommandState.DONE if ok else CommandState.REFUSED), why[:300]
        command.save(update_fields=["state", "answer"])
        if not ok and command.name == "arm" and command.pull_id:
            Pull.objects.filter(pk=command.pull_id, state=PullState.ARMED).update(
                state=PullState.ABORTED, ended_why=f"The stand refused: {why}"[:300]
            )
        answer = {"id": command.pk, "pull": command.pull_id, "name": command.name, "ok": ok, "why": why[:300]}
        tell_browsers(command.stand, {"type": "command", **answer})


def begin_pull(pull: Pull, facts: HelloFacts, at: datetime, values: Mapping[str, float] | None = None) -> None:
    """`values` are those of the channels when the sweep began, SI."""
    pull.state, pull.started_at, pull.start_values = PullState.RUNNING, at, dict(values or {})
    pull.rate_hz, pull.inertia_in_torque, pull.inertia = facts.rate_hz, facts.inertia_in_torque, facts.inertia
    pull.origin = PullOrigin.SIMULATED if facts.simulated else PullOrigin.STAND
    with transaction.atomic():
        pull.save(update_fields=["state", "started_at", "start_values", "rate_hz", "inertia_in_torque", "inertia",
                                 "origin"])  # fmt: skip
        samples.name_channels(pull, facts.names, facts.units)
        tell_browsers(pull.session.stand, {"type": "pull", "pull": pull.pk})


def end_pull(
    pull: Pull, state: PullState, why: str, at: datetime, *, lost: int = 0, air: MeanAir | None = None,
    tripped: str = "",
) -> None:  # fmt: skip
    """Close the record of a pull: pack its samples, note its air, and let the apps above know."""
    with transaction.atomic():
        kept = samples.pack_chunks(pull)
        if state == PullState.COMPLETE and not kept:
            state, why = PullState.INCOMPLETE, "The stand sent no samples."
        pull.state, pull.ended_why, pull.ended_at, pull.samples_lost = state, why[:300], at, lost
        pull.tripped = tripped
        judged = _left_out_by_purpose(pull, at)
        if air:
            pull.barometer, pull.air_temperature = air.barometer, air.temperature
            pull.relative_humidity = air.relative_humidity
        # The worker's copy of the row is as old as the arming: only what ended with the pull is written.
        ended = ["state", "ended_why", "ended_at", "samples_lost", "tripped"]
        pull.save(update_fields=[*ended, *judged, "barometer", "air_temperature", "relative_humidity"])
    # What was recorded is safe now, whatever is made of it.
    derive(pull)


def derive(pull: Pull) -> None:
    """Have the apps above make what follows from an ended pull, and tell whoever looks. Twice is as good as once."""
    with transaction.atomic():
        pull_ended.send(sender=Pull, pull=pull)
        tell_browsers(pull.session.stand, {"type": "pull", "pull": pull.pk})


NOT_COUNTED = {
    Purpose.CHECK: "Check pass: too short to be compared",
    Purpose.WARM_UP: "Warm-up pull: the first after a change flatters the part",
    Purpose.SHAKE_DOWN: "Shake-down: not meant to be compared",
    Purpose.BREAK_IN: "Break-in: not meant to be compared",
    Purpose.STEPS: "Step test: not compared with sweeps",
}


def _left_out_by_purpose(pull: Pull, at: datetime) -> list[str]:
    """A pull that was not made to count is left out until somebody lets it in; the fields that say so."""
    why = NOT_COUNTED.get(Purpose(pull.purpose))
    if why is None or pull.state != PullState.COMPLETE:
        return []
    pull.standing, pull.excluded_reason, pull.judged_at = Standing.EXCLUDED, why, at
    return ["standing", "excluded_reason", "judged_at"]


def note_unasked_sweep(stand_id: int, at: datetime) -> None:
    """A sweep ran that nobody had armed: said in the session, since no samples of it are kept."""
    session = Session.objects.filter(stand_id=stand_id, closed_at=None).first()
    if session is not None:
        told = "A sweep ran at the console that was not armed here: it was not recorded."
        Note.objects.create(session=session, kind=NoteKind.STAND, text=told, at=at)


def recover_pulls(stand: Stand, at: datetime) -> int:
    """End what a killed worker left open, from the chunks it had committed; how many pulls."""
    left = list(Pull.objects.filter(session__stand=stand).exclude(state__in=ENDED).select_related("session__stand"))
    for pull in left:
        if pull.state == PullState.RUNNING:
            end_pull(pull, PullState.INCOMPLETE, "The bench worker stopped during the pull.", at)
        else:
            end_pull(pull, PullState.ABORTED, "The bench worker stopped before the pull began.", at)
    # An abort is for the stand, not for a pull: whoever pressed it while there was no worker still wants it.
    Command.objects.filter(stand=stand, state=CommandState.WAITING).exclude(name="abort").update(
        state=CommandState.REFUSED, answer="The bench worker was restarted."
    )
    return len(left)
