"""The end of work that waits inside a library."""

from __future__ import annotations

import asyncio
from collections.abc import Coroutine
from typing import Any

LEAVE_S = 3.0  # within which work that is asked to end has to
AGAIN_S = 1.2  # after which it is asked again; longer than a reader takes to leave its server


async def end(*tasks: asyncio.Task[Any], within_s: float = LEAVE_S) -> None:
    """Cancel until they are done, or time is up: `asyncio.wait_for` loses a cancelling that comes with its answer.

    Source: the notes of change of Python 3.12, where it no longer does (from memory).
    """
    loop = asyncio.get_running_loop()
    until = loop.time() + within_s
    while running := [task for task in tasks if not task.done()]:
        left = until - loop.time()
        if left <= 0:
            return
        for task in running:
            task.cancel()
        await asyncio.wait(running, timeout=min(AGAIN_S, left))


async def run_for(seconds: float, work: Coroutine[Any, Any, None]) -> None:
    """For so long at most. Raises what the work raises."""
    task = asyncio.create_task(work)
    try:
        await asyncio.wait([task], timeout=seconds)
    finally:
        await end(task)
    if task.done() and not task.cancelled():
        task.result()
