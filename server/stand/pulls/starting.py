"""Start an armed pull, or take its control: if every gate is open, or with a reason."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction

from programmes.models import Programme
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Refusal
from stand.models import Command, Link, Pull, PullState, Purpose
from stand.pulls.commands import command_stand, tell_browsers
from stand.pulls.gates import compared_with, gates
from stand.pulls.keeping import fitting_reason
from stand.session import cautions


def start(person: Person, pull: Pull, override_reason: str = "") -> Command:
    """Start the sweep, if every gate is open or the person says why it may start all the same."""
    require_operator(person)
    if pull.state != PullState.ARMED:
        raise Refusal(f"{pull} is {pull.get_state_display().lower()}, not armed.", code="not_armed")
    cautions.require_read(person, pull.session)
    if pull.operator_id != person.pk:
        raise Refusal(f"{pull.operator} has control. Ask for it or take over.",
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
            pull.override_reason = fitting_reason(override_reason, "override_reason")
            pull.save(update_fields=["override_reason"])
        return command_stand(person, stand, "start", pull, {})


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
        tell_browsers(pull.session.stand, {"type": "pull", "pull": pull.pk})
    return pull
