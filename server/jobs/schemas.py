"""How far long work is, and an end to it."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.utils import timezone

from jobs.kinds import KINDS
from jobs.models import OVER, Job, JobState
from shop.schema import Schema


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


class JobRow(Schema):
    """A row of one's background work; `state` is the one word for how it stands, `problem` what to know or to do."""

    id: int
    label: str
    about: str
    state: str
    state_label: str
    done: int
    total: int
    progress_text: str
    problem: str
    asked_at: datetime
    may_stop: bool


class JobsPage(Schema):
    rows: list[JobRow]
    total: int


def job_row(job: Job) -> JobRow:
    over, failed = job.state in OVER, job.state == JobState.FAILED
    return JobRow(
        id=job.pk, label=KINDS[job.kind].label if job.kind in KINDS else job.kind, about=job.about or job.subject,
        state=job.state, state_label=JobState(job.state).label, done=job.done, total=job.total,
        progress_text="" if failed else job.progress_text,
        problem=job.progress_text if failed else job.lost(timezone.now()), asked_at=job.asked_at,
        may_stop=not over and not job.stop_asked,
    )  # fmt: skip
