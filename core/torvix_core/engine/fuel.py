"""Fuels as this job needs them, fuel flow of a power, and injectors that can deliver it."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from numpy.typing import ArrayLike
from torvix_core.units.checked import Array, finite, positive

# Brake specific fuel consumption of unblown gasoline engines at full load, kg/J: 0.45 to 0.55 lb/hp·h [prac]
GASOLINE_CONSUMPTION = (0.45 * 1.6896594e-7, 0.55 * 1.6896594e-7)
DUTY_LIMIT = 0.85  # [-], injector duty above which flow is no longer in hand [prac]


class Fuel(StrEnum):
    PUMP_GASOLINE = "pump_gasoline"
    PREMIUM_GASOLINE = "premium_gasoline"
    RACING_GASOLINE = "racing_gasoline"
    E85 = "e85"
    METHANOL = "methanol"
    PROPANE = "propane"
    DIESEL = "diesel"


@dataclass(frozen=True)
class FuelFacts:
    """Stoichiometric air to fuel by mass, and the static ratio that practice treats as ordinary without boost."""

    label: str
    stoichiometric: float
    ordinary_ratio: float | None  # None: this judgement does not apply
    scale: float = 1.0  # consumption by mass against gasoline, from the heating values
    density: float = 745.0  # kg/m³ of the liquid


# Stoichiometric ratios, heating values, densities [mem]; ordinary ratios are common practice, no source: knock decides.
FUELS: dict[Fuel, FuelFacts] = {
    Fuel.PUMP_GASOLINE: FuelFacts("Pump gasoline, 95 RON", 14.7, 10.5),
    Fuel.PREMIUM_GASOLINE: FuelFacts("Pump gasoline, 98 to 100 RON", 14.7, 11.5),
    Fuel.RACING_GASOLINE: FuelFacts("Racing gasoline", 14.7, 14.0),
    Fuel.E85: FuelFacts("E85", 9.8, 13.5, 1.45, 785.0),
    Fuel.METHANOL: FuelFacts("Methanol", 6.47, 15.0, 2.15, 792.0),
    Fuel.PROPANE: FuelFacts("Propane", 15.7, 12.0, 0.95, 505.0),
    Fuel.DIESEL: FuelFacts("Diesel", 14.5, None, 0.8, 835.0),
}


def fuel_flow(power: ArrayLike, specific_consumption: ArrayLike) -> Array:
    """Fuel that a power needs.

    Shapes: the arguments broadcast.
    Units:  W, kg/J; result kg/s.
    Errors: ValueError naming the argument.
    Source: definition of brake specific fuel consumption.
    >>> round(float(fuel_flow(100_000.0, 8.0e-8)) * 3600, 1)
    28.8
    """
    return finite("power", power) * positive("specific_consumption", specific_consumption)


def injector_duty(flow: ArrayLike, injectors: ArrayLike, size: ArrayLike) -> Array:
    """Share of the time for which the injectors must stand open.

    Shapes: the arguments broadcast.
    Units:  kg/s of all, count, kg/s of one at its pressure; result [-], above 1 where they cannot deliver.
    Errors: ValueError naming the argument.
    Source: definition; opening delay is not in it.
    >>> round(float(injector_duty(0.068, 8, 0.0107)), 2)
    0.79
    """
    return finite("flow", flow) / (positive("injectors", injectors) * positive("size", size))


def injector_size(flow: ArrayLike, injectors: ArrayLike, duty: ArrayLike) -> Array:
    """Static flow of one injector that delivers this at the given duty.

    Shapes: the arguments broadcast.
    Units:  kg/s of all, count, [-]; result kg/s of one.
    Errors: ValueError naming the argument.
    Source: definition; DUTY_LIMIT is practice.
    >>> round(float(injector_size(0.068, 8, 0.85)), 3)
    0.01
    """
    return finite("flow", flow) / (positive("injectors", injectors) * positive("duty", duty))


MEAN_POWER = 0.8  # [-], mean power of a full-load sweep over its peak [mem]
OUTSIDE_SWEEP_S = 4.0  # s, throttle open before and after the sweep itself [mem]
WARM_UP_POWER = 0.06  # [-], of the peak while an engine warms up under light load [mem]
WARM_UP_CONSUMPTION = 2.5  # times the consumption at full load, as light load is inefficient [mem]
IDLE_OF_WARM_UP = 0.3  # [-], what an engine burns at idle over what it burns while it warms up [mem]


@dataclass(frozen=True)
class FuelNeed:
    """Volumes of fuel that a day takes, m³; a pull with the idling after it."""

    pull: float
    warm_up: float


def fuel_need(
    fuel: Fuel, peak_power: float, sweep_s: float, warm_up_s: float, idle_s: float = 0.0
) -> FuelNeed:  # fmt: skip
    """What one pull and one warm-up burn, as an estimate for buying fuel.

    Shapes: scalars.
    Units:  W, s; result m³.
    Errors: ValueError naming the argument.
    Source: middle of GASOLINE_CONSUMPTION times the fuel's scale, MEAN_POWER, WARM_UP_POWER and IDLE_OF_WARM_UP
            [mem]; an estimate.
    >>> need = fuel_need(Fuel.PUMP_GASOLINE, 156_600.0, 14.0, 1200.0)
    >>> round(need.pull * 1000, 2), round(need.warm_up * 1000, 1)
    (0.26, 3.2)
    """
    facts = FUELS[fuel]
    consumption = sum(GASOLINE_CONSUMPTION) / 2 * facts.scale
    power = float(positive("peak_power", peak_power))
    burning_s = float(positive("sweep_s", sweep_s)) + OUTSIDE_SWEEP_S
    pull = consumption * power * MEAN_POWER * burning_s / facts.density
    light = consumption * WARM_UP_CONSUMPTION * power * WARM_UP_POWER
    idle = light * IDLE_OF_WARM_UP * float(finite("idle_s", idle_s)) / facts.density
    return FuelNeed(pull + idle, light * float(positive("warm_up_s", warm_up_s)) / facts.density)
