"""Commands of the line, put where the map says; the beat of whoever armed, passed on; and a stop where it falls silent.

The stand keeps its own authority: it is armed or sweeping when it says so, and not because it was asked to be.
"""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Callable, Coroutine, Mapping
from contextlib import suppress
from typing import Any

from adapters.control_map import MOVING, SWEEP, ControlMap, Write
from adapters.sources.source import Source, SourceLost

log = logging.getLogger("torvix.adapter")

COMMANDS = ("abort", "arm", "start")
ARM_S, START_S = 3.0, 2.0  # within which the stand has to say that it did
RELEASE_S = 0.2  # that a controller has to see what was written
RELEASE, BEAT, STOP = "release", "beat", "stop"  # what is under way
AGAIN_S = 0.3  # between two stops of our own
LOOK_S = 0.02


class Refused(Exception):
    """The stand did not do it, or it was not asked to: in words for whoever gave the command."""


class Control:
    """`source` is whoever writes, while there is one; `said` gets the state whenever it is another."""

    def __init__(self, of: ControlMap, clock: Callable[[], float]) -> None:
        self.of, self.clock = of, clock
        self.source: Source | None = None
        self.said: Callable[[str], None] = lambda state: None
        self.is_silent = False  # as if this program had died: to try the stand's own watchdog
        self._state: str | None = None  # by the stand; None until it said one that the map knows
        self._strange: float | None = None  # what it says, where the map has no name for it
        self._armed_here = False  # of a stand that has no arming of its own
        self._guard: object | None = None  # whose line armed it
        self._is_ours = False  # armed over the line, and not at rest since
        self._heard_s = self._stopped_s = -1e9
        self._beat = False
        self._tasks: set[asyncio.Task[None]] = set()
        self._begun: asyncio.Task[None] | None = None  # an arming or a start that is waited for

    @property
    def may_run(self) -> bool:
        """It was armed over the line, and is not known to be at rest since."""
        return self._is_ours and self.state != "idle"

    @property
    def state(self) -> str | None:
        return "armed" if self._armed_here and self._state == "idle" else self._state

    def hear(self, raw: float) -> None:
        """What the stand says of itself now."""
        found, before = self.of.state.state_of(raw), self.state
        self._strange = raw if found is None else None
        if found is None:
            # Whatever it is, it is not known to have stopped: what it said before holds.
            log.warning("the state of the stand reads %g, which the map has no name for", raw)
            return
        self._state = found
        if found != "idle":
            self._armed_here = False
        self._changed(before)

    def forget(self) -> None:
        """It is not heard any more."""
        self._state = None

    def _changed(self, before: str | None) -> None:
        if self.state == "idle" and before != "idle":
            self._is_ours = False  # at rest
        if self.state is not None and self.state != before:
            self.said(self.state)

    # Commands

    async def obey(self, line: object, name: str, arguments: Mapping[str, Any]) -> None:
        """Refused says why not. A stop goes past whatever else is waited for."""
        if name not in COMMANDS:
            raise Refused(f"this stand takes no command {name!r}")
        if name == "abort":
            await self._abort()
            return
        if self._begun is not None and not self._begun.done():
            raise Refused("the command before is not answered yet")
        self._guard, self._heard_s = line, self.clock()
        self._begun = asyncio.current_task()
        try:
            await self._put(self.of.watchdog, self._next_beat())  # before there is something to stop
            await self._released()
            await (self._arm(arguments) if name == "arm" else self._start())
        except asyncio.CancelledError:
            raise Refused("it was stopped meanwhile") from None
        finally:
            self._begun = None
            self._is_ours = self.may_run  # where it came to nothing, a sweep from its console is not ours to stop

    async def _arm(self, arguments: Mapping[str, Any]) -> None:
        if self._strange is not None:
            raise Refused(f"the stand says {self._strange:g}, which the map has no name for")
        if self.state not in ("idle", "armed"):
            raise Refused(f"it is {(self.state or 'not heard').replace('_', ' ')}")
        self._is_ours = True
        for name in SWEEP:
            if (row := getattr(self.of, name)) is not None:
                await self._put(row, row.raw(float(arguments[name])))
        if self.of.arm is None:
            before, self._armed_here = self.state, True
            self._changed(before)
            return
        await self._put(self.of.arm)
        await self._until(lambda: self.state == "armed", ARM_S, "arm")

    async def _start(self) -> None:
        if self.state != "armed":
            raise Refused(f"not armed, the stand is {(self.state or 'not heard').replace('_', ' ')}")
        self._is_ours = True
        await self._put(self.of.start)
        await self._until(lambda: self.state in ("sweeping", "rolling_off"), START_S, "start")

    async def _until(self, done: Callable[[], bool], seconds: float, what: str) -> None:
        """What begins later than this nobody expects any more: it is stopped before it can."""
        until = self.clock() + seconds
        while not done():
            if self.clock() > until:
                await self._stop()
                raise Refused(f"it did not {what} within {seconds:g} s, and was stopped")
            await asyncio.sleep(LOOK_S)

    async def _abort(self) -> None:
        begun, before = self._begun, self.state
        if begun is not None and begun is not asyncio.current_task():
            begun.cancel()
        self._armed_here = False
        self._changed(before)
        await self._put(self.of.abort)

    async def _put(self, row: Write, raw: float | None = None) -> None:
        if self.source is None:
            raise Refused("the stand cannot be reached")
        # Not broken off by a stop: the answer to half a request would be taken for that to the stop behind it.
        writing = asyncio.ensure_future(self.source.write(row, row.value if raw is None else raw))
        writing.add_done_callback(lambda done: done.cancelled() or done.exception())
        try:
            await asyncio.shield(writing)
        except SourceLost as lost:
            raise Refused(str(lost)) from lost
        if row.release is not None and row is not self.of.watchdog:
            self._later(self._release(row, row.release), RELEASE)

    async def _released(self) -> None:
        """What looks for a change sees none where it is pressed again before it was let go."""
        if any(task.get_name() == RELEASE for task in self._tasks):
            while any(task.get_name() == RELEASE for task in self._tasks):
                await asyncio.sleep(LOOK_S)
            await asyncio.sleep(RELEASE_S)

    async def _release(self, row: Write, raw: float) -> None:
        await asyncio.sleep(RELEASE_S)
        if self.source is not None:
            await self.source.write(row, raw)

    def _later(self, what: Coroutine[Any, Any, None], name: str) -> None:
        async def quietly() -> None:
            try:
                await what
            except SourceLost as lost:
                log.warning("%s", lost)

        task = asyncio.create_task(quietly(), name=name)
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)

    # Who watches

    def beat(self, line: object) -> None:
        """Somebody is there: passed on, and never made up."""
        if self._guard is not None and line is not self._guard:
            return
        self._heard_s = self.clock()
        if self.source is None or self.is_silent or any(task.get_name() == BEAT for task in self._tasks):
            return  # one that is not taken yet is enough
        self._later(self.source.write(self.of.watchdog, self._next_beat()), BEAT)

    def _next_beat(self) -> float:
        self._beat = not self._beat
        return self.of.watchdog.value if self._beat else self.of.watchdog.release or 0.0

    def gone(self, line: object) -> None:
        """The line is closed."""
        if line is self._guard:
            self._guard, self._heard_s = None, -1e9

    def _is_watched(self) -> bool:
        return self.clock() - self._heard_s <= self.of.watchdog_s

    async def run(self) -> None:
        """Until cancelled: whoever armed and is not heard any more cannot stop it, so this does."""
        while True:
            await asyncio.sleep(LOOK_S)
            now = self.clock()
            if not self._is_ours or self.is_silent or now - self._stopped_s < AGAIN_S:
                continue
            if self.state in MOVING and not self._is_watched():
                self._stopped_s = now
                log.warning("whoever armed the stand is gone, or said nothing for %g s: stopped", self.of.watchdog_s)
                # By itself: a library that is cancelled while it writes may lose the cancelling.
                self._later(self._stop(), STOP)

    async def _stop(self) -> None:
        with suppress(Refused):
            await self._abort()

    async def leave(self) -> None:
        """This program ends: what was armed over its line does not go on by itself."""
        if self._is_ours and self.state in MOVING:
            await self._stop()
