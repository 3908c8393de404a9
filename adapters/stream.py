"""One stream of samples from what the sources of a stand say, each in its own time and at its own rate.

A sample is made whenever the engine speed is read, at the time at which it was read. Every other channel is in it if
it was read since the sample before, and is missing otherwise: nothing is made up between two readings.
"""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import numpy as np
from torvix_core.pull.trace import SampleSteps

from adapters.stand_map import SPEED, StandMap

LEAST_STEP_S = 1e-5  # between two samples, where readings come in a heap


@dataclass
class SourceClock:
    """Times by the clock of a source, on ours. The reading that was fastest on its way tells how the clocks stand.

    Source: the least of arrival less sent time bounds the offset of two clocks from above (common practice in
            one-way synchronization); it is let out by `DRIFT` so that clocks that run differently are followed.
    """

    DRIFT = 2e-4  # s/s, more than any quartz [prac]
    JUMP_S = 2.0  # by which a clock that was set differs
    offset_s: float = math.nan
    arrived_s: float = math.nan
    jumps: int = 0

    def at(self, sent_s: float, arrived_s: float) -> float:
        """When it was read, by our clock; never later than it arrived."""
        new = arrived_s - sent_s
        if math.isnan(self.offset_s):
            self.offset_s = new
        elif abs(new - self.offset_s) > self.JUMP_S:
            self.offset_s, self.jumps = new, self.jumps + 1
        else:
            self.offset_s = min(new, self.offset_s + self.DRIFT * max(0.0, arrived_s - self.arrived_s))
        self.arrived_s = arrived_s
        return sent_s + self.offset_s


@dataclass
class Stream:
    """`send` gets each sample: its time, s, and a value for each channel of the map, None where there is none.

    Where a source lags behind, samples wait for it, and each of its readings goes into the sample of its own time.
    `send_state` gets the state of a stand that says one, in its place between the samples.
    """

    of: StandMap
    clock: Callable[[], float]
    send: Callable[[float, list[float | None]], None] = lambda at, row: None
    send_state: Callable[[float, float], None] = lambda at, raw: None  # as it came, whenever another came
    health: SampleSteps = field(init=False)

    def __post_init__(self) -> None:
        self._rows = self.of.rows
        self._speed = next(place for place, row in enumerate(self.of.channels) if row.name == SPEED)
        self._delays = [self.of.sources[self.of.source_of(row)].delay_s for row in self._rows]
        self._wait_s = max(self._delays)
        self._ahead: dict[int, tuple[float, float | None]] = {}  # read after the last sample
        self._waiting: deque[tuple[float, list[float | None]]] = deque()
        self._state = math.nan
        self._states: deque[tuple[float, float]] = deque()  # that wait for the samples before them
        self._last_s = -math.inf
        self.health = SampleSteps(1 / self.of.rate_hz)
        self.weather: list[float | None] = [None] * len(self.of.weather)

    def take(self, readings: Mapping[int, float], at: float | None = None) -> None:
        """Raw readings by row of the map, read at one time (s by our clock; now where not given)."""
        now = self.clock()
        read_s = now if at is None else min(at, now)
        if self._speed in readings:
            self._begin(read_s)
        for place, raw in readings.items():
            row = self._rows[place]
            if place == self.of.state_place:
                self._take_state(read_s - self._delays[place], raw)
                continue
            value = None if not math.isfinite(raw) or raw in row.missing else raw * row.scale + row.offset
            if place >= len(self.of.channels):
                self.weather[place - len(self.of.channels)] = value
            else:
                self._put(place, read_s - self._delays[place], value)
        self.release(now)

    def release(self, now: float) -> None:
        """Send the samples that no source can add to any more."""
        while self._waiting:
            begun = self._waiting[0][0]
            self._release_states(begun)
            if self._wait_s and now - begun < self._wait_s:
                return
            self.send(*self._waiting.popleft())
        self._release_states(math.inf)

    def _take_state(self, at: float, raw: float) -> None:
        if raw != self._state and math.isfinite(raw):
            self._state = raw
            self._states.append((at, raw))

    def _release_states(self, before: float) -> None:
        while self._states and self._states[0][0] < before:
            self.send_state(*self._states.popleft())

    def interrupt(self) -> None:
        """The speed is not read any more: what waits goes out, and nothing of now is part of what comes after."""
        self.release(math.inf)
        self._ahead.clear()
        self._state = math.nan  # whatever it is when it is heard again

    def _begin(self, at: float) -> None:
        """A sample, with what was read since the one before."""
        at = max(at, self._last_s + LEAST_STEP_S)
        self.health.take(np.array([at]))
        self._last_s = at
        row: list[float | None] = [None] * len(self.of.channels)
        for place, (read_s, value) in list(self._ahead.items()):
            if read_s <= at:
                row[place] = value
                del self._ahead[place]
        self._waiting.append((at, row))

    def _put(self, place: int, read_s: float, value: float | None) -> None:
        for at, row in self._waiting:
            if at >= read_s or (at == self._last_s and place == self._speed):
                row[place] = value
                return
        self._ahead[place] = read_s, value
