"""Work ends though a cancelling was lost: libraries lose one that comes at the moment of an answer."""

import asyncio
import time
import unittest

from adapters.ending import AGAIN_S, end, run_for


async def goes_on(losing: int) -> None:
    while True:
        try:
            await asyncio.sleep(600)
        except asyncio.CancelledError:
            losing -= 1
            if losing < 0:
                raise


class Ending(unittest.IsolatedAsyncioTestCase):
    async def test_what_lost_a_cancelling_is_asked_again(self):
        task = asyncio.create_task(goes_on(1))
        await asyncio.sleep(0)
        await end(task, within_s=60)
        self.assertTrue(task.cancelled())

    async def test_what_does_not_end_at_all_holds_nobody_up(self):
        task = asyncio.create_task(goes_on(2))
        await asyncio.sleep(0)
        await end(task, within_s=0.1)
        self.assertFalse(task.done())
        await end(task, within_s=60)
        self.assertTrue(task.done())

    async def test_work_for_so_many_seconds_ends_though_a_cancelling_was_lost(self):
        begun = time.monotonic()
        await run_for(0.1, goes_on(1))
        self.assertGreater(time.monotonic() - begun, AGAIN_S)

    async def test_work_that_fails_before_says_so(self):
        async def fails() -> None:
            raise ValueError("no such register")

        with self.assertRaisesRegex(ValueError, "no such register"):
            await run_for(60, fails())
