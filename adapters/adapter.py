"""One adapter: reads the sources of a stand, each again when it was lost, and serves what they say as one stand."""

from __future__ import annotations

import asyncio
import logging
import math
import time
from collections.abc import Callable, Mapping

from adapters.control import Control
from adapters.control_map import MOVING
from adapters.ending import LEAVE_S, end
from adapters.line_server import LineServer
from adapters.readers import reader_of
from adapters.sources.source import SourceLost
from adapters.stand_map import SPEED, StandMap
from adapters.stream import Stream

log = logging.getLogger("torvix.adapter")

PAUSE_S, PAUSE_MOST_S = 0.5, 10.0  # before a source that was lost is asked again: at first, and in the end
LOOK_S = 0.1
REPORT_S = 60.0
LONGEST_REST_S = 300.0


class Adapter:
    """`run` until it is cancelled. `trying` takes commands by a map that did not conform yet: to find out."""

    def __init__(self, of: StandMap, clock: Callable[[], float] = time.monotonic, *, trying: bool = False) -> None:
        self.of, self.clock = of, clock
        self.stream = Stream(of, clock)
        self.control = Control(of.control, clock) if of.control and (trying or of.has_conformed) else None
        if of.control and self.control is None:
            log.warning("this map did not pass a conformance run as it is: the stand only reports")
        self.server = LineServer(of, self.stream, self.control, self.let_go)
        self.rests_until = -math.inf
        self.is_held = [False] * len(of.sources)
        speed = next(row for row in of.channels if row.name == SPEED)
        self.leading = of.source_of(speed)  # without it there are no samples
        self.speed = of.channels.index(speed)
        # Where commands go and the state comes from: without it no stop would reach the stand.
        self.commanding = of.source_of(self.control.of.state) if self.control else self.leading
        self.needed = {self.leading, self.commanding}
        self.is_heard = [False] * len(of.sources)
        self.why_not = [""] * len(of.sources)
        self.heard_at = [0.0] * len(of.sources)

    async def run(self, host: str, port: int, ready: Callable[[int], None] = lambda port: None) -> None:
        listening = await self.server.serve(host, port)
        ready(listening.sockets[0].getsockname()[1])
        try:
            async with asyncio.TaskGroup() as tasks:
                tasks.create_task(self.server.run())
                tasks.create_task(self._report())
                if self.control:
                    tasks.create_task(self.control.run())
                for number in range(len(self.of.sources)):
                    tasks.create_task(self._follow(number))
        finally:
            self.server.lost("the adapter was stopped")
            listening.close()

    async def let_go(self, seconds: float) -> str:
        """Of serial lines, which one program alone can hold, for so many seconds; why not, or "" once they are free."""
        if self.control and self.control.state in MOVING:
            return f"the stand is {self.control.state}"
        self.rests_until = self.clock() + min(seconds, LONGEST_REST_S)
        until = self.clock() + LEAVE_S + LOOK_S
        while any(self._rests(number) and held for number, held in enumerate(self.is_held)) and self.clock() < until:
            await asyncio.sleep(LOOK_S)
        return ""

    def _rests(self, number: int) -> bool:
        return bool(getattr(self.of.sources[number], "serial", "")) and self.clock() < self.rests_until

    async def _report(self) -> None:
        """Gaps are written to the log, where there were new ones."""
        before = 0
        while True:
            await asyncio.sleep(REPORT_S)
            health = self.stream.health
            if health.gaps > before:
                log.warning("%d gaps between samples, the longest %.3f s; steps off by %.4f s on average",
                            health.gaps - before, health.longest_s, health.jitter_s)  # fmt: skip
            before = health.gaps

    async def _follow(self, number: int) -> None:
        """Read one source, and again when it is lost."""
        pause = PAUSE_S
        while True:
            begun = self.clock()
            try:
                while self._rests(number):
                    await asyncio.sleep(LOOK_S)
                await self._read(number)
            except SourceLost as lost:
                self._lose(number, str(lost))
            except Exception:
                log.exception("%s could not be read", self.of.sources[number].name)
                self._lose(number, "it could not be read by a fault of the adapter, which is in its log")
            pause = PAUSE_S if self.heard_at[number] > begun else min(2 * pause, PAUSE_MOST_S)
            await asyncio.sleep(pause)

    async def _read(self, number: int) -> None:
        """Until it is lost, or says nothing for its time: a line that is half open never ends by itself."""
        source = self.of.sources[number]
        begun_s = last_s = self.clock()
        is_read = True

        def take(readings: Mapping[int, float], at: float | None) -> None:
            nonlocal last_s
            if not is_read:
                return  # of a reader that was left and has not ended yet: another one reads
            self.heard_at[number] = self.clock()
            if number != self.leading or self.speed in readings:  # without the speed nothing else is of use
                last_s = self.clock()
                if not self.is_heard[number]:
                    self._found(number)
            self.stream.take(readings, at)
            if number in self.needed and self.server.why_not:
                self._begin()

        reader = reader_of(source, self.of.rows_of(number), self.of.rate_hz, self.clock)
        task = asyncio.create_task(reader.read(take))
        self.is_held[number] = True
        if self.control and number == self.commanding:
            self.control.source = reader
        try:
            while not task.done():
                await asyncio.wait([task], timeout=LOOK_S)
                if self._rests(number):
                    raise SourceLost(f"{source.name}: its serial line is let go of, while another map is tried on it")
                if self.clock() - last_s > source.timeout_s + 2 * LOOK_S and not task.done():
                    what = "no engine speed" if self.heard_at[number] >= begun_s else "nothing"
                    raise SourceLost(f"{source.name}: {what} came for {source.timeout_s:g} s")
            await task
        finally:
            is_read = False
            if self.control and number == self.commanding:
                self.control.source = None
            await end(task)
            self.is_held[number] = False
            if task.done() and not task.cancelled():
                task.exception()  # said already

    def _found(self, number: int) -> None:
        log.info("%s is heard", self.of.sources[number].name)
        self.why_not[number], self.is_heard[number] = "", True

    def _begin(self) -> None:
        """Once all is heard without which there is no stand."""
        if all(self.is_heard[number] for number in self.needed) and (not self.control or self.control.state):
            self.server.heard()

    def _lose(self, number: int, why: str) -> None:
        if why != self.why_not[number]:
            log.warning("%s: %s", self.of.sources[number].name, why)
        self.why_not[number], self.is_heard[number] = why, False
        if number in self.needed:
            self.server.lost(why)
        if self.control and number == self.commanding:
            self.control.forget()
