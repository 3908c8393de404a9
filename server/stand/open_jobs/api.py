"""The jobs begun on the engine of a session."""

from __future__ import annotations

from datetime import datetime

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router

from programmes.models import Programme
from shop.models import Person
from shop.permissions import person_of
from shop.schema import Schema
from stand.models import JobKind, OpenJob, Session
from stand.open_jobs import service as open_jobs

router = Router(tags=["open jobs"])


class OpenJobOut(Schema):
    id: int
    kind: str
    label: str
    note: str
    stage: int | None
    stages: int | None
    fastened: int | None
    fasteners: int | None
    reached: str
    owner: str
    mine: bool
    begun_at: datetime
    closed_at: datetime | None
    closed_by: str
    closing_note: str


class OpenJobs(Schema):
    kinds: dict[str, str]
    jobs: list[OpenJobOut]


class JobCountIn(Schema):
    """How far it is; an empty text counts nothing."""

    stage: str = ""
    stages: str = ""
    fastened: str = ""
    fasteners: str = ""

    def count(self) -> open_jobs.JobCount:
        return open_jobs.JobCount(self.stage, self.stages, self.fastened, self.fasteners)


class OpenJobIn(JobCountIn):
    kind: str
    note: str = ""


class ClosingIn(Schema):
    note: str = ""


def _session(person: Person, session_id: int) -> Session:
    seen = Session.objects.filter(programme__in=Programme.objects.visible_to(person))
    return get_object_or_404(seen, pk=session_id)


def to_schema(person: Person, session: Session) -> OpenJobs:
    rows = session.open_jobs.select_related("owner", "closed_by")
    return OpenJobs(kinds=dict(JobKind.choices), jobs=[
        OpenJobOut(
            id=job.pk, kind=job.kind, label=job.get_kind_display(), note=job.note, owner=str(job.owner),
            stage=job.stage, stages=job.stages, fastened=job.fastened, fasteners=job.fasteners, reached=job.reached,
            mine=job.owner_id == person.pk, begun_at=job.begun_at, closed_at=job.closed_at,
            closed_by=str(job.closed_by or ""), closing_note=job.closing_note,
        )
        for job in rows
    ])  # fmt: skip


@router.get("/sessions/{session_id}/open-jobs", response=OpenJobs, operation_id="open_jobs")
def read_open_jobs(request: HttpRequest, session_id: int) -> OpenJobs:
    person = person_of(request)
    return to_schema(person, _session(person, session_id))


@router.post("/sessions/{session_id}/open-jobs", response=OpenJobs, operation_id="begin_job")
def begin_job(request: HttpRequest, session_id: int, given: OpenJobIn) -> OpenJobs:
    person = person_of(request)
    session = _session(person, session_id)
    open_jobs.begin(person, session, given.kind, given.note, timezone.now(), given.count())
    return to_schema(person, session)


@router.put("/open-jobs/{open_job_id}/count", response=OpenJobs, operation_id="count_job")
def count_job(request: HttpRequest, open_job_id: int, given: JobCountIn) -> OpenJobs:
    person = person_of(request)
    seen = OpenJob.objects.filter(session__programme__in=Programme.objects.visible_to(person))
    job = open_jobs.go_on(person, get_object_or_404(seen.select_related("session"), pk=open_job_id), given.count())
    return to_schema(person, job.session)


@router.post("/open-jobs/{open_job_id}/close", response=OpenJobs, operation_id="close_job")
def close_job(request: HttpRequest, open_job_id: int, given: ClosingIn) -> OpenJobs:
    person = person_of(request)
    seen = OpenJob.objects.filter(session__programme__in=Programme.objects.visible_to(person))
    job = get_object_or_404(seen.select_related("session", "owner"), pk=open_job_id)
    open_jobs.close(person, job, given.note, timezone.now())
    return to_schema(person, job.session)
