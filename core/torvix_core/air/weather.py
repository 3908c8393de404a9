"""From weather readings to air: station or sea-level barometer, three kinds of moisture, a log through the day,
and how far each reading's error moves a correction factor."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import ArrayLike, NDArray
from torvix_core.air import air
from torvix_core.air.air import Air
from torvix_core.air.standards import DieselDelivery, Standard, correction
from torvix_core.units.checked import Array, finite, positive, same_length

# U.S. Standard Atmosphere 1976, lowest layer [std, mem]
SEA_LEVEL_PRESSURE = 101_325.0  # Pa
SEA_LEVEL_TEMPERATURE = 288.15  # K
LAPSE_RATE = 0.0065  # K/m
PRESSURE_EXPONENT = 5.25588  # [-]
ELEVATION_RANGE = (-430.0, 5000.0)  # m, places where engines are run
# A barometer that would read more than this at sea level has nearly always been reduced to sea level already [prac]
HIGHEST_SEA_LEVEL_PRESSURE = 104_000.0  # Pa
LONGEST_GAP = 1800.0  # s beyond the first or last reading of a log for which that reading may stand [prac]
WIDEST_GAP = 7200.0  # s between two readings over which a line may be drawn [prac]


class Moisture(StrEnum):
    """What was read to tell how moist the air is."""

    RELATIVE_HUMIDITY = "relative_humidity"
    WET_BULB = "wet_bulb"
    DEW_POINT = "dew_point"


@dataclass(frozen=True)
class AirReading:
    """Pa at the station, K, and the moisture as it was read: fraction or K."""

    pressure: float
    temperature: float
    moisture: Moisture
    moisture_value: float

    def air(self) -> Air:
        make = {
            Moisture.RELATIVE_HUMIDITY: air.air_from_relative_humidity,
            Moisture.WET_BULB: air.air_from_wet_bulb,
            Moisture.DEW_POINT: air.air_from_dew_point,
        }[self.moisture]
        return make(self.pressure, self.temperature, self.moisture_value)


@dataclass(frozen=True)
class Tolerance:
    """How far each instrument may be off, either side, in the units of `Reading`."""

    pressure: float
    temperature: float
    moisture: float


@dataclass(frozen=True)
class FactorError:
    """How far each reading's tolerance moves a factor, either side [-], and all three together."""

    pressure: float
    temperature: float
    moisture: float

    @property
    def together(self) -> float:
        """Root of the sum of squares: errors of three instruments are independent."""
        return float(np.sqrt(self.pressure**2 + self.temperature**2 + self.moisture**2))


def standard_pressure(elevation: ArrayLike) -> Array:
    """Pressure of the standard atmosphere.

    Shapes: any; the result has the shape of `elevation`.
    Units:  m above sea level; result Pa.
    Errors: ValueError if outside ELEVATION_RANGE.
    Source: U.S. Standard Atmosphere 1976 [std, mem].
    >>> round(float(standard_pressure(2000.0)))
    79495
    """
    lapse: Array = 1 - LAPSE_RATE * _elevation(elevation) / SEA_LEVEL_TEMPERATURE
    pressure: Array = SEA_LEVEL_PRESSURE * lapse**PRESSURE_EXPONENT
    return pressure


def station_pressure(sea_level_pressure: ArrayLike, elevation: ArrayLike) -> Array:
    """Pressure at the inlet, from a barometer that has been reduced to sea level (an altimeter setting).

    Shapes: the arguments broadcast.
    Units:  Pa, m above sea level; result Pa.
    Errors: ValueError naming the argument.
    Source: altimeter setting, standard atmosphere through the reading [std, mem].
    >>> round(float(station_pressure(101_325.0, 500.0)))
    95461
    """
    root: Array = positive("sea_level_pressure", sea_level_pressure) ** (1 / PRESSURE_EXPONENT)
    pressure: Array = (root - _altimeter_step(elevation)) ** PRESSURE_EXPONENT
    return pressure


def sea_level_pressure(station_pressure: ArrayLike, elevation: ArrayLike) -> Array:
    """What a barometer at the inlet would be told as, reduced to sea level.

    Shapes: the arguments broadcast.
    Units:  Pa, m above sea level; result Pa.
    Errors: ValueError naming the argument.
    Source: as `station_pressure`.
    >>> round(float(sea_level_pressure(95_461.0, 500.0)))
    101325
    """
    root: Array = positive("station_pressure", station_pressure) ** (1 / PRESSURE_EXPONENT)
    pressure: Array = (root + _altimeter_step(elevation)) ** PRESSURE_EXPONENT
    return pressure


def looks_sea_level_adjusted(pressure: ArrayLike, elevation: ArrayLike) -> NDArray[np.bool_]:
    """Whether a reading told as station pressure is too high to be that at this elevation.

    Shapes: the arguments broadcast.
    Units:  Pa, m above sea level.
    Errors: ValueError naming the argument.
    Source: sea-level pressure above 1040 hPa is rare weather [prac]. Low places cannot be separated.
    >>> bool(looks_sea_level_adjusted(101_300.0, 600.0))
    True
    """
    return sea_level_pressure(pressure, elevation) > HIGHEST_SEA_LEVEL_PRESSURE


def _elevation(elevation: ArrayLike) -> Array:
    metres = finite("elevation", elevation)
    low, high = ELEVATION_RANGE
    if ((metres < low) | (metres > high)).any():
        raise ValueError(f"elevation must lie between {low:g} and {high:g} m")
    return metres


def _altimeter_step(elevation: ArrayLike) -> Array:
    scale: float = SEA_LEVEL_PRESSURE ** (1 / PRESSURE_EXPONENT) * LAPSE_RATE / SEA_LEVEL_TEMPERATURE
    return scale * _elevation(elevation)


def factor_error(
    reading: AirReading, tolerance: Tolerance, standard: Standard, delivery: DieselDelivery | None = None
) -> FactorError:
    """How far the instruments' tolerances move the factor under one standard.

    Shapes: scalars.
    Units:  `tolerance` as `reading`; result [-].
    Errors: ValueError if the reading cannot be air; a tolerance below zero.
    Source: the factor at either end of each tolerance, half the span. An end that cannot be air (a wet bulb above the
            dry one, more than saturated) is replaced by the reading and the one-sided step is taken whole.
    >>> day = AirReading(98_205.0, 302.59, Moisture.RELATIVE_HUMIDITY, 0.5)
    >>> round(factor_error(day, Tolerance(100.0, 0.5, 0.03), Standard.ISO_1585_SI).pressure, 5)
    0.0013
    """
    if min(tolerance.pressure, tolerance.temperature, tolerance.moisture) < 0:
        raise ValueError("tolerance must not be below zero")

    def factor(moved: AirReading) -> float | None:
        try:
            return float(correction(moved.air(), standard, delivery).factor)
        except ValueError:
            return None

    middle = float(correction(reading.air(), standard, delivery).factor)

    def half_span(field: str, step: float) -> float:
        value = getattr(reading, field)
        ends = [factor(replace(reading, **{field: value + sign * step})) for sign in (-1, 1)]
        steps = [abs(end - middle) for end in ends if end is not None]
        return float(np.mean(steps)) if steps else 0.0

    return FactorError(
        pressure=half_span("pressure", tolerance.pressure),
        temperature=half_span("temperature", tolerance.temperature),
        moisture=half_span("moisture_value", tolerance.moisture),
    )


def interpolate_log(times: ArrayLike, readings: ArrayLike, at: ArrayLike) -> tuple[Array, NDArray[np.bool_]]:
    """Readings of a weather log at other times, on straight lines between them.

    Shapes: times (n,), readings (k, n) in any units, at (m,); result (k, m), and (m,) whether the log covers that time.
            Where it does not, the values are those of the nearest reading and must not be used.
    Units:  s, any common epoch.
    Errors: ValueError if the times do not rise, or shapes do not fit, or anything is not finite.
    Source: house rule: a reading stands for at most LONGEST_GAP beyond the log's ends, a line spans at most WIDEST_GAP.
    >>> values, covered = interpolate_log([0.0, 600.0], [[98_000.0, 98_060.0]], [300.0, 9000.0])
    >>> values[0, 0].item(), covered.tolist()
    (98030.0, [True, False])
    """
    clock, table, wanted = finite("times", times), finite("readings", readings), finite("at", at)
    if clock.size == 0 or (np.diff(clock) <= 0).any():
        raise ValueError("times must rise and must not be empty")
    if table.ndim != 2:
        raise ValueError("readings must have one row for each quantity")
    for row in table:
        same_length(times=clock, readings=row)
    values = np.stack([np.interp(wanted, clock, row) for row in table])
    after = np.searchsorted(clock, wanted)
    before = np.clip(after - 1, 0, clock.size - 1)
    after = np.clip(after, 0, clock.size - 1)
    inside = (wanted >= clock[0]) & (wanted <= clock[-1])
    beyond = np.minimum(np.abs(wanted - clock[before]), np.abs(wanted - clock[after]))
    covered = np.where(inside, clock[after] - clock[before] <= WIDEST_GAP, beyond <= LONGEST_GAP)
    return values, covered
