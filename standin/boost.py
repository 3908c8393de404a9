"""Boost of the simulated engines: a turbocharger that spools, a blower on a belt, and the heat of both. Made up."""

from __future__ import annotations

from dataclasses import dataclass
from math import exp

ATMOSPHERE = 101.3  # kPa
COMPRESSOR = 0.72  # efficiency of the turbocharger's compressor [-]
ROOTS = 0.60  # of the blower [-]
COOLED = 0.70  # share of the heat that the charge cooler takes [-]
TURBO_LAG_S = 0.45
OVERSHOOT = 0.05  # of the target, just after it is reached
OWN_RATIO = 1.8  # blower to crank of the pulley it came with
OWN_PRESSURE_RATIO = 1.40  # of the blower at that drive and its best speed
BEST_RPM, DROOP, LEAK = 3800.0, 0.10, 0.06  # beyond its best speed the blower runs out, below it leaks
LEAKS_LESS = 0.6  # of what the engine breathes better shows as less boost; the rest as less leakage and more air
BACK_PRESSURE = 1.25  # of the boost, with the camshaft the engine came with
LONG_CAM = 26.0  # degrees of duration more than that, with which the next two hold
OVERLAP_BACK = 0.75  # of the boost more, at 110 kPa of it: the charge blows through, and the turbine takes it up
OVERLAP_SPEED = 0.12  # faster turbine


@dataclass(frozen=True)
class Charge:
    """What the engine breathes: boost and back pressure in kPa above ambient, °C at the inlet, turbine speed in rpm."""

    boost: float
    temperature: float
    back_pressure: float
    turbine_rpm: float

    def density_ratio(self, ambient_celsius: float, barometer: float) -> float:
        """Against the air of the cell [-]."""
        return (1 + self.boost / barometer) * (ambient_celsius + 273.15) / (self.temperature + 273.15)


def unblown(ambient_celsius: float) -> Charge:
    return Charge(0.0, ambient_celsius, 0.0, 0.0)


@dataclass
class Turbo:
    """Follows its target as the exhaust drives it; `settle` is called with every step of time."""

    target: float = 0.0  # kPa
    reached: float = 0.0

    def settle(self, speed_rpm: float, throttle: float, dt: float, shift_rpm: float) -> None:
        """A longer camshaft and a higher target spool later."""
        spool = 2500 + 8.0 * self.target + 0.6 * shift_rpm
        full = self.target / (1 + exp(-(speed_rpm - spool) / 240))
        fades = 1 - 0.05 * max(0.0, (speed_rpm - 6300) / 1200)
        wanted = full * fades if throttle > 0.5 else 0.0
        rising = (wanted - self.reached) * min(1.0, dt / TURBO_LAG_S)
        self.reached += rising
        self.over = OVERSHOOT * self.target * max(0.0, min(1.0, rising / dt / max(self.target, 1.0)))

    over = 0.0

    def charge(self, ambient_celsius: float, longer_cam: float = 0.0) -> Charge:
        """`longer_cam`: degrees of intake duration more than the engine's own, so much more overlap."""
        boost = self.reached + self.over
        heated = _heated(ambient_celsius, boost, COMPRESSOR)
        temperature = ambient_celsius + (1 - COOLED) * (heated - ambient_celsius)
        through = (max(0.0, longer_cam) / LONG_CAM) ** 2 * boost / 110
        turbine = 20_000 + 1150 * boost**0.92 * (1 + OVERLAP_SPEED * through)
        return Charge(boost, temperature, (BACK_PRESSURE + OVERLAP_BACK * through) * boost, turbine)


def belt(speed_rpm: float, throttle: float, ratio: float, ambient_celsius: float, breathing: float = 1.0) -> Charge:
    """A blower with displacement of its own: its pressure ratio follows the drive, less beyond its best speed.

    `breathing` is the engine's filling over that with its own parts: the better it swallows, the less boost.
    """
    away = (speed_rpm - BEST_RPM) / (3000 if speed_rpm > BEST_RPM else 2000)
    holds = 1 - (DROOP if away > 0 else LEAK) * away**2
    pressure_ratio = OWN_PRESSURE_RATIO * ratio / OWN_RATIO * holds / breathing**LEAKS_LESS
    boost = ATMOSPHERE * max(0.0, pressure_ratio - 1) * max(0.0, throttle)
    return Charge(boost, _heated(ambient_celsius, boost, ROOTS), 0.12 * boost, 0.0)


def flows_back(charge: Charge) -> float:
    """Share of the filling that back pressure leaves [-]: with overlap, exhaust flows back into the cylinder."""
    more = max(0.0, charge.back_pressure - BACK_PRESSURE * charge.boost)
    return (1 - 0.0006 * charge.back_pressure) * (1 - 0.0005 * more)


def belt_loss(charge: Charge, speed_rpm: float, ratio: float) -> float:
    """N·m at the crank that the blower takes."""
    return 4.0 * ratio + 0.42 * charge.boost * ratio / OWN_RATIO * (0.7 + 0.3 * speed_rpm / 6000)


def _heated(ambient_celsius: float, boost: float, efficiency: float) -> float:
    """°C after the compressor."""
    kelvin = ambient_celsius + 273.15
    ratio = float((1 + boost / ATMOSPHERE) ** 0.286)
    return ambient_celsius + kelvin * (ratio - 1) / efficiency
