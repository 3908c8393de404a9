"""How far long work is, and an end to it."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router

from jobs import service as jobs
from jobs.schemas import JobOut, job_out
from shop.permissions import is_person

router = Router(tags=["jobs"])


@router.get("/jobs/{job_id}", response=JobOut, operation_id="job")
def read_job(request: HttpRequest, job_id: int) -> JobOut:
    assert is_person(request.user)
    jobs.sweep(timezone.now())
    return job_out(get_object_or_404(jobs.jobs_of(request.user), pk=job_id))


@router.post("/jobs/{job_id}/stop", response=JobOut, operation_id="stop_job")
def stop_job(request: HttpRequest, job_id: int) -> JobOut:
    assert is_person(request.user)
    return job_out(jobs.stop(request.user, get_object_or_404(jobs.jobs_of(request.user), pk=job_id)))
