"""How far long work is, and an end to it."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Query, Router

from jobs import service as jobs
from jobs.schemas import JobOut, JobsPage, job_out, job_row
from shop.paging import PageIn, page_of, searched
from shop.permissions import is_person

router = Router(tags=["jobs"])
SEARCHED = ("about",)
SORTS = {"about": "about", "state": "state", "asked_at": "asked_at"}


@router.get("/jobs", response=JobsPage, operation_id="jobs")
def page_of_jobs(request: HttpRequest, asked: Query[PageIn]) -> JobsPage:
    """One's own background work, the newest first; what is over goes after two days."""
    assert is_person(request.user)
    jobs.sweep(timezone.now())
    return JobsPage(**page_of(searched(jobs.jobs_of(request.user), asked.search, SEARCHED), asked, SORTS, job_row))


@router.get("/jobs/{job_id}", response=JobOut, operation_id="job")
def read_job(request: HttpRequest, job_id: int) -> JobOut:
    assert is_person(request.user)
    jobs.sweep(timezone.now())
    return job_out(get_object_or_404(jobs.jobs_of(request.user), pk=job_id))


@router.post("/jobs/{job_id}/stop", response=JobOut, operation_id="stop_job")
def stop_job(request: HttpRequest, job_id: int) -> JobOut:
    assert is_person(request.user)
    return job_out(jobs.stop(request.user, get_object_or_404(jobs.jobs_of(request.user), pk=job_id)))
