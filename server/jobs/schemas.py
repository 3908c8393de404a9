"""How far long work is, and an end to it."""

from __future__ import annotations

from typing import Any

from django.utils import timezone
from ninja import Schema

from jobs.models import Job, JobState


class JobOut(Schema):
    """`result` belongs to the kind; `lost` says why nothing will come although it is not over."""

    id: int
    kind: str
    state: str
    done: int
    total: int
    progress_text: str
    lost: str
    result: dict[str, Any] | None


def job_out(job: Job) -> JobOut:
    return JobOut(
        id=job.pk, kind=job.kind, state=job.state, done=job.done, total=job.total, progress_text=job.progress_text,
        lost=job.lost(timezone.now()), result=job.result if job.state in (JobState.DONE, JobState.STOPPED) else None,
    )  # fmt: skip
