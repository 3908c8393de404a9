"""What is bolted on, as the command `fit` tells it, and what it does to the engine's filling, spark and mixture."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from math import exp
from typing import Any

from standin.boost import OWN_RATIO
from standin.engine import OWN_RUNNER, Engine
from standin.practice import NoSuchPractice, Practice, read_practice
from standin.truth import Worth, mixing, worth

RATED_DROP = 5.08  # kPa, 1.5 inHg, at which a four-barrel carburetor is rated
MAIN_JET, POWER_VALVE = "main_jet_", "power_valve_"
INHG = 3.386  # kPa
VALVE_WORTH = 8.0  # jet numbers that a power valve is worth while it is open
IDLE_RPM, IDLE_LAMBDA, USUAL_TURNS, TURN_WORTH = 1100.0, 0.99, 1.5, 0.06  # lambda for each turn of the idle screws
MIDDLE_RPM = 4500.0
THROTTLE_FLOW = 78.0  # m³/s through a m² of throttle at the rated drop


class CannotFit(ValueError):
    """What is to be bolted on makes no sense; says why."""


@dataclass(frozen=True)
class Fitted:
    """Parts by slot with their dimensions, and settings, both SI."""

    engine: Engine
    label: str = ""
    values: Mapping[str, float] = field(default_factory=dict)  # "slot.dimension"
    names: tuple[str, ...] = ()
    settings: Mapping[str, float | str] = field(default_factory=dict)
    carburetor: str = ""
    practice: Practice | None = None

    @property
    def runner_length(self) -> float:
        return self.values.get("intake_manifold.runner_length", self.values.get("upper_intake.runner_length",
                                                                                 OWN_RUNNER))  # fmt: skip

    @property
    def shift_rpm(self) -> float:
        """How far the camshaft moves the filling up: by duration, and down when it is advanced."""
        return 18.0 * self.longer_cam - 25.0 * self._number("cam_advance", 0.0)

    @property
    def longer_cam(self) -> float:
        """Degrees of intake duration more than the engine's own."""
        return self._more("camshaft.intake_duration_050")

    @property
    def boost_target(self) -> float:
        """kPa; a part that holds the boost, or a setting."""
        return self._number("boost_target", self.values.get("boost_control.boost_target", 0.0)) / 1000

    @property
    def ratio(self) -> float:
        """Of a blower to the crank; 0 where none is fitted."""
        crank, blower = self.values.get("pulley.crank_pulley"), self.values.get("pulley.blower_pulley")
        if crank and blower:
            return crank / blower
        return self._number("drive", OWN_RATIO if "drive" in self.settings else 0.0)

    @property
    def is_blown(self) -> bool:
        return self.engine.boost == "belt" and self.ratio > 0

    def breathing(self, speed_rpm: float, swallowed: float) -> float:
        """Factor of the filling by camshaft, head, inlet, spacer and header; 1 for the engine's own [-].

        `swallowed` is the air it would take without them, m³/s at the density of the cell.
        """
        found = self._camshaft(speed_rpm) * self._inlet(swallowed) * self._header(speed_rpm)
        found *= 1 + 0.25 * self._more("spacer.height") * (speed_rpm - 4000) / 3000
        for name in self.names:
            found *= self.worth(name).at(speed_rpm)
        # All air goes through the head: what the others let in more, a head at its limit takes back.
        return found * self._head(swallowed, found)

    def worth(self, part: str) -> Worth:
        """Beyond its dimensions: of its own, or as a practice test hides it."""
        return worth(part) if self.practice is None else self.practice.worth(part)

    @property
    def boost_miss(self) -> float:
        """kPa by which a practice test misses the boost that was asked for."""
        return 0.0 if self.practice is None else sum(self.practice.boost_miss(name) for name in self.names)

    def depression(self, swallowed: float) -> float:
        """kPa below ambient in the manifold at full throttle."""
        return RATED_DROP * (swallowed / self._inlet_flow(self.values)) ** 2

    def spark(self, boost: float) -> tuple[float, bool]:
        """Factor of the torque by the spark, 1 for the engine's own, and whether it knocks."""
        own = self.engine.own["spark_advance"]
        spark = self._number("spark_advance", own)
        best = self.engine.best_spark - 0.09 * boost

        def left(advance: float) -> float:
            return 1 - 0.00055 * (advance - best) ** 2

        return left(spark) / left(own), spark > best + 7.0 - 0.02 * boost

    def fuel_lambda(self, speed_rpm: float = MIDDLE_RPM, vacuum: float = 0.0) -> float:
        """Under load: what jets and power valves let through, by the carburetor's own slope and curve; else as set.

        `vacuum` is kPa below ambient in the manifold: a power valve opens below the inHg that are stamped on it.
        """
        jets = {key.removeprefix(MAIN_JET): float(number) for key, number in self.settings.items()
                if key.startswith(MAIN_JET) and isinstance(number, float | int)}  # fmt: skip
        for position in jets:
            opens = self.settings.get(POWER_VALVE + position)
            if isinstance(opens, float | int) and vacuum > opens * INHG:
                jets[position] = max(1.0, jets[position] - VALVE_WORTH)
        if jets:
            of = mixing(self.carburetor)
            right = sum(_right_jet(position) ** 2 for position in jets)
            leaner = (right / sum(number**2 for number in jets.values())) ** of.slope
            return float(self.engine.fuel_lambda * leaner * (1 + of.tilt * (speed_rpm - MIDDLE_RPM) / 1000))
        if isinstance(target := self.settings.get("mixture_target"), float | int):
            return float(target)
        return self.engine.fuel_lambda

    @property
    def bank_lambda(self) -> float:
        """By how much the left bank is leaner than the mean of both, the right one richer."""
        return mixing(self.carburetor).banks if self.carburetor else 0.0

    @property
    def idle_rpm(self) -> float:
        return self._number("idle_speed", IDLE_RPM)

    @property
    def idle_lambda(self) -> float:
        """Of a carburetor by its idle screws; another engine's controller holds its own."""
        if not self.carburetor:
            return IDLE_LAMBDA
        turns = self._number("idle_screws", USUAL_TURNS)
        return min(1.3, max(0.7, IDLE_LAMBDA + mixing(self.carburetor).idle - TURN_WORTH * (turns - USUAL_TURNS)))

    @property
    def idle_pressure(self) -> float:
        """Of the barometer, in the manifold at idle: a longer camshaft idles with less vacuum."""
        return min(0.8, max(0.25, 0.34 + 0.004 * self._more("camshaft.intake_duration_050")))

    def _camshaft(self, speed_rpm: float) -> float:
        longer = self._more("camshaft.intake_duration_050")
        low = 1 - 0.0011 * longer * max(0.0, (3800 - speed_rpm) / 1500)
        top = 1 + 0.0009 * longer * max(0.0, (speed_rpm - 5000) / 1500)
        lift = self.values.get("camshaft.intake_lift", self.engine.own["camshaft.intake_lift"])
        return low * top * (1 + 0.05 * (lift / self.engine.own["camshaft.intake_lift"] - 1) * speed_rpm / 6000)

    def _head(self, swallowed: float, others: float) -> float:
        """`others` is the factor of all that stands in series with it."""
        own = self.engine.own["cylinder_head.intake_flow"]
        flow = self.values.get("cylinder_head.intake_flow", own)
        demand = 2.2 * swallowed / self.engine.cylinders  # a valve is open for less than half of a cycle
        return _choked(demand * others / flow) / _choked(demand / own)

    def _inlet(self, swallowed: float) -> float:
        own = RATED_DROP * (swallowed / self._inlet_flow(self.engine.own)) ** 2
        return (1 - min(60.0, self.depression(swallowed)) / 101.3) / (1 - min(60.0, own) / 101.3)

    def _inlet_flow(self, values: Mapping[str, float]) -> float:
        """m³/s at the rated drop of the smallest opening."""
        rated = values.get("carburetor.carburetor_rating", self.engine.own.get("carburetor.carburetor_rating"))
        if rated:
            return rated
        bore = values.get("throttle_body.throttle_bore", self.engine.own.get("throttle_body.throttle_bore", 0.07))
        return THROTTLE_FLOW * 3.1416 / 4 * bore**2 * values.get("throttle_body.throttles", 1.0)

    def _header(self, speed_rpm: float) -> float:
        own = self.engine.own

        def helps(length: float, diameter: float) -> float:
            tuned = 2550 / (length + 0.35) * (diameter / 0.041) ** 0.6 + 2400
            return 1 + 0.018 * exp(-(((speed_rpm - tuned) / 1500) ** 2))

        length, diameter = own["header.primary_length"], own["header.primary_diameter"]
        now = self.values.get("header.primary_length", length), self.values.get("header.primary_diameter", diameter)
        return helps(*now) / helps(length, diameter)

    def _more(self, key: str) -> float:
        """How much more of a dimension than the engine's own."""
        own = self.engine.own[key]
        return self.values.get(key, own) - own

    def _number(self, key: str, otherwise: float) -> float:
        value = self.settings.get(key)
        return float(value) if isinstance(value, float | int) else otherwise


def read_fit(engine: Engine, arguments: Mapping[str, Any]) -> Fitted:
    """What the command tells. CannotFit where it makes no sense."""
    values: dict[str, float] = {}
    names, carburetor = [], ""
    for part in arguments.get("parts", []):
        names.append(str(part["name"]))
        if part["slot"] == "carburetor":
            carburetor = str(part["name"])
        for key, value in part.get("values", {}).items():
            if isinstance(value, float | int) and not isinstance(value, bool):
                values[f"{part['slot']}.{key}"] = float(value)
    settings = {str(key): value for key, value in arguments.get("settings", {}).items()}
    try:
        practice = read_practice(arguments.get("practice"))
    except NoSuchPractice as error:
        raise CannotFit(str(error)) from error
    fitted = Fitted(engine, str(arguments.get("label", "")), values, tuple(names), settings, carburetor, practice)
    if not 0.05 <= fitted.runner_length <= 1.0:
        raise CannotFit("runner_length must lie between 0.05 and 1.0 m")
    cylinders = arguments.get("engine", {}).get("cylinders")
    if cylinders is not None and int(cylinders) != engine.cylinders:
        raise CannotFit(f"an engine with {engine.cylinders} cylinders stands here, not {int(cylinders)}")
    return fitted


def _choked(load: float) -> float:
    """Filling that a passage leaves [-]: almost all until its flow is reached."""
    return float((1 + load**6) ** (-1 / 6))


def _right_jet(position: str) -> float:
    """Number with which this engine has its own mixture: larger where no power valve helps."""
    return 84.0 if "secondary" in position else 76.0
