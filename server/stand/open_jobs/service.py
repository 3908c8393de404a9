"""Jobs begun on the engine: each has one owner, and nothing is armed while one is open."""

from __future__ import annotations

from datetime import datetime

from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Invalid, Refusal
from shop.texts import optional
from stand.models import JobKind, OpenJob, PullState, Session


def begin(person: Person, session: Session, kind: str, note: str, at: datetime) -> OpenJob:
    """A job begun; who begins it owns it."""
    require_operator(person)
    if kind not in JobKind.values:
        raise Invalid("There is no such job.", fields={"kind": f"one of {', '.join(JobKind.labels)}"})
    if session.closed_at is not None:
        raise Refusal("This session is closed. Open a new one.", code="session_closed")
    if session.pulls.filter(state__in=(PullState.ARMED, PullState.RUNNING)).exists():
        raise Refusal(
            "A pull is armed or running: nobody works on the engine now. Abort it first.", code="pull_running"
        )
    text = optional(note, "note", 200)
    if kind == JobKind.OTHER and not text:
        raise Invalid("Say what is begun.", fields={"note": "a few words are enough"})
    return OpenJob.objects.create(session=session, kind=kind, note=text, owner=person, begun_at=at)


def close(person: Person, job: OpenJob, note: str, at: datetime) -> OpenJob:
    """The job is done. Somebody else than its owner says how he knows."""
    require_operator(person)
    if job.closed_at is not None:
        raise Refusal("This job is closed already.", code="job_closed")
    text = optional(note, "note", 200)
    if job.owner_id != person.pk and not text:
        raise Invalid(
            f"{job.owner} began this. Say how you know that it is done.", fields={"note": "looked at it, asked him…"}
        )
    job.closed_at, job.closed_by, job.closing_note = at, person, text
    job.save(update_fields=["closed_at", "closed_by", "closing_note"])
    return job
