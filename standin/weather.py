"""The air of a simulated day: a barometer that falls slowly, a cell that warms, humidity that follows."""

from __future__ import annotations

from dataclasses import dataclass
from math import exp, pi, sin


@dataclass(frozen=True)
class Weather:
    """kPa, °C, % relative humidity."""

    barometer: float
    temperature: float
    humidity: float

    @property
    def density(self) -> float:
        """kg/m³; saturation pressure by Magnus's approximation, close enough for a made-up day."""
        vapour = self.humidity / 100 * 0.61094 * exp(17.625 * self.temperature / (self.temperature + 243.04))
        kelvin = self.temperature + 273.15
        return (self.barometer - vapour) * 1000 / (287.05 * kelvin) + vapour * 1000 / (461.5 * kelvin)


@dataclass(frozen=True)
class Day:
    """The start of a day's weather; `at` tells how it goes on."""

    barometer: float = 97.2
    temperature: float = 20.5
    humidity: float = 58.0

    def at(self, seconds: float) -> Weather:
        hours = seconds / 3600
        temperature = self.temperature + 2.4 * sin(pi * min(hours, 12.0) / 12)
        return Weather(
            barometer=self.barometer - 0.05 * hours + 0.02 * sin(2.1 * hours),
            temperature=temperature,
            humidity=max(15.0, self.humidity - 2.2 * (temperature - self.temperature)),
        )
