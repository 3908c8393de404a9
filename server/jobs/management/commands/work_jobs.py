"""manage.py work_jobs: take jobs from the queue and do them, one at a time, until told to stop.

The queue's own worker ends where it gets no connection for a while. This one begins anew, so that a database that was
away costs a job the time that it was away and no more.
"""

from __future__ import annotations

import asyncio
import logging
import signal
from contextlib import suppress
from typing import Any

import psycopg
from django.core.management.base import BaseCommand, CommandParser
from procrastinate import PsycopgConnector
from procrastinate.contrib.django import app
from procrastinate.contrib.django.utils import connector_params
from procrastinate.exceptions import ConnectorException
from procrastinate.jobs import DeleteJobCondition

from shop import heap

log = logging.getLogger("torvix.jobs")
POLL_S = 2.0  # a new job is told at once; this is for what was missed while the connection was away
WAIT_S = 5.0  # for a connection, and then anew
RETRY_S = 1.0


class Command(BaseCommand):
    help = "Take jobs from the queue and do them, one at a time."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--queue", action="append", help="only this one; may be given again")

    def handle(self, *args: Any, **options: Any) -> None:
        heap.settle()
        asyncio.run(_work(options["queue"]))


async def _work(queues: list[str] | None) -> None:
    stopped = asyncio.Event()
    while await _answers(stopped):
        # The pool's own pauses grow to minutes: it gives up early instead, and we begin anew.
        connector = PsycopgConnector(
            kwargs=connector_params(), min_size=1, max_size=3, timeout=WAIT_S, reconnect_timeout=RETRY_S
        )
        try:
            with app.replace_connector(connector):
                async with app.open_async():
                    if stopped.is_set():
                        return
                    await app.run_worker_async(
                        queues=queues,  # type: ignore[arg-type]  # None is every queue
                        name="-".join(queues or ["all"]), concurrency=1,
                        delete_jobs=DeleteJobCondition.ALWAYS, fetch_job_polling_interval=POLL_S,
                    )  # fmt: skip
            return  # it was told to stop
        except (ConnectorException, psycopg.OperationalError) as error:
            log.warning("the database went away, and is waited for: %s", error.__cause__ or error)


async def _answers(stopped: asyncio.Event) -> bool:
    """Wait for the database, as long as it takes; False where the worker is told to stop meanwhile."""
    for number in (signal.SIGINT, signal.SIGTERM):  # the queue's worker has its own while it runs, and drops ours
        asyncio.get_running_loop().add_signal_handler(number, stopped.set)
    while not stopped.is_set():
        try:
            await (await psycopg.AsyncConnection.connect(**connector_params())).close()
            return True
        except psycopg.OperationalError:
            with suppress(TimeoutError):
                await asyncio.wait_for(stopped.wait(), RETRY_S)
    return False
