"""Whether a pull counts: kept, or left out with a reason. It stays in the record either way."""

from __future__ import annotations

from datetime import datetime

from django.db import transaction

from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Invalid, Refusal
from stand.models import ENDED, Pull, PullState, Purpose, Standing
from stand.pulls.commands import tell_browsers

LONGEST_REASON = 300  # characters, as the columns hold


def keep(person: Person, pull: Pull, at: datetime) -> Pull:
    """Let the pull count."""
    require_operator(person)
    if pull.state != PullState.COMPLETE:
        raise Refusal(
            f"{pull} is {pull.get_state_display().lower()}: only a complete pull can be accepted.", code="not_complete"
        )
    if pull.purpose == Purpose.STEPS:
        raise Refusal(f"{pull} is a step test: it is not compared with sweeps.", code="step_test")
    return _judge(person, pull, at, Standing.ACCEPTED, "")


def exclude(person: Person, pull: Pull, at: datetime, reason: str) -> Pull:
    """Leave the pull out of every result, with the reason; it stays in the record and can be let in again."""
    require_operator(person)
    if not reason.strip():
        raise Invalid("Say why the pull is excluded.", fields={"reason": "a few words are enough"})
    if pull.state not in ENDED:
        raise Refusal(f"{pull} has not ended yet.", code="not_complete")
    return _judge(person, pull, at, Standing.EXCLUDED, fitting_reason(reason, "reason"))


def fitting_reason(reason: str, field: str) -> str:
    """A reason as it is kept: never cut off behind its writer's back."""
    text = reason.strip()
    if len(text) > LONGEST_REASON:
        message = f"{len(text)} characters, {LONGEST_REASON} fit: shorten it"
        raise Invalid("The reason is too long.", fields={field: message})
    return text


def _judge(person: Person, pull: Pull, at: datetime, standing: Standing, reason: str) -> Pull:
    pull.standing, pull.excluded_reason, pull.judged_at, pull.judged_by = standing, reason, at, person
    with transaction.atomic():
        pull.save(update_fields=["standing", "excluded_reason", "judged_at", "judged_by"])
        tell_browsers(pull.session.stand, {"type": "pull", "pull": pull.pk})
    return pull
