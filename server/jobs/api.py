"""How far long work is, and an end to it."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router, Schema

from jobs import service as jobs
from jobs.models import Job, JobState
from shop.permissions import is_person

router = Router(tags=["jobs"])


class JobOut(Schema):
    """`result` belongs to the kind; `lost` says why nothing will come although it is not over."""

    id: int
    kind: str
    state: str
    done: int
    total: int
    told: str
    lost: str
    result: dict[str, Any] | None


def job_out(job: Job) -> JobOut:
    return JobOut(
        id=job.pk, kind=job.kind, state=job.state, done=job.done, total=job.total, told=job.told,
        lost=job.lost(timezone.now()), result=job.result if job.state in (JobState.DONE, JobState.STOPPED) else None,
    )  # fmt: skip


@router.get("/jobs/{job_id}", response=JobOut, operation_id="job")
def read_job(request: HttpRequest, job_id: int):
    assert is_person(request.user)
    jobs.sweep(timezone.now())
    return job_out(get_object_or_404(jobs.jobs_of(request.user), pk=job_id))


@router.post("/jobs/{job_id}/stop", response=JobOut, operation_id="stop_job")
def stop_job(request: HttpRequest, job_id: int):
    assert is_person(request.user)
    return job_out(jobs.stop(request.user, get_object_or_404(jobs.jobs_of(request.user), pk=job_id)))
