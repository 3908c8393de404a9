"""The queue's side: one task, which does a job by its number."""

from __future__ import annotations

from procrastinate.contrib.django import app

from jobs import service as jobs


@app.task(name=jobs.TASK)
def run(job_id: int) -> None:
    jobs.run(job_id)
