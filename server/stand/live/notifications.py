"""What browsers see while it happens: notifications of the database, fanned out to every open stream.

One LISTEN connection a process. A slow browser loses its oldest frames; the server does not grow.
"""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator, Callable, Coroutine, Hashable
from contextlib import suppress
from dataclasses import dataclass, field
from typing import Any

import psycopg
from django.db import connection

FRAMES = "torvix_live"  # from the bench worker to browsers
ASKED = "torvix_asked"  # from browsers to the bench worker
MOST_WAITING = 64  # frames, a few seconds
MOST_BYTES = 7_900  # PostgreSQL carries 8000 in a notification
HEARTBEAT_S = 5.0
CHECKS = 4  # of readers at a time: fifty who watch are asked after one after the other, not with fifty connections


def notify(channel: str, message: dict[str, Any]) -> None:
    """Tell everyone who listens, when the transaction commits."""
    payload = json.dumps(message, separators=(",", ":"), ensure_ascii=False)
    if len(payload.encode()) > MOST_BYTES:
        raise ValueError(f"a notification of {len(payload)} bytes is too long")
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, %s)", [channel, payload])


def connection_arguments() -> dict[str, Any]:
    """For a connection of one's own to the database that Django uses, also in tests."""
    told = connection.settings_dict
    return {
        "dbname": told["NAME"],
        "user": told["USER"],
        "password": told["PASSWORD"],
        "host": told["HOST"],
        "port": told["PORT"],
        **told["OPTIONS"],
    }


@dataclass
class Heard:
    """A message of the worker, parsed once for all who read it. `shown` holds the bytes that readers share."""

    told: dict[str, Any]
    shown: dict[Hashable, bytes] = field(default_factory=dict)
    work: dict[Hashable, asyncio.Task[Any]] = field(default_factory=dict)

    async def once(self, key: Hashable, work: Callable[[], Coroutine[Any, Any, Any]]) -> Any:
        """What has to be found out because of this message: by the first reader who asks, for all of them."""
        if key not in self.work:
            self.work[key] = asyncio.get_running_loop().create_task(work())
        return await asyncio.shield(self.work[key])  # a reader who leaves does not stop it for the others


class Hub:
    """Joins queues to the one LISTEN connection; opened by the first, closed by the last."""

    def __init__(self) -> None:
        self.queues: set[asyncio.Queue[Heard]] = set()
        self.task: asyncio.Task[None] | None = None
        self.listening = asyncio.Event()
        self.checks = asyncio.Semaphore(CHECKS)

    def join(self) -> asyncio.Queue[Heard]:
        queue: asyncio.Queue[Heard] = asyncio.Queue(MOST_WAITING)
        if not self.queues:
            self.checks = asyncio.Semaphore(CHECKS)  # of the loop that runs now
        self.queues.add(queue)
        if self.task is None or self.task.done():
            self.task = asyncio.get_running_loop().create_task(self._run())
        return queue

    def leave(self, queue: asyncio.Queue[Heard]) -> None:
        self.queues.discard(queue)
        if not self.queues and self.task is not None:
            self.task.cancel()
            self.task = None
            self.listening.clear()

    async def _run(self) -> None:
        while True:
            try:
                async with await psycopg.AsyncConnection.connect(
                    **connection_arguments(), autocommit=True
                ) as listening:
                    await listening.execute(f"LISTEN {FRAMES}".encode())
                    self.listening.set()
                    async for heard in listening.notifies():
                        self._hand_out(heard.payload)
            except psycopg.OperationalError:
                self.listening.clear()
                self._hand_out('{"type":"database_lost"}')
                await asyncio.sleep(1)

    def _hand_out(self, payload: str) -> None:
        heard = Heard(json.loads(payload))
        for queue in tuple(self.queues):
            if queue.full():
                queue.get_nowait()
            queue.put_nowait(heard)


hub = Hub()


async def frames(stand_id: int) -> AsyncIterator[Heard | None]:
    """Frames of one stand as they come; None every HEARTBEAT_S, so that a dead connection or reader is noticed."""
    queue = hub.join()
    clock = asyncio.get_running_loop().time
    try:
        yield None
        beat_at = clock() + HEARTBEAT_S
        while True:
            message = None
            with suppress(TimeoutError):
                message = await asyncio.wait_for(queue.get(), max(0.0, beat_at - clock()))
            if clock() >= beat_at:
                yield None
                beat_at = clock() + HEARTBEAT_S
            if message is not None and message.told.get("stand") in (None, stand_id):
                yield message
    finally:
        hub.leave(queue)
