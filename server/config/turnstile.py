"""So many requests are worked on at once and no more; the others wait here, where waiting costs nothing.

Each place has a thread and a connection to the database, which stay when the request is done. With a thread of its own
each request would open one, and a busy moment would take all that PostgreSQL has, the bench workers' with it.
"""

from __future__ import annotations

import asyncio
import re
from collections.abc import Awaitable, Callable, Mapping
from typing import Any

from asgiref.sync import SyncToAsync, ThreadSensitiveContext, sync_to_async
from django.core.handlers.asgi import ASGIHandler
from django.db import connections

Message = Mapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
Application = Callable[[dict[str, Any], Receive, Send], Awaitable[None]]

PLACES = 4  # more would share one interpreter: each answer takes longer, and an arming with them
RESERVED = 4  # more, for what is told to a stand: an abort does not stand in a queue behind curves
TO_THE_STAND = re.compile(r"^/api/(sessions/\d+/arm|pulls/\d+/(start|control|abort)|stands/\d+/stop)$")
# Files need no database, a stream gives its connection back, and an archive goes out as slowly as it is taken.
NO_PLACE = re.compile(r"^/static/|/live$|/archive$")


class Django(ASGIHandler):
    """Works in the thread that it is given; Django itself takes a new one for each request."""

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        if scope["type"] != "http":
            raise ValueError(f"only HTTP is spoken here, not {scope['type']}")
        await self.handle(scope, receive, send)


def _threads(number: int) -> asyncio.LifoQueue[ThreadSensitiveContext]:
    """Each stands for a thread that begins with its first request. The last one used is taken first: it is warm."""
    threads: asyncio.LifoQueue[ThreadSensitiveContext] = asyncio.LifoQueue()
    for _ in range(number):
        threads.put_nowait(ThreadSensitiveContext())
    return threads


class Turnstile:
    """Lets requests through to the application in the order in which they were there whole."""

    def __init__(self, application: Application, places: int = PLACES, reserved: int = RESERVED) -> None:
        self.application = application
        self.places, self.reserved = _threads(places), _threads(reserved)

    async def __call__(self, scope: dict[str, Any], receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or NO_PLACE.search(scope["path"]):
            async with ThreadSensitiveContext():
                try:
                    await self.application(scope, receive, send)
                finally:
                    await sync_to_async(connections.close_all)()
            return
        queue = self.reserved if TO_THE_STAND.match(scope["path"]) else self.places
        place: ThreadSensitiveContext | None = None

        async def enter() -> Message:
            """What was sent, the end of it once there is a place: a slow upload keeps nobody waiting."""
            nonlocal place
            if place:
                # Work that is begun is finished, whether or not somebody still waits for the answer: a thread cannot be
                # stopped in the middle, and must give its connection back.
                await asyncio.Event().wait()
            message = await receive()
            if message["type"] == "http.request" and not message.get("more_body", False):
                place = await queue.get()
                SyncToAsync.thread_sensitive_context.set(place)
            return message

        try:
            await self.application(scope, enter, send)
        finally:
            if place:
                queue.put_nowait(place)
