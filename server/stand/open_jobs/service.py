"""Jobs begun on the engine: each has one owner, and nothing is armed while one is open."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import datetime

from torvix_core.units.quantity_parser import NotUnderstood, read_count

from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Invalid, Refusal
from shop.texts import optional
from stand.models import JobKind, OpenJob, PullState, Session

MOST = 200  # of stages or fasteners


@dataclass(frozen=True)
class JobCount:
    """How far a job is, as somebody typed it: stages of a torque sequence, fasteners. Empty: nobody counts."""

    stage: str = ""
    stages: str = ""
    fastened: str = ""
    fasteners: str = ""


def _counted(count: JobCount) -> dict[str, int | None]:
    wrong: dict[str, str] = {}
    found: dict[str, int | None] = {}
    for field, text in asdict(count).items():
        try:
            found[field] = read_count(text, 0 if field in ("stage", "fastened") else 1, MOST) if text.strip() else None
        except NotUnderstood as reason:
            wrong[field] = str(reason)
    for done, of in (("stage", "stages"), ("fastened", "fasteners")):
        if done in wrong or of in wrong:
            continue
        one, all_of = found[done], found[of]
        if all_of is None and one is not None:
            wrong[of] = "say of how many"
        elif all_of is not None:
            found[done] = one or 0
            if (one or 0) > all_of:
                wrong[done] = f"more than the {all_of} there are"
    if wrong:
        raise Invalid("The count is not usable: see the fields.", fields=wrong)
    return found


def begin(
    person: Person, session: Session, kind: str, note: str, at: datetime, count: JobCount = JobCount()
) -> OpenJob:
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
    return OpenJob.objects.create(session=session, kind=kind, note=text, owner=person, begun_at=at, **_counted(count))


def go_on(person: Person, job: OpenJob, count: JobCount) -> OpenJob:
    """How far it is now."""
    require_operator(person)
    if job.closed_at is not None:
        raise Refusal("This job is closed already.", code="job_closed")
    for field, value in _counted(count).items():
        setattr(job, field, value)
    job.save(update_fields=["stage", "stages", "fastened", "fasteners"])
    return job


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
    if not job.is_through:
        raise Refusal(f"Not closed: {job.reached}. Finish every stage and fastener, and count them here first.",
                      code="job_unfinished")  # fmt: skip
    job.closed_at, job.closed_by, job.closing_note = at, person, text
    job.save(update_fields=["closed_at", "closed_by", "closing_note"])
    return job
