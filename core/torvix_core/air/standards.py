"""Correction standards: the factor on observed power that refers a pull to reference air, and where it holds."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import ArrayLike, NDArray
from torvix_core.air.air import Air
from torvix_core.units.checked import Array, finite, positive


class Standard(StrEnum):
    SAE_J1349 = "sae_j1349"
    SAE_J607 = "sae_j607"
    ISO_1585_SI = "iso_1585_si"
    ISO_1585_CI = "iso_1585_ci"
    JIS_D1001 = "jis_d1001"
    DIN_70020 = "din_70020"
    OBSERVED = "observed"


class BoostSchool(StrEnum):
    """How practitioners correct a boosted engine. Comparisons inside one programme use the same school."""

    UNBLOWN = "unblown"  # as if it breathed by itself: common practice
    TEMPERATURE = "temperature"  # the temperature alone, where boost is held to an absolute pressure
    NONE = "none"  # not at all


BOOST_SCHOOLS: dict[BoostSchool, str] = {
    BoostSchool.UNBLOWN: "Correct as unblown",
    BoostSchool.TEMPERATURE: "Correct the temperature only",
    BoostSchool.NONE: "Do not correct",
}


class Charging(StrEnum):
    """How a compression-ignition engine is fed, for ISO 1585."""

    UNBLOWN_OR_MECHANICAL = "unblown_or_mechanical"
    TURBO = "turbo"


@dataclass(frozen=True)
class DieselDelivery:
    """Fuel per cycle and litre over pressure ratio, mg/(L·cycle), and how the engine is fed (ISO 1585)."""

    corrected_delivery: float
    charging: Charging


@dataclass(frozen=True)
class Definition:
    """What a standard refers to, in the words printed with a result."""

    label: str
    pressure: float | None  # Pa
    pressure_is_dry: bool
    temperature: float | None  # K
    valid: tuple[float, float] | None  # [-], where the standard vouches for the factor; None: it gives none
    source: str
    note: str = ""
    power_unit: str = ""  # unit its numbers are quoted in where that differs from the reader's choice


@dataclass(frozen=True)
class Correction:
    """Factor on observed power and torque, and whether the standard vouches for it there."""

    factor: Array
    inside: NDArray[np.bool_]


ISO_VALID = (0.93, 1.07)  # [-] [std, mem]
J1349_MECHANICAL_EFFICIENCY = 0.85  # [-], assumed by the brake form [std, mem]
DELIVERY_RANGE = (5.0, 200.0)  # mg/(L·cycle), what a slip of the finger is not [mem]
LARGE_CORRECTION = 0.07  # [-], above this practitioners distrust any factor [prac]

DEFINITIONS: dict[Standard, Definition] = {
    Standard.SAE_J1349: Definition(
        "SAE J1349", 99_000.0, True, 298.15, (0.93, 1.07), "SAE J1349, brake form [std, mem]",
        "85 % mechanical efficiency assumed"),
    Standard.SAE_J607: Definition(
        "SAE J607 (STP)", 101_325.0, True, 288.71, None, "SAE J607 [std, mem]",
        "reads about 4 % above SAE J1349"),
    Standard.ISO_1585_SI: Definition(
        "ISO 1585", 99_000.0, True, 298.15, ISO_VALID, "ISO 1585 and UN R85, spark ignition [std, mem]"),
    Standard.ISO_1585_CI: Definition(
        "ISO 1585 diesel", 99_000.0, True, 298.15, (0.9, 1.1), "ISO 1585 and UN R85, compression ignition [std, mem]",
        "needs the fuel delivery of the engine"),
    Standard.JIS_D1001: Definition(
        "JIS D 1001", 99_000.0, True, 298.15, ISO_VALID, "JIS D 1001, taken to be as ISO 1585 spark ignition [mem]"),
    Standard.DIN_70020: Definition(
        "DIN 70020", 101_325.0, False, 293.15, None, "DIN 70020 [std, mem]",
        "numbers are quoted in PS", power_unit="PS"),
    Standard.OBSERVED: Definition("Observed", None, False, None, None, "as measured, factor 1"),
}  # fmt: skip


def sae_j1349_factor(air: Air) -> Array:
    """SAE J1349 factor on brake power, 85 % mechanical efficiency assumed.

    Shapes: the shape of `air`.
    Units:  [-].
    Errors: none of its own; `Air` is checked when made.
    Source: SAE J1349 [std, mem]: 1.18·(99/Pd)·√(T/298.15) − 0.18.
    >>> from torvix_core.air.air import air_from_relative_humidity
    >>> round(float(sae_j1349_factor(air_from_relative_humidity(98_205.0, 302.59, 0.5))), 4)
    1.044
    """
    # 1.18 and 0.18 are the standard's rounded 1/0.85 and 0.15/0.85.
    return 1.18 * _indicated_ratio(air) - 0.18


def sae_j1349_power(observed_power: ArrayLike, friction_power: ArrayLike, air: Air) -> Array:
    """SAE J1349 brake power where friction power was measured: the indicated power is corrected.

    Shapes: the arguments broadcast.
    Units:  W.
    Errors: ValueError naming the argument, if not finite, or friction not above zero.
    Source: SAE J1349 [std, mem].
    >>> from torvix_core.air.air import air_from_relative_humidity
    >>> round(float(sae_j1349_power(100_000.0, 17_647.0, air_from_relative_humidity(98_205.0, 302.59, 0.5))))
    104387
    """
    friction = positive("friction_power", friction_power)
    return (finite("observed_power", observed_power) + friction) * _indicated_ratio(air) - friction


def _indicated_ratio(air: Air) -> Array:
    return (99_000.0 / air.dry_pressure) * np.sqrt(air.temperature / 298.15)


def sae_j607_factor(air: Air) -> Array:
    """SAE J607 factor ("STP"): 29.92 inHg dry, 60 °F.

    Shapes: the shape of `air`.
    Units:  [-].
    Errors: none of its own.
    Source: SAE J607 [std, mem]: (101.325/Pd)·√(T/288.71).
    >>> from torvix_core.air.air import air_from_relative_humidity
    >>> round(float(sae_j607_factor(air_from_relative_humidity(98_205.0, 302.59, 0.5))), 4)
    1.0789
    """
    return (101_325.0 / air.dry_pressure) * np.sqrt(air.temperature / 288.71)


def iso_1585_si_factor(air: Air) -> Array:
    """ISO 1585 factor for spark ignition, also UN R85 and, from memory, JIS D 1001.

    Shapes: the shape of `air`.
    Units:  [-].
    Errors: none of its own.
    Source: ISO 1585 [std, mem]: (99/Pd)^1.2·(T/298.15)^0.6.
    >>> from torvix_core.air.air import air_from_relative_humidity
    >>> round(float(iso_1585_si_factor(air_from_relative_humidity(98_205.0, 302.59, 0.5))), 4)
    1.0449
    """
    return (99_000.0 / air.dry_pressure) ** 1.2 * (air.temperature / 298.15) ** 0.6


def iso_1585_ci_factor(air: Air, delivery: DieselDelivery) -> Array:
    """ISO 1585 factor for compression ignition: fa ** fm.

    Shapes: the shape of `air`.
    Units:  [-]; `delivery.corrected_delivery` mg/(L·cycle).
    Errors: ValueError if the delivery is not above zero.
    Source: ISO 1585 [std, mem]; fm = 0.3 below 40 (recalled elsewhere as 0.2 below 37.2), 1.2 above 65.
    >>> from torvix_core.air.air import air_from_relative_humidity
    >>> sea = air_from_relative_humidity(98_205.0, 302.59, 0.5)
    >>> round(float(iso_1585_ci_factor(sea, DieselDelivery(50.0, Charging.TURBO))), 4)
    1.0285
    """
    quantity = float(positive("corrected_delivery", delivery.corrected_delivery))
    exponent = 0.3 if quantity < 40 else 1.2 if quantity > 65 else 0.036 * quantity - 1.14
    pressure_ratio, temperature_ratio = 99_000.0 / air.dry_pressure, air.temperature / 298.15
    if delivery.charging is Charging.TURBO:
        atmospheric = pressure_ratio**0.7 * temperature_ratio**1.5
    else:
        atmospheric = pressure_ratio * temperature_ratio**0.7
    return atmospheric**exponent


def din_70020_factor(air: Air) -> Array:
    """DIN 70020 factor: total pressure 1013.25 hPa, 20 °C.

    Shapes: the shape of `air`.
    Units:  [-].
    Errors: none of its own.
    Source: DIN 70020 [std, mem]: (101.325/P)·√(T/293.15), P total.
    >>> from torvix_core.air.air import air_from_relative_humidity
    >>> round(float(din_70020_factor(air_from_relative_humidity(98_205.0, 302.59, 0.5))), 4)
    1.0483
    """
    return (101_325.0 / air.pressure) * np.sqrt(air.temperature / 293.15)


def observed_factor(air: Air) -> Array:
    """One: the reading as it was.

    Shapes: the shape of `air`.
    Units:  [-].
    Errors: none.
    Source: definition.
    >>> from torvix_core.air.air import air_from_relative_humidity
    >>> float(observed_factor(air_from_relative_humidity(98_205.0, 302.59, 0.5)))
    1.0
    """
    return np.ones(np.broadcast_shapes(air.pressure.shape, air.temperature.shape))


_FACTORS: dict[Standard, Callable[[Air], Array]] = {
    Standard.SAE_J1349: sae_j1349_factor,
    Standard.SAE_J607: sae_j607_factor,
    Standard.ISO_1585_SI: iso_1585_si_factor,
    Standard.JIS_D1001: iso_1585_si_factor,
    Standard.DIN_70020: din_70020_factor,
    Standard.OBSERVED: observed_factor,
}


def delivery_problem(corrected_delivery: float) -> str:
    """Why a fuel delivery cannot be an engine's; empty if it can.

    Shapes: scalar.
    Units:  mg/(L·cycle).
    Errors: none.
    Source: full-load diesels deliver some 20 to 100 [mem].
    >>> delivery_problem(50.0), bool(delivery_problem(5000.0))
    ('', True)
    """
    low, high = DELIVERY_RANGE
    return "" if low <= corrected_delivery <= high else f"it lies between {low:g} and {high:g} mg/(L·cycle)"


def correction(
    air: Air,
    standard: Standard,
    delivery: DieselDelivery | None = None,
    school: BoostSchool = BoostSchool.UNBLOWN,
) -> Correction:
    """Factor under any standard and school of boost, with the mark whether the standard vouches for it.

    Shapes: the shape of `air`, for both.
    Units:  [-].
    Errors: ValueError if ISO 1585 diesel is asked for without the engine's fuel delivery.
    Source: DEFINITIONS; the schools are common practice [prac]. With the temperature only, the pressure counts as the
            standard's own, so no standard vouches for the factor; nor does one for a boosted engine uncorrected.
    >>> from torvix_core.air.air import air_from_relative_humidity
    >>> bool(correction(air_from_relative_humidity(83_000.0, 306.15, 0.2), Standard.ISO_1585_SI).inside)
    False
    """
    reference = DEFINITIONS[standard].pressure
    if school is BoostSchool.NONE or reference is None:
        factor = observed_factor(air)
        return Correction(factor=factor, inside=np.ones(factor.shape, dtype=bool))
    if school is BoostSchool.TEMPERATURE:
        shape = np.broadcast_shapes(air.pressure.shape, air.temperature.shape)
        air = Air(np.full(shape, reference), air.temperature, np.zeros(shape))
    if standard is Standard.ISO_1585_CI:
        if delivery is None:
            raise ValueError("ISO 1585 diesel needs the fuel delivery of the engine")
        factor = iso_1585_ci_factor(air, delivery)
    else:
        factor = _FACTORS[standard](air)
    valid = DEFINITIONS[standard].valid
    inside = np.ones(factor.shape, dtype=bool) if valid is None else (factor >= valid[0]) & (factor <= valid[1])
    return Correction(factor=factor, inside=inside)
