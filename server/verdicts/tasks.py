"""The queue's side: every minute the results of tests that have changed are made anew."""

from __future__ import annotations

from procrastinate.contrib.django import app

from jobs.kinds import Queue
from verdicts.results import service as results

TASK = "verdicts.keep_results"
BUDGET_S = 40.0  # of each minute, at most: what somebody asked for waits behind it


@app.periodic(cron="* * * * *", queueing_lock=TASK)
@app.task(name=TASK, queue=Queue.LONG.value)
def keep_results(timestamp: int) -> None:
    results.refresh(BUDGET_S)
