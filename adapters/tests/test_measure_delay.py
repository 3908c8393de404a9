"""A second source that is late: how late is measured from a sweep, and what cannot be known says so."""

import asyncio
import unittest
from typing import Any

from adapters import measure_delay, stand_map
from adapters.sources.source import SourceLost
from adapters.tests.over import Link, free_port
from standin.over.publisher import Row, Said, map_of
from standin.over.text import TextPublisher

HOST = "127.0.0.1"
LATE_S = 0.3


class Two(TextPublisher):
    """The same engine twice: at once, and over a second line that is late."""

    def __init__(self) -> None:
        super().__init__(HOST, free_port())
        self.second = TextPublisher(HOST, free_port())
        self.under_way: set[asyncio.Task[None]] = set()

    async def start(self, said: Said) -> None:
        await super().start(said)
        await self.second.start(said)

    async def send(self, at_s: list[float], rows: list[Row], weather: list[float]) -> None:
        await super().send(at_s, rows, weather)

        async def later() -> None:
            await asyncio.sleep(LATE_S)
            await self.second.send(at_s, rows, weather)

        task = asyncio.create_task(later())
        self.under_way.add(task)
        task.add_done_callback(self.under_way.discard)

    async def stop(self) -> None:
        await super().stop()
        await self.second.stop()


def map_of_two(said: Said, two: Two) -> dict[str, Any]:
    document = map_of(said, two)
    first = {key: value for key, value in two.source().items() if key != "time"}  # by arrival: what is measured
    second = {key: value for key, value in two.second.source().items() if key != "time"}
    document["sources"] = [first, {**second, "name": "engine computer"}]
    document["channels"] = [*document["channels"][:2], {"name": "rpm_engine_computer", "unit": "rpm", "field": "rpm",
                                                        "source": "engine computer"}]  # fmt: skip
    document["weather"] = []
    return document


class Delays(unittest.IsolatedAsyncioTestCase):
    async def test_the_delay_of_a_second_source_is_measured_from_a_sweep(self):
        async with Link(two := Two()) as link:
            found = stand_map.checked(map_of_two(link.said, two))
            recording = asyncio.create_task(measure_delay.record(found, 9.0))
            while link.server.sent < 100:  # it idles for a while on both
                await asyncio.sleep(0.05)
            link.stand.command("arm", {"start_rpm": 2000, "end_rpm": 6000, "rate_rpm_s": 1000})
            link.stand.command("start", {})
            lags = measure_delay.delays(found, await recording)
        self.assertAlmostEqual(lags["engine computer"].seconds, LATE_S, delta=0.1)

    async def test_an_engine_that_idles_tells_nothing(self):
        async with Link(two := Two()) as link:
            found = stand_map.checked(map_of_two(link.said, two))
            read = await measure_delay.record(found, 3.0)
        with self.assertRaisesRegex(ValueError, "engine computer: the speed has to move"):
            measure_delay.delays(found, read)

    async def test_a_source_without_the_speed_and_one_that_is_not_there_are_named(self):
        async with Link(two := Two()) as link:
            document = map_of_two(link.said, two)
            document["channels"][2]["unit"] = "1"
            found = stand_map.checked(document)
            with self.assertRaisesRegex(ValueError, "engine computer has no row in rpm"):
                measure_delay.delays(found, await measure_delay.record(found, 0.5))
            document["sources"][1]["port"] = free_port()
            with self.assertRaisesRegex(SourceLost, "nothing answers"):
                await measure_delay.record(stand_map.checked(document), 5.0)
