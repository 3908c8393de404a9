"""So many requests are worked on at once and no more; the others wait here, where waiting costs nothing.

Each request that is worked on has a thread and a connection to the database. Without a bound a busy moment takes all
that PostgreSQL has, the bench workers' with it.
"""

from __future__ import annotations

import asyncio
import re
from collections.abc import Awaitable, Callable, Mapping
from typing import Any

Message = Mapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
Application = Callable[[dict[str, Any], Receive, Send], Awaitable[None]]

PLACES = 12
RESERVED = 4  # more, for what is told to a stand: an abort does not stand in a queue behind curves
TO_THE_STAND = re.compile(r"^/api/(sessions/\d+/arm|pulls/\d+/(start|control|abort)|stands/\d+/stop)$")
NO_PLACE = re.compile(r"^/static/|/live$")  # files need no database, and a stream gives its connection back


class Turnstile:
    """Lets requests through to the application in the order in which they were there whole."""

    def __init__(self, application: Application, places: int = PLACES, reserved: int = RESERVED) -> None:
        self.application = application
        self.places, self.reserved = asyncio.Semaphore(places), asyncio.Semaphore(reserved)

    async def __call__(self, scope: dict[str, Any], receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or NO_PLACE.search(scope["path"]):
            await self.application(scope, receive, send)
            return
        queue = self.reserved if TO_THE_STAND.match(scope["path"]) else self.places
        entered = False

        async def enter() -> Message:
            """What was sent, the end of it once there is a place: a slow upload keeps nobody waiting."""
            nonlocal entered
            if entered:
                # Work that is begun is finished, whether or not somebody still waits for the answer: a thread cannot be
                # stopped in the middle, and must give its connection back.
                await asyncio.Event().wait()
            message = await receive()
            if message["type"] == "http.request" and not message.get("more_body", False):
                await queue.acquire()
                entered = True
            return message

        try:
            await self.application(scope, enter, send)
        finally:
            if entered:
                queue.release()
