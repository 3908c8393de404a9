"""The simulated stand as a state machine stepped by its own time: engine, brake and heat."""

from __future__ import annotations

import math
import random
from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

from standin import boost
from standin.boost import Charge, Turbo
from standin.engine import (
    BEST_LAMBDA,
    CYCLE_ANGLE,
    OWN_RUNNER,
    REFERENCE_DENSITY,
    SIX,
    Engine,
    air_flow,
    filling,
    friction_torque,
    heat_loss,
    mixture_loss,
)
from standin.faults import OIL_LOSS_S, Faults, NoSuchFault, Script, Trouble, read_script
from standin.parts import CannotFit, Fitted, read_fit
from standin.practice import COOLS
from standin.weather import Day, Weather


class State(StrEnum):
    IDLE = "idle"
    ARMED = "armed"
    SWEEPING = "sweeping"
    ROLLING_OFF = "rolling_off"


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
    ("fuel_pressure", "kPa", 0),
)
BANK_CHANNELS = (("lambda_left", "lambda", 3), ("lambda_right", "lambda", 3))
BOOST_CHANNELS = (
    ("boost", "kPa", 2),
    ("exhaust_pressure", "kPa", 1),
    ("knock", "1", 0),
)
TURBINE_CHANNELS = (("turbine_speed", "rpm", 0),)
WARM = {"oil": (92.0, 260.0), "coolant": (80.0, 150.0), "manifold": (46.0, 190.0)}  # °C reached, time constant s
SPIKE, SPIKE_S = 0.02, 0.12  # load-in: share of torque, and how fast it rings down
RAMP_S = 0.45  # until the sweep rate is reached
HOLD_S = 0.4  # under load at the start speed before the sweep
PULL_SCATTER = 0.0028  # standard deviation of the whole curve from pull to pull [-]
MIXTURE_SCATTER = 0.0035  # standard deviation of ln λ from pull to pull: floats, fuel level and heat [-]
SAMPLE_NOISE = 0.006  # of torque, sample to sample [-]
PULL_DRIFT = -0.0002  # what each further pull of a day costs [-]
FUEL_PRESSURE = 300.0  # kPa
HOTTER = 700.0  # K of the exhaust for a lambda of 1 more, near the best


class Refused(Exception):
    """The stand does not do what it was told, and says why."""


@dataclass
class Sweep:
    """`holds` are speeds that are held on the way, with their seconds: a step test."""

    start_rpm: float
    end_rpm: float
    rate_rpm_s: float
    holds: list[tuple[float, float]] = field(default_factory=list)


@dataclass
class Stand:
    """One simulated stand. `step` moves its time on and returns the samples of that instant."""

    seed: int = 1
    day: Day = field(default_factory=Day)
    seconds: float = 0.0
    engine: Engine = SIX
    script: Script = field(default_factory=Script)

    def __post_init__(self) -> None:
        self.state = State.IDLE
        self.fitted = Fitted(self.engine)
        banks = BANK_CHANNELS if self.engine.cylinders == 8 else ()
        boosted = {"turbo": BOOST_CHANNELS + TURBINE_CHANNELS, "belt": BOOST_CHANNELS}.get(self.engine.boost, ())
        self.channels = CHANNELS + banks + boosted
        self.faults = Faults([name for name, _, _ in self.channels])
        self.rpm, self.rate = self.fitted.idle_rpm, 0.0
        self.throttle = 0.05
        self.turbo = Turbo()
        air = self.weather()
        self.oil = self.coolant = self.skin = air.temperature
        self.sweep = Sweep(2400, 6800, 350)
        self.pulls = 0
        self.practiced: dict[tuple[str, str], int] = {}  # pulls by practice test and session
        self.level = self.mixture_level = 1.0
        self.in_state_s = self.held_s = 0.0
        self.noise = random.Random(f"{self.seed}/idle")

    def weather(self) -> Weather:
        return self.day.at(self.seconds)

    # Commands

    def command(self, name: str, arguments: Mapping[str, Any]) -> None:
        """Do what is asked, or raise Refused with the reason."""
        try:
            self._obey(name, arguments)
        except (CannotFit, NoSuchFault) as error:
            raise Refused(str(error)) from error

    def _obey(self, name: str, arguments: Mapping[str, Any]) -> None:
        if name == "fit":
            self._fit(read_fit(self.engine, arguments))
        elif name == "arm":
            start, end, rate = (float(arguments[key]) for key in ("start_rpm", "end_rpm", "rate_rpm_s"))
            holds = [(float(hold["rpm"]), float(hold["s"])) for hold in arguments.get("holds", [])]
            self._arm(Sweep(start, end, rate, holds))
        elif name == "start":
            if self.state is not State.ARMED:
                raise Refused(f"not armed, the stand is {self.state.value}")
            self._begin_pull()
        elif name == "abort":
            if self.state in (State.ARMED, State.SWEEPING):
                self._enter(State.ROLLING_OFF)
        elif name == "fault":
            self.faults.break_channel(str(arguments["channel"]), arguments.get("kind"), arguments.get("value"))
        elif name == "trouble":
            self.faults.trouble(arguments.get("kind"), bool(arguments.get("on", True)))
        elif name == "script":
            self.script = read_script(arguments["lines"])
        else:
            raise Refused(f"this stand knows no command {name!r}")

    def _fit(self, fitted: Fitted) -> None:
        if self.state is not State.IDLE:
            raise Refused(f"parts change on a stopped engine, the stand is {self.state.value}")
        if fitted.label != self.fitted.label:
            self.skin = self.weather().temperature  # the new part comes cold from the bench
            cools = fitted.practice.cools if fitted.practice else COOLS
            self.oil -= cools * (self.oil - self.weather().temperature)
            self.coolant -= cools * (self.coolant - self.weather().temperature)
        self.fitted = fitted
        self.turbo.target = fitted.boost_target + fitted.boost_miss if self.engine.boost == "turbo" else 0.0

    def _arm(self, sweep: Sweep) -> None:
        if self.state not in (State.IDLE, State.ARMED):
            raise Refused(f"cannot arm, the stand is {self.state.value}")
        if Trouble.STALL in self.faults.troubles:
            raise Refused("the engine does not run")
        if not 1200 <= sweep.start_rpm < sweep.end_rpm:
            raise Refused("the sweep must start at 1200 rpm or more and end above its start")
        limit = self.engine.limit_rpm
        if max(sweep.end_rpm, *(rpm for rpm, _ in sweep.holds), 0.0) > limit:
            raise Refused(f"the stand's own limit is {limit:.0f} rpm")
        if not 50 <= sweep.rate_rpm_s <= 1000:
            raise Refused("the sweep rate must lie between 50 and 1000 rpm/s")
        self.sweep = sweep
        self._enter(State.ARMED)

    def _begin_pull(self) -> None:
        self.pulls += 1
        # Seeded by the pull, not by the samples before it, so that a repeated day repeats each pull exactly.
        self.noise = random.Random(f"{self.seed}/{self.pulls}")
        self.level = (1 + self.noise.gauss(0, PULL_SCATTER)) * (1 + PULL_DRIFT * (self.pulls - 1))
        if practice := self.fitted.practice:
            before = self.practiced.get((practice.seed, practice.session), 0)
            self.practiced[practice.seed, practice.session] = before + 1
            self.level *= practice.level(before)
        # Drawn apart, so that the noise of the samples stays what it was.
        self.mixture_level = math.exp(random.Random(f"{self.seed}/{self.pulls}/mixture").gauss(0, MIXTURE_SCATTER))
        self.rpm, self.rate, self.held_s = self.sweep.start_rpm, 0.0, 0.0
        self._enter(State.SWEEPING)

    def _enter(self, state: State) -> None:
        self.state, self.in_state_s = state, 0.0

    def truth(
        self, speeds: list[float], *, density: float = REFERENCE_DENSITY, oil: float = 90.0, skin: float = 45.0
    ) -> list[float]:
        """What the engine as fitted makes steadily, without scatter: N·m at each speed in rpm."""
        return [self._full_torque(rpm, density, 101.3, 20.0, oil, skin, self._ideal_charge(rpm)) for rpm in speeds]

    def parts_truth(self) -> dict[str, list[float]]:
        """Level and tilt of each part beyond its dimensions."""
        found = {name: self.fitted.worth(name) for name in self.fitted.names}
        return {name: [one.level, one.tilt] for name, one in found.items()}

    # Time

    def skip(self, seconds: float) -> None:
        """Let the engine idle warm for a while without sending samples."""
        for _ in range(math.ceil(seconds)):
            self._warm(1.0)
            self.seconds += 1.0

    def step(self, dt: float) -> list[float | None]:
        """Move on by dt seconds; the samples in the order of the channels."""
        self.seconds += dt
        self.in_state_s += dt
        self._move(dt)
        self._warm(dt)
        if self.state is State.SWEEPING:
            for what in self.script.due(self.pulls, self.rpm, self.in_state_s):
                if "trouble" in what:
                    self.faults.trouble(what["trouble"])
                else:
                    self.faults.break_channel(what["channel"], what["kind"], what.get("value"))
        if Trouble.OIL_LOSS in self.faults.troubles:
            self.faults.oil_lost_s += dt
        return self._sense()

    def _move(self, dt: float) -> None:
        if Trouble.STALL in self.faults.troubles:
            self._stall(dt)
            return
        if self.state is State.SWEEPING:
            self._sweep(dt)
            return
        target = {State.ARMED: self.sweep.start_rpm}.get(self.state, self.fitted.idle_rpm)
        self.throttle = max(0.05 if self.state is not State.ARMED else 0.2, self.throttle - dt / 0.1)
        fall = (target - self.rpm) * min(1.0, dt / 0.6)
        self.rate = fall / dt
        self.rpm += fall
        if self.state is State.ROLLING_OFF and self.rpm < self.fitted.idle_rpm + 150:
            self._enter(State.IDLE)

    def _sweep(self, dt: float) -> None:
        self.throttle = min(1.0, self.throttle + dt / 0.15)
        climbing = self.in_state_s - HOLD_S
        self.rate = self.sweep.rate_rpm_s * min(1.0, max(0.0, climbing / RAMP_S))
        if self.sweep.holds:
            rpm, seconds = self.sweep.holds[0]
            if self.rpm >= rpm:
                self.rate = 0.0
                self.held_s += dt
                if self.held_s >= seconds:
                    self.held_s = 0.0
                    del self.sweep.holds[0]
                    if not self.sweep.holds:
                        self._enter(State.ROLLING_OFF)
                return
            self.rpm = min(rpm, self.rpm + self.rate * dt)
            return
        self.rpm += self.rate * dt
        if self.rpm >= self.sweep.end_rpm:
            self._enter(State.ROLLING_OFF)

    def _stall(self, dt: float) -> None:
        self.throttle = max(0.0, self.throttle - dt / 0.1)
        fall = -self.rpm * min(1.0, dt / 0.35)
        self.rate, self.rpm = fall / dt, self.rpm + fall
        if self.rpm < 50:
            self.rpm = self.rate = 0.0
            if self.state is not State.IDLE:
                self._enter(State.IDLE)

    def _warm(self, dt: float) -> None:
        pulling = self.state is State.SWEEPING
        for name, now in (("oil", self.oil), ("coolant", self.coolant), ("skin", self.skin)):
            target, lag = WARM["manifold" if name == "skin" else name]
            if pulling:
                target, lag = target + 45, 130.0
            setattr(self, name, now + (target - now) * min(1.0, dt / lag))
        if self.engine.boost == "turbo":
            self.turbo.settle(self.rpm, self.throttle, dt, self.fitted.shift_rpm)

    # The engine

    def _charge(self, air: Weather) -> Charge:
        if self.engine.boost == "turbo":
            return self.turbo.charge(air.temperature, self.fitted.longer_cam)
        if self.fitted.is_blown:
            return boost.belt(self.rpm, self.throttle, self.fitted.ratio, air.temperature, self._breathing(self.rpm))
        return boost.unblown(air.temperature)

    def _ideal_charge(self, rpm: float) -> Charge:
        if self.engine.boost == "turbo":
            settled = Turbo(self.turbo.target)
            for _ in range(200):
                settled.settle(rpm, 1.0, 0.05, self.fitted.shift_rpm)
            return settled.charge(20.0, self.fitted.longer_cam)
        if self.fitted.is_blown:
            return boost.belt(rpm, 1.0, self.fitted.ratio, 20.0, self._breathing(rpm))
        return boost.unblown(20.0)

    def _breathing(self, rpm: float) -> float:
        """Filling over that of the engine with its own parts."""
        full, _ = self._swallowed(rpm, 1.0)
        return full / filling(self.engine, rpm, OWN_RUNNER)

    def _swallowed(self, rpm: float, density: float) -> tuple[float, float]:
        """Filling with all that is bolted on, and the air as m³/s at the density of the cell."""
        full = filling(self.engine, rpm, self.fitted.runner_length, self.fitted.shift_rpm)
        volume = full * self.engine.displacement * rpm / 120
        return full * self.fitted.breathing(rpm, volume), volume

    def _full_torque(
        self, rpm: float, density: float, barometer: float, ambient: float, oil: float, skin: float, charge: Charge,
        fuel_lambda: float | None = None,
    ) -> float:  # fmt: skip
        """Torque at the crankshaft at steady speed and full throttle, N·m."""
        engine, fitted = self.engine, self.fitted
        full, volume = self._swallowed(rpm, density)
        mixture = fitted.fuel_lambda(rpm, fitted.depression(volume)) if fuel_lambda is None else fuel_lambda
        breathed = full * density / REFERENCE_DENSITY * heat_loss(skin)
        if charge.boost:
            breathed *= charge.density_ratio(ambient, barometer) * boost.flows_back(charge)
        spark, _ = fitted.spark(charge.boost)
        indicated = engine.indicated * breathed * mixture_loss(mixture) * spark
        torque = indicated * engine.displacement / CYCLE_ANGLE - friction_torque(engine, rpm, oil)
        return torque - (boost.belt_loss(charge, rpm, fitted.ratio) if fitted.is_blown else 0.0)

    def torque(self, fuel_lambda: float, charge: Charge) -> float:
        """What the brake reads, before noise: the engine's torque less what speeds up the rotating parts."""
        air = self.weather()
        full = self.level * self._full_torque(
            self.rpm, air.density, air.barometer, air.temperature, self.oil, self.skin, charge, fuel_lambda
        )
        torque = full * max(0.0, (self.throttle - 0.2) / 0.8) if self.throttle > 0.2 else 6.0
        if self.state is State.SWEEPING:
            torque *= 1 + SPIKE * math.exp(-max(0.0, self.in_state_s - HOLD_S - RAMP_S) / SPIKE_S)
        elif self.state is State.ROLLING_OFF:
            torque = -20.0
        if Trouble.STALL in self.faults.troubles:
            torque = -5.0 if self.rpm else 0.0
        return torque - self.engine.inertia * self.rate * math.pi / 30

    def _fuel_lambda(self, air: Weather) -> float:
        """At full throttle as the jets have it, else as at idle."""
        if self.throttle <= 0.9:
            return self.fitted.idle_lambda
        _, volume = self._swallowed(self.rpm, air.density)
        return self.mixture_level * self.fitted.fuel_lambda(self.rpm, self.fitted.depression(volume))

    def _sense(self) -> list[float | None]:
        noise, air = self.noise.gauss, self.weather()
        burned = self._fuel_lambda(air)
        fuel_lambda = burned + noise(0, 0.003)
        charge = self._charge(air)
        torque = self.torque(fuel_lambda, charge)
        full, volume = self._swallowed(self.rpm, air.density)
        drawn = air_flow(self.engine, self.rpm, full, air.density) * max(0.12, self.throttle)
        swallowed = drawn * (charge.density_ratio(air.temperature, air.barometer) if charge.boost else 1.0)
        carburetor = "carburetor.carburetor_rating" in self.engine.own
        open_kpa = air.barometer - self.fitted.depression(volume) if carburetor else 0.99 * air.barometer
        closed_kpa = self.fitted.idle_pressure * air.barometer
        kept = max(0.0, 1 - self.faults.oil_lost_s / OIL_LOSS_S) if Trouble.OIL_LOSS in self.faults.troubles else 1.0
        true = {
            "rpm": self.rpm + noise(0, 1.5),
            "torque": torque * (1 + noise(0, SAMPLE_NOISE)) + noise(0, 0.3),
            "throttle": 100 * self.throttle,
            "lambda": fuel_lambda,
            "manifold_pressure": closed_kpa + (open_kpa - closed_kpa) * min(1.0, self.throttle) + charge.boost
            + noise(0, 0.1),
            "oil_pressure": kept * min(self.engine.oil_bar, 0.9 + self.rpm / 1300) * (1 - 0.002 * (self.oil - 90))
            + noise(0, 0.02),
            "oil_temperature": self.oil,
            "coolant_temperature": self.coolant,
            "inlet_temperature": charge.temperature + 1.5 + noise(0, 0.05),
            "manifold_temperature": self.skin,
            "fuel_flow": swallowed / (14.7 * fuel_lambda),
            "air_flow": swallowed * (1 + noise(0, 0.004)),
            "exhaust_temperature": 380 + 0.065 * self.rpm * max(0.3, self.throttle) + 0.35 * charge.boost
            + HOTTER * (burned - BEST_LAMBDA),  # a thermocouple is too slow for the noise of a sample
            "fuel_pressure": FUEL_PRESSURE + charge.boost - 0.1 * swallowed / 14.7,
            "lambda_left": fuel_lambda + self.fitted.bank_lambda,
            "lambda_right": fuel_lambda - self.fitted.bank_lambda,
        }  # fmt: skip
        if self.engine.boost:
            _, knocks = self.fitted.spark(charge.boost)
            knocks = (knocks and self.throttle > 0.9) or Trouble.KNOCK in self.faults.troubles
            true |= {
                "boost": charge.boost + noise(0, 0.25),
                "exhaust_pressure": charge.back_pressure + 4e-7 * self.rpm**2 * self.throttle + noise(0, 0.4),
                "turbine_speed": charge.turbine_rpm,
                "knock": float(knocks),
            }
        return [self.faults.as_sent(name, true[name], decimals) for name, _, decimals in self.channels]
