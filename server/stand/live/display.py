"""Live values in the units a person has chosen: the one place where channels meet display units."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from torvix_core.engine.geometry import power
from torvix_core.units import quantities

from stand.pulls.gates import NAMES, Gate

# Which of a person's choices a channel follows; others have one unit for everybody.
FOLLOWS = {
    "torque": "torque",
    "oil_pressure": "oil_pressure",
    "manifold_pressure": "air_pressure",
    "fuel_flow": "mass_flow",
    "air_flow": "mass_flow",
    "oil_temperature": "temperature",
    "coolant_temperature": "temperature",
    "inlet_temperature": "temperature",
    "manifold_temperature": "temperature",
    "exhaust_temperature": "temperature",
    "fuel_pressure": "oil_pressure",
    "boost": "boost",
    "exhaust_pressure": "boost",
}
LONGEST_WAIT_S = 3600.0  # a gate that takes longer to open is not on its way
FIXED = {"rpm": "rpm", "throttle": "%", "lambda": "lambda", "lambda_left": "lambda", "lambda_right": "lambda",
         "turbine_speed": "rpm", "knock": "1"}  # fmt: skip


@dataclass(frozen=True)
class Display:
    """Converts SI values for one person."""

    units: Mapping[str, str]

    def unit(self, channel: str) -> str | None:
        """The unit in which the person reads a channel; None for a channel nobody described."""
        return self.units[FOLLOWS[channel]] if channel in FOLLOWS else FIXED.get(channel)

    def value(self, channel: str, si: float | None) -> float | None:
        unit = self.unit(channel)
        if unit is None or si is None or not math.isfinite(si):
            return None
        return float(quantities.from_si(si, unit))

    def frame(self, message: dict[str, Any]) -> dict[str, Any]:
        """A frame of the bench worker in the person's units."""
        values = {name: self.value(name, value) for name, value in message["values"].items()}
        return {
            **message,
            "values": {name: round(value, 4) for name, value in values.items() if value is not None},
            "points": self.points(message["points"]),
        }

    def points(self, points: Iterable[tuple[float, float]]) -> list[list[float]]:
        """Points of a live curve, of rpm and N·m, as rpm, torque and power of the person."""
        found = list(points)
        if not found:
            return []
        rpm, torque = zip(*found, strict=True)
        in_unit = quantities.from_si(torque, self.units["torque"])
        powers = quantities.from_si(power(torque, rpm), self.units["power"])
        return [
            [speed, round(float(one), 2), round(float(other), 2)]
            for speed, one, other in zip(rpm, in_unit, powers, strict=True)
        ]

    def gate(self, gate: Gate) -> dict[str, Any]:
        return {
            "channel": gate.channel,
            "name": gate.name,
            "unit": self.unit(gate.channel) or "",
            "low": self.value(gate.channel, gate.low),
            "high": self.value(gate.channel, gate.high),
            "value": self.value(gate.channel, gate.value),
            "side": gate.side,
            "like": list(gate.like),
        }

    def sides(self, gates: list[Gate], message: dict[str, Any]) -> dict[str, str]:
        """Where each gated channel of a frame (SI) lies: inside, low, high or silent."""
        values = message["values"]
        return {
            gate.channel: Gate(gate.channel, gate.name, gate.low, gate.high, values.get(gate.channel)).side
            for gate in gates
        }

    def opens(self, gates: list[Gate], message: dict[str, Any]) -> dict[str, float]:
        """Seconds until each gate that holds opens at the present rate; one that is not on its way is left out."""
        values, rates, found = message["values"], message.get("rates", {}), {}
        for gate in gates:
            value, rate = values.get(gate.channel), rates.get(gate.channel, 0.0)
            side = Gate(gate.channel, gate.name, gate.low, gate.high, value).side
            away = {"low": gate.low - value, "high": gate.high - value}.get(side) if value is not None else None
            if away is not None and rate * away > 0 and (seconds := away / rate) <= LONGEST_WAIT_S:
                found[gate.channel] = round(seconds, 1)
        return found


def channel_name(channel: str) -> str:
    return NAMES.get(channel, channel.replace("_", " ").capitalize())
