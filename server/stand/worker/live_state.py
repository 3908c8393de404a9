"""What browsers see of a stand while it runs: last values in SI, broken channels, and points of the live curve."""

from __future__ import annotations

import math
from collections import deque
from typing import Any

import numpy as np
from torvix_core.pull.trace import PLAUSIBLE, SPEED, TORQUE, SampleSteps
from torvix_core.units import quantities
from torvix_core.units.checked import Array

from stand.pulls.raw_channels import is_known
from stand.worker.line import Hello

SWEEP_WINDOW_S = 0.3  # over which the live sweep rate is taken
POINT_WINDOW_S = 0.1  # over which a live point is averaged
RATE_EVERY_S, RATE_OVER_S, RATE_LEAST_S = 2.0, 40.0, 10.0  # how fast temperatures move, while no sweep runs
POINT_LEAST_S = 0.004  # between samples that are looked at for it
POINTS_KEPT = 4000  # while no frame goes out
TURNS_RPM, RESTS_RPM = 300.0, 50.0  # an engine runs above the one and stands below the other
RESTS_S = 0.5  # for which it reads so before it counts as stopped
MOST_POINTS = 40  # in a frame: at high sample rates every so many are enough for the eye


class LiveState:
    """Follows the samples of one connection to a stand."""

    def __init__(self, hello: Hello) -> None:
        self.hello = hello
        known = [place for place, unit in enumerate(hello.units) if is_known(unit)]
        rules = [quantities.to_si_rule(hello.units[place]) for place in known]
        self.known = np.array(known, dtype=np.intp)
        self.names = [hello.names[place] for place in known]
        self.scale = np.array([rule.scale for rule in rules])
        self.offset = np.array([rule.offset for rule in rules])
        plausible = np.array([PLAUSIBLE.get(name, (-math.inf, math.inf)) for name in self.names]).reshape(-1, 2)
        self.low, self.high = plausible[:, 0], plausible[:, 1]
        self.raw: dict[str, Array] = {}  # the last samples of each channel, SI, as they came: what limits judge
        self.block: dict[str, Array] = {}  # the last samples of each channel, SI, NaN where nothing usable came
        self.values: dict[str, float] = {}
        self.faulty: list[str] = []
        self.recent: deque[tuple[float, float, float]] = deque()  # time, rpm, torque of the last moments
        self.points: deque[tuple[float, float]] = deque(maxlen=POINTS_KEPT)
        self.history: deque[tuple[float, dict[str, float]]] = deque()  # time and values, every RATE_EVERY_S
        self.steps = SampleSteps(1 / hello.rate_hz)
        self.turns = False
        self.rests_since: float | None = None

    def take(self, times: Array, rows: Array, *, sweeping: bool) -> bool:
        """Samples of every channel, as sent: times (n,), rows (n, channels). True if the engine came to a standstill.

        A channel that sends nothing or the impossible in the last of them counts as faulty.
        """
        self.steps.take(times)
        read = rows[:, self.known] * self.scale + self.offset
        self.raw = dict(zip(self.names, read.T.copy(), strict=True))
        read[~((read >= self.low) & (read <= self.high))] = math.nan  # also where nothing came
        self.block = dict(zip(self.names, read.T, strict=True))
        last = zip(self.names, read[-1].tolist(), strict=True)
        self.values, self.faulty = {}, []
        for name, value in last:
            if math.isnan(value):
                self.faulty.append(name)
            else:
                self.values[name] = value
        self._remember(float(times[-1]), sweeping=sweeping)
        if not sweeping:
            self.recent.clear()
        elif SPEED in self.block and TORQUE in self.block:
            self._follow(times, self.block[SPEED], self.block[TORQUE])
        return self._came_to_rest(times)

    def _came_to_rest(self, times: Array) -> bool:
        """Once for each standstill. A sample or two near nought are a lost signal: an engine takes longer to start."""
        speeds = self.block.get(SPEED, np.empty(0))
        read = np.isfinite(speeds)
        times, speeds = times[read], speeds[read]
        self.turns = self.turns or bool((speeds > TURNS_RPM).any())
        if not len(speeds):
            return False
        moving = np.flatnonzero(speeds > RESTS_RPM)
        if len(moving):
            resting = times[moving[-1] + 1 :]
            self.rests_since = float(resting[0]) if len(resting) else None
        elif self.rests_since is None:
            self.rests_since = float(times[0])
        if not self.turns or self.rests_since is None or times[-1] - self.rests_since < RESTS_S:
            return False
        self.turns = False
        return True

    def _follow(self, times: Array, speeds: Array, torques: Array) -> None:
        for at, rpm, torque in zip(times.tolist(), speeds.tolist(), torques.tolist(), strict=True):
            if math.isnan(rpm + torque) or (self.recent and at < self.recent[-1][0] + POINT_LEAST_S):
                continue
            self.recent.append((at, rpm, torque))
            while self.recent[0][0] < at - SWEEP_WINDOW_S:
                self.recent.popleft()
            self.points.append(self._point(at))

    def _remember(self, at: float, *, sweeping: bool) -> None:
        """Values of the last moments outside sweeps: what a sweep does to a temperature does not go on."""
        if sweeping or (self.history and at < self.history[-1][0]):
            self.history.clear()
        elif not self.history or at >= self.history[-1][0] + RATE_EVERY_S:
            self.history.append((at, self.values))
            while self.history[0][0] < at - RATE_OVER_S:
                self.history.popleft()

    def rates(self) -> dict[str, float]:
        """How fast each channel moves, SI a second, by a straight line through its last moments; {} while too short."""
        if not self.history or self.history[-1][0] - self.history[0][0] < RATE_LEAST_S:
            return {}
        times = np.array([at for at, _ in self.history])
        times -= times.mean()
        found = {}
        for name in self.values:
            read = [values.get(name) for _, values in self.history]
            if None not in read:
                found[name] = float(times @ np.array(read, dtype=np.float64) / (times @ times))
        return found

    def steps_taken(self) -> dict[str, float]:
        """How evenly samples have come since the line was opened."""
        steps = self.steps
        return {"gaps": float(steps.gaps), "longest_s": round(steps.longest_s, 3), "jitter_s": round(steps.jitter_s, 5)}

    def rounded(self) -> dict[str, float]:
        return {name: round(value, 5) for name, value in self.values.items()}

    def take_points(self) -> list[list[float]]:
        """The points since the last call, rpm and N·m."""
        points = list(self.points)
        self.points.clear()
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
            "rates": {name: float(f"{rate:.3g}") for name, rate in self.rates().items()},
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
