"""Rounds of asking, at a rate or as fast as answers come."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Callable


async def rounds(rate_hz: float, clock: Callable[[], float]) -> AsyncIterator[int]:
    """Numbers from 0, one a round. Where a round takes too long the next follows at once, and none is made up for."""
    turn, due = 0, clock()
    while True:
        yield turn
        turn += 1
        due = max(due + 1 / rate_hz, clock())
        await asyncio.sleep(due - clock())
