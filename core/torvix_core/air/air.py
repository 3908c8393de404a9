"""Moist air: vapour pressure from whatever was read, dry pressure, density, density altitude."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from torvix_core.units.checked import Array, finite, positive

ZERO_CELSIUS = 273.15  # K
DRY_AIR_GAS_CONSTANT = 287.042  # J/(kg·K), ASHRAE Handbook of Fundamentals, psychrometrics [std, mem]
WATER_VAPOUR_GAS_CONSTANT = 461.524  # J/(kg·K), same place
MASS_RATIO = 0.621945  # vapour to dry air, same place

# Hyland and Wexler (1983) as printed in the ASHRAE Handbook of Fundamentals [std, mem]; T in K, result in Pa
OVER_ICE = (-5.6745359e3, 6.3925247, -9.677843e-3, 6.2215701e-7, 2.0747825e-9, -9.484024e-13, 4.1635019)
OVER_WATER = (-5.8002206e3, 1.3914993, -4.8640239e-2, 4.1764768e-5, -1.4452093e-8, 0.0, 6.5459673)
FREEZING = 273.16  # K, where the two forms meet
SATURATION_RANGE = (173.15, 473.15)  # K

# NWS density altitude [std]: feet, from the ratio to standard sea-level density
ALTITUDE_SCALE = 145_442.16 * 0.3048  # m
ALTITUDE_EXPONENT = 0.235
SEA_LEVEL_DENSITY = 1.225  # kg/m³

# What can be weather at an inlet; a reading outside is a broken sensor or a wrong unit [prac]
BAROMETER_RANGE = (50_000.0, 110_000.0)  # Pa
INLET_TEMPERATURE_RANGE = (233.15, 353.15)  # K


@dataclass(frozen=True)
class Air:
    """Air at the inlet, as scalars or broadcasting arrays: Pa, K, Pa."""

    pressure: Array
    temperature: Array
    vapour_pressure: Array

    @property
    def dry_pressure(self) -> Array:
        return self.pressure - self.vapour_pressure

    @property
    def density(self) -> Array:
        """kg/m³, dry air and vapour separately as ideal gases [phys]."""
        dry = self.dry_pressure / (DRY_AIR_GAS_CONSTANT * self.temperature)
        vapour = self.vapour_pressure / (WATER_VAPOUR_GAS_CONSTANT * self.temperature)
        return dry + vapour

    @property
    def density_altitude(self) -> Array:
        """m, by the NWS form [std]."""
        return ALTITUDE_SCALE * (1.0 - (self.density / SEA_LEVEL_DENSITY) ** ALTITUDE_EXPONENT)


def saturation_vapour_pressure(temperature: ArrayLike) -> Array:
    """Pressure of water vapour in equilibrium with water, or with ice below 0 °C.

    Shapes: any; the result has the shape of `temperature`.
    Units:  K to Pa.
    Errors: ValueError naming the argument, if not finite or outside SATURATION_RANGE.
    Source: Hyland and Wexler 1983, as in the ASHRAE Handbook of Fundamentals [std].
    >>> round(float(saturation_vapour_pressure(298.15)))
    3169
    """
    kelvin = finite("temperature", temperature)
    low, high = SATURATION_RANGE
    if ((kelvin < low) | (kelvin > high)).any():
        raise ValueError(f"temperature must lie between {low} and {high} K")
    return np.where(kelvin < FREEZING, _hyland_wexler(kelvin, OVER_ICE), _hyland_wexler(kelvin, OVER_WATER))


def _hyland_wexler(kelvin: Array, coefficients: tuple[float, ...]) -> Array:
    inverse, constant, first, second, third, fourth, logarithm = coefficients
    polynomial = constant + kelvin * (first + kelvin * (second + kelvin * (third + kelvin * fourth)))
    return np.exp(inverse / kelvin + polynomial + logarithm * np.log(kelvin))


def air_from_relative_humidity(pressure: ArrayLike, temperature: ArrayLike, relative_humidity: ArrayLike) -> Air:
    """Air from barometer, temperature and relative humidity.

    Shapes: the arguments broadcast.
    Units:  Pa (station pressure, not reduced to sea level), K, fraction 0 to 1.
    Errors: ValueError naming the argument that is not finite or out of its range.
    Source: definition of relative humidity; saturation as above [std].
    >>> round(float(air_from_relative_humidity(98_205.0, 302.59, 0.5).dry_pressure))
    96149
    """
    humidity = finite("relative_humidity", relative_humidity)
    if ((humidity < 0) | (humidity > 1)).any():
        raise ValueError("relative_humidity must lie between 0 and 1")
    return _air(pressure, temperature, humidity * saturation_vapour_pressure(temperature))


def air_from_dew_point(pressure: ArrayLike, temperature: ArrayLike, dew_point: ArrayLike) -> Air:
    """Air from barometer, temperature and dew point.

    Shapes: the arguments broadcast.
    Units:  Pa, K, K.
    Errors: ValueError, also where the dew point is above the temperature.
    Source: definition of the dew point; saturation as above [std].
    >>> round(float(air_from_dew_point(101_325.0, 298.15, 286.15).vapour_pressure))
    1498
    """
    if (finite("dew_point", dew_point) > finite("temperature", temperature)).any():
        raise ValueError("dew_point must not be above temperature")
    return _air(pressure, temperature, saturation_vapour_pressure(dew_point))


def air_from_wet_bulb(pressure: ArrayLike, temperature: ArrayLike, wet_bulb: ArrayLike) -> Air:
    """Air from barometer, dry bulb and wet bulb above freezing.

    Shapes: the arguments broadcast.
    Units:  Pa, K, K.
    Errors: ValueError, also where the wet bulb is above the dry bulb, frozen, or too low to be possible.
    Source: humidity ratio from wet bulb, ASHRAE Handbook of Fundamentals, psychrometrics [std, mem].
    >>> round(float(air_from_wet_bulb(101_325.0, 298.15, 291.15).vapour_pressure))
    1606
    """
    total, dry_bulb, wet = (
        positive("pressure", pressure),
        finite("temperature", temperature),
        finite("wet_bulb", wet_bulb),
    )
    if (wet > dry_bulb).any():
        raise ValueError("wet_bulb must not be above temperature")
    if (wet < FREEZING).any():
        raise ValueError("wet_bulb must be above freezing; use dew point or relative humidity")
    t, t_wet = dry_bulb - ZERO_CELSIUS, wet - ZERO_CELSIUS
    saturated = saturation_vapour_pressure(wet)
    saturated_ratio = MASS_RATIO * saturated / (total - saturated)
    ratio = ((2501.0 - 2.326 * t_wet) * saturated_ratio - 1.006 * (t - t_wet)) / (2501.0 + 1.86 * t - 4.186 * t_wet)
    if (ratio < 0).any():
        raise ValueError("wet_bulb is lower than dry air at this temperature can give")
    return _air(total, dry_bulb, total * ratio / (MASS_RATIO + ratio))


def _air(pressure: ArrayLike, temperature: ArrayLike, vapour_pressure: Array) -> Air:
    total, kelvin = positive("pressure", pressure), positive("temperature", temperature)
    for name, values, (low, high), unit in (
        ("pressure", total, BAROMETER_RANGE, "Pa"),
        ("temperature", kelvin, INLET_TEMPERATURE_RANGE, "K"),
    ):
        if ((values < low) | (values > high)).any():
            raise ValueError(f"{name} must lie between {low:g} and {high:g} {unit} to be weather")
    if (vapour_pressure >= total).any():
        raise ValueError("vapour pressure must be below the barometer")
    return Air(pressure=total, temperature=kelvin, vapour_pressure=vapour_pressure)
