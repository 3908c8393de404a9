"""The queue's side: one task, which does a job by its number."""

from __future__ import annotations

from procrastinate.contrib.django import app

from jobs import service as jobs


@app.task(name="jobs.run")
def run(job_id: int) -> None:
    jobs.run(job_id)


def defer(job_id: int, queue: str) -> None:
    run.configure(queue=queue).defer(job_id=job_id)
