"""The simulated stand as a state machine stepped by its own time: brake, heat, sensors and their faults."""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field
from enum import StrEnum

from standin.engine import INERTIA, Manifold, air_flow, full_torque
from standin.weather import Day, Weather


class State(StrEnum):
    IDLE = "idle"
    ARMED = "armed"
    SWEEPING = "sweeping"
    ROLLING_OFF = "rolling_off"


class Fault(StrEnum):
    """What can be made to go wrong, for tests and for practice."""

    SILENT = "silent"  # the channel sends nothing
    NONSENSE = "nonsense"  # the channel sends a value that cannot be
    STUCK = "stuck"  # the channel repeats its last value


# name, unit, decimals sent
CHANNELS = (
    ("rpm", "rpm", 1),
    ("torque", "N·m", 2),
    ("throttle", "%", 1),
    ("lambda", "lambda", 3),
    ("manifold_pressure", "kPa", 2),
    ("oil_pressure", "bar", 2),
    ("oil_temperature", "°C", 1),
    ("coolant_temperature", "°C", 1),
    ("inlet_temperature", "°C", 1),
    ("manifold_temperature", "°C", 1),
    ("fuel_flow", "kg/h", 2),
    ("air_flow", "kg/h", 1),
    ("exhaust_temperature", "°C", 0),
)
IDLE_RPM = 1100.0
RPM_LIMIT = 7400.0  # the stand keeps its own authority
WARM = {"oil": (92.0, 260.0), "coolant": (80.0, 150.0), "manifold": (46.0, 190.0)}  # °C reached, time constant s
SPIKE, SPIKE_S = 0.02, 0.12  # load-in: share of torque, and how fast it rings down
RAMP_S = 0.45  # until the sweep rate is reached
HOLD_S = 0.4  # under load at the start speed before the sweep
PULL_SCATTER = 0.0028  # standard deviation of the whole curve from pull to pull [-]
SAMPLE_NOISE = 0.006  # of torque, sample to sample [-]
PULL_DRIFT = -0.0002  # what each further pull of a day costs [-]


class Refused(Exception):
    """The stand does not do what it was told, and says why."""


@dataclass
class Sweep:
    start_rpm: float
    end_rpm: float
    rate_rpm_s: float


@dataclass
class Stand:
    """One simulated stand. `step` moves its time on and returns the samples of that instant."""

    seed: int = 1
    day: Day = field(default_factory=Day)
    seconds: float = 0.0

    def __post_init__(self) -> None:
        self.state = State.IDLE
        self.manifold = Manifold(0.33)
        self.fitted = ""
        self.rpm, self.rate = IDLE_RPM, 0.0
        self.throttle = 0.05
        air = self.weather()
        self.oil = self.coolant = self.skin = air.temperature
        self.sweep = Sweep(2400, 6800, 350)
        self.pulls = 0
        self.level = 1.0
        self.in_state_s = 0.0
        self.noise = random.Random(f"{self.seed}/idle")
        self.faults: dict[str, Fault] = {}
        self.last: dict[str, float | None] = {}

    def weather(self) -> Weather:
        return self.day.at(self.seconds)

    def command(self, name: str, arguments: dict[str, object]) -> None:
        """Do what is asked, or raise Refused with the reason."""
        if name == "fit":
            self._fit(str(arguments.get("label", "")), float(str(arguments["runner_length_m"])))
        elif name == "arm":
            self._arm(Sweep(*(float(str(arguments[key])) for key in ("start_rpm", "end_rpm", "rate_rpm_s"))))
        elif name == "start":
            if self.state is not State.ARMED:
                raise Refused(f"not armed, the stand is {self.state.value}")
            self._begin_pull()
        elif name == "abort":
            if self.state in (State.ARMED, State.SWEEPING):
                self._enter(State.ROLLING_OFF)
        elif name == "fault":
            self._fault(str(arguments["channel"]), arguments.get("kind"))
        else:
            raise Refused(f"this stand knows no command {name!r}")

    def _fit(self, label: str, runner_length: float) -> None:
        if self.state is not State.IDLE:
            raise Refused(f"parts change on a stopped engine, the stand is {self.state.value}")
        if not 0.05 <= runner_length <= 1.0:
            raise Refused("runner_length_m must lie between 0.05 and 1.0")
        if label != self.fitted:
            self.skin = self.weather().temperature  # the new part comes cold from the bench
            self.oil -= 0.10 * (self.oil - self.weather().temperature)
            self.coolant -= 0.10 * (self.coolant - self.weather().temperature)
        self.fitted, self.manifold = label, Manifold(runner_length)

    def _arm(self, sweep: Sweep) -> None:
        if self.state not in (State.IDLE, State.ARMED):
            raise Refused(f"cannot arm, the stand is {self.state.value}")
        if not 1200 <= sweep.start_rpm < sweep.end_rpm:
            raise Refused("the sweep must start at 1200 rpm or more and end above its start")
        if sweep.end_rpm > RPM_LIMIT:
            raise Refused(f"the stand's own limit is {RPM_LIMIT:.0f} rpm")
        if not 50 <= sweep.rate_rpm_s <= 1000:
            raise Refused("the sweep rate must lie between 50 and 1000 rpm/s")
        self.sweep = sweep
        self._enter(State.ARMED)

    def _begin_pull(self) -> None:
        self.pulls += 1
        # Seeded by the pull, not by the samples before it, so that a repeated day repeats each pull exactly.
        self.noise = random.Random(f"{self.seed}/{self.pulls}")
        self.level = (1 + self.noise.gauss(0, PULL_SCATTER)) * (1 + PULL_DRIFT * (self.pulls - 1))
        self.rpm, self.rate = self.sweep.start_rpm, 0.0
        self._enter(State.SWEEPING)

    def _fault(self, channel: str, kind: object) -> None:
        if channel not in (name for name, _, _ in CHANNELS):
            raise Refused(f"there is no channel {channel!r}")
        self.faults.pop(channel, None)
        if kind is not None:
            self.faults[channel] = Fault(str(kind))

    def _enter(self, state: State) -> None:
        self.state, self.in_state_s = state, 0.0

    def skip(self, seconds: float) -> None:
        """Let the engine idle warm for a while without sending samples."""
        for _ in range(math.ceil(seconds)):
            self._warm(1.0)
            self.seconds += 1.0

    def step(self, dt: float) -> list[float | None]:
        """Move on by dt seconds; the samples in the order of CHANNELS."""
        self.seconds += dt
        self.in_state_s += dt
        self._move(dt)
        self._warm(dt)
        return self._sense()

    def _move(self, dt: float) -> None:
        if self.state is State.SWEEPING:
            self.throttle = min(1.0, self.throttle + dt / 0.15)
            climbing = self.in_state_s - HOLD_S
            self.rate = self.sweep.rate_rpm_s * min(1.0, max(0.0, climbing / RAMP_S))
            self.rpm += self.rate * dt
            if self.rpm >= self.sweep.end_rpm:
                self._enter(State.ROLLING_OFF)
            return
        target = {State.ARMED: self.sweep.start_rpm}.get(self.state, IDLE_RPM)
        self.throttle = max(0.05 if self.state is not State.ARMED else 0.2, self.throttle - dt / 0.1)
        fall = (target - self.rpm) * min(1.0, dt / 0.6)
        self.rate = fall / dt
        self.rpm += fall
        if self.state is State.ROLLING_OFF and self.rpm < IDLE_RPM + 150:
            self._enter(State.IDLE)

    def _warm(self, dt: float) -> None:
        pulling = self.state is State.SWEEPING
        for name, now in (("oil", self.oil), ("coolant", self.coolant), ("skin", self.skin)):
            target, lag = WARM["manifold" if name == "skin" else name]
            if pulling:
                target, lag = target + 45, 130.0
            setattr(self, name, now + (target - now) * min(1.0, dt / lag))

    def torque(self, fuel_lambda: float) -> float:
        """What the brake reads, before noise: the engine's torque less what speeds up the rotating parts."""
        density = self.weather().density
        full = full_torque(self.rpm, self.manifold, density, self.oil, self.skin, fuel_lambda) * self.level
        torque = full * max(0.0, (self.throttle - 0.2) / 0.8) if self.throttle > 0.2 else 6.0
        if self.state is State.SWEEPING:
            torque *= 1 + SPIKE * math.exp(-max(0.0, self.in_state_s - HOLD_S - RAMP_S) / SPIKE_S)
        elif self.state is State.ROLLING_OFF:
            torque = -20.0
        return torque - INERTIA * self.rate * math.pi / 30

    def _sense(self) -> list[float | None]:
        noise, air = self.noise.gauss, self.weather()
        fuel_lambda = (0.872 if self.throttle > 0.9 else 0.99) + noise(0, 0.003)
        torque = self.torque(fuel_lambda)
        swallowed = air_flow(self.rpm, self.manifold, air.density) * max(0.12, self.throttle)
        true = {
            "rpm": self.rpm + noise(0, 1.5),
            "torque": torque * (1 + noise(0, SAMPLE_NOISE)) + noise(0, 0.3),
            "throttle": 100 * self.throttle,
            "lambda": fuel_lambda,
            "manifold_pressure": air.barometer * (0.34 + 0.65 * min(1.0, self.throttle)) + noise(0, 0.1),
            "oil_pressure": min(5.2, 0.9 + self.rpm / 1300) * (1 - 0.002 * (self.oil - 90)) + noise(0, 0.02),
            "oil_temperature": self.oil,
            "coolant_temperature": self.coolant,
            "inlet_temperature": air.temperature + 1.5 + noise(0, 0.05),
            "manifold_temperature": self.skin,
            "fuel_flow": swallowed / (14.7 * fuel_lambda),
            "air_flow": swallowed * (1 + noise(0, 0.004)),
            "exhaust_temperature": 380 + 0.065 * self.rpm * max(0.3, self.throttle),
        }
        return [self._as_sent(name, true[name], decimals) for name, _, decimals in CHANNELS]

    def _as_sent(self, name: str, value: float, decimals: int) -> float | None:
        fault = self.faults.get(name)
        if fault is Fault.SILENT:
            return None
        if fault is Fault.NONSENSE:
            return 9999.0
        if fault is Fault.STUCK and name in self.last:
            return self.last[name]
        sent = round(value, decimals)
        self.last[name] = sent
        return sent
