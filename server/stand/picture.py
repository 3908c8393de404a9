"""What browsers see of a stand while it runs: last values in SI, broken channels, and points of the live curve."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Sequence
from typing import Any

from torvix_core import quantities
from torvix_core.trace import PLAUSIBLE, SPEED, TORQUE

from stand.line import Hello
from stand.samples import is_known

SWEEP_WINDOW_S = 0.3  # over which the live sweep rate is taken
POINT_WINDOW_S = 0.1  # over which a live point is averaged
MOST_POINTS = 40  # in a frame: at high sample rates every so many are enough for the eye


class Picture:
    """Follows the samples of one connection to a stand."""

    def __init__(self, hello: Hello) -> None:
        self.hello = hello
        self.rules = [quantities.to_si_rule(unit) if is_known(unit) else None for unit in hello.units]
        self.limits = [PLAUSIBLE.get(name, (-math.inf, math.inf)) for name in hello.names]
        self.values: dict[str, float] = {}
        self.faulty: list[str] = []
        self.recent: deque[tuple[float, float, float]] = deque()  # time, rpm, torque of the last moments
        self.points: list[tuple[float, float]] = []

    def add(self, at: float, row: Sequence[float], *, sweeping: bool) -> None:
        """One sample of every channel, as sent. A channel that sends nothing or the impossible counts as faulty."""
        values, faulty = {}, []
        for name, value, rule, (low, high) in zip(self.hello.names, row, self.rules, self.limits, strict=True):
            if rule is None:
                continue
            read = value * rule.scale + rule.offset
            if low <= read <= high:
                values[name] = read
            else:  # also where nothing came
                faulty.append(name)
        self.values, self.faulty = values, faulty
        if not sweeping:
            self.recent.clear()
        elif SPEED in values and TORQUE in values:
            self.recent.append((at, values[SPEED], values[TORQUE]))
            while self.recent[0][0] < at - SWEEP_WINDOW_S:
                self.recent.popleft()
            self.points.append(self._point(at))

    def rounded(self) -> dict[str, float]:
        return {name: round(value, 5) for name, value in self.values.items()}

    def take_points(self) -> list[list[float]]:
        """The points since the last call, rpm and N·m."""
        points, self.points = self.points, []
        return [[round(rpm, 1), round(torque, 2)] for rpm, torque in points[:: 1 + len(points) // MOST_POINTS]]

    def frame(self, number: int, stand: int, state: str, pull: int | None) -> dict[str, Any]:
        """What is sent to browsers, in SI; `number` is that of the last sample in it."""
        return {
            "type": "frame",
            "stand": stand,
            "n": number,
            "state": state,
            "pull": pull,
            "values": self.rounded(),
            "faulty": self.faulty,
            "points": self.take_points(),
        }

    def _point(self, at: float) -> tuple[float, float]:
        """Speed and torque over the last moment, so that the eye sees the curve and not the sensor's noise."""
        last = [(rpm, torque) for time_s, rpm, torque in self.recent if time_s > at - POINT_WINDOW_S]
        rpm, torque = (sum(column) / len(last) for column in zip(*last, strict=True))
        return rpm, torque + self._inertia_torque()

    def _inertia_torque(self) -> float:
        """As the reduction will add it, from the sweep rate of the last moments, so that live and kept curves agree."""
        if self.hello.inertia_in_torque != "not_included" or len(self.recent) < 3:
            return 0.0
        (first_s, first_rpm, _), (last_s, last_rpm, _) = self.recent[0], self.recent[-1]
        if last_s <= first_s:
            return 0.0
        return self.hello.inertia * math.pi / 30 * (last_rpm - first_rpm) / (last_s - first_s)
