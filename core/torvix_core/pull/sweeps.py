"""Where a sweep begins and ends, found from the samples of a stand that does not say so itself."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import ArrayLike
from torvix_core.pull.limits import LOADED
from torvix_core.pull.trace import SPEED, THROTTLE, TORQUE
from torvix_core.units.checked import Array, positive

RISE_S = 0.4  # over which the speed must have risen
RISE_SHARE = 0.25  # of the rate that is planned: slower is a hand on the throttle, not a sweep [prac]
SETTLE_S = 2.0  # under load before the speed rises; what lies before belongs to no sweep [prac]
FALL_SHARE = 0.03  # of the highest speed: so far down and the sweep is over [prac]
CLOSED_S = 0.15  # with the throttle closed, and it is over
LOADED_TORQUE = 0.35  # of the torque that was seen before at most, where no throttle is sent
COVERED = 0.8  # of the range that was planned: a sweep that ends sooner was broken off [prac]


class Event(StrEnum):
    BEGAN = "began"
    ENDED = "ended"


@dataclass(frozen=True)
class SweepEdge:
    """A sweep began or ended at a time of the stand's clock. `high_rpm` is the highest speed so far."""

    event: Event
    at: float
    high_rpm: float


class SweepFinder:
    """Follows samples of speed, and of throttle or torque, until the end of one sweep.

    A sweep begins where the throttle opens and the speed then rises steadily from near the planned start; it ends where
    the throttle closes or the speed falls. A brake that holds the speed in between ends nothing.
    """

    def __init__(self, start_rpm: float, end_rpm: float, rate_rpm_s: float) -> None:
        positive("rate_rpm_s", rate_rpm_s)
        if not 0 < start_rpm < end_rpm:
            raise ValueError("the sweep must end above its start")
        self.start_rpm, self.end_rpm, self.rate = start_rpm, end_rpm, rate_rpm_s
        self.running = False
        self.high_rpm = 0.0
        self._times: list[float] = []
        self._speeds: list[float] = []
        self._loaded_since: float | None = None
        self._closed_since: float | None = None
        self._most_torque = 0.0

    def follow(self, times: ArrayLike, block: Mapping[str, Array]) -> SweepEdge | None:
        """What the samples tell: the beginning or the end of the sweep, if one is in them.

        Shapes: times (n,); channels of the block (n,), NaN where nothing came.
        Units:  s, SI, `rpm`.
        Errors: none; without a speed nothing is found.
        Source: common practice, no source; the limits stand at the head of this module.
        """
        if SPEED not in block:
            return None
        for index, at in enumerate(np.asarray(times, dtype=np.float64).tolist()):
            speed = float(block[SPEED][index])
            if np.isnan(speed):
                continue
            loaded = self._is_loaded(block, index)
            if found := (self._look_for_end if self.running else self._look_for_start)(at, speed, loaded):
                return found
        return None

    def covers(self) -> bool:
        """Whether enough of the planned range was swept for the sweep to count."""
        return self.high_rpm - self.start_rpm >= COVERED * (self.end_rpm - self.start_rpm)

    def _is_loaded(self, block: Mapping[str, Array], index: int) -> bool:
        if THROTTLE in block and not np.isnan(block[THROTTLE][index]):
            return bool(block[THROTTLE][index] >= LOADED)
        torque = float(block[TORQUE][index]) if TORQUE in block else float("nan")
        if np.isnan(torque):
            return True  # nothing says otherwise; the speed alone decides
        self._most_torque = max(self._most_torque, torque)
        return torque > LOADED_TORQUE * self._most_torque and torque > 0

    def _look_for_start(self, at: float, speed: float, loaded: bool) -> SweepEdge | None:
        if not loaded:
            self._loaded_since = None
            self._times.clear()
            self._speeds.clear()
            return None
        if self._loaded_since is None:
            self._loaded_since = at
        self._times.append(at)
        self._speeds.append(speed)
        while self._times[0] < at - RISE_S:
            del self._times[0], self._speeds[0]
        span = self._times[-1] - self._times[0]
        if span < 0.8 * RISE_S or speed < 0.8 * self.start_rpm:
            return None
        rate = float(np.polyfit(np.array(self._times) - at, self._speeds, 1)[0])
        if rate < RISE_SHARE * self.rate:
            return None
        self.running, self.high_rpm = True, speed
        return SweepEdge(Event.BEGAN, max(self._loaded_since, at - SETTLE_S), speed)

    def _look_for_end(self, at: float, speed: float, loaded: bool) -> SweepEdge | None:
        self.high_rpm = max(self.high_rpm, speed)
        if loaded:
            self._closed_since = None
        elif self._closed_since is None:
            self._closed_since = at
        closed = self._closed_since is not None and at - self._closed_since >= CLOSED_S
        if closed or speed < (1 - FALL_SHARE) * self.high_rpm:
            self.running = False
            return SweepEdge(Event.ENDED, at, self.high_rpm)
        return None
