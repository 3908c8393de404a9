"""Air: readings to factors, and the weather log of a session."""

from __future__ import annotations

from datetime import datetime

from pydantic import Field
from torvix_core.air import weather
from torvix_core.air.air import Air
from torvix_core.air.standards import (
    DEFINITIONS,
    LARGE_CORRECTION,
    Charging,
    DieselDelivery,
    Standard,
    correction,
)
from torvix_core.air.weather import AirReading, Moisture, Tolerance
from torvix_core.units import quantities

from shop.models import Stand
from shop.schema import Schema
from shop.units import Shown, shown
from stand.weather import service as services


class AirIn(Schema):
    barometer: str
    barometer_is_sea_level: bool = False
    elevation: str = ""
    temperature: str
    moisture: Moisture = Moisture.RELATIVE_HUMIDITY
    moisture_value: str
    tolerance: dict[str, str] = Field(default_factory=dict)
    fuel_delivery: str = ""
    charging: Charging = Charging.UNBLOWN_OR_MECHANICAL
    quoted_power: str = ""
    quoted_standard: Standard = Standard.OBSERVED


class FactorOut(Schema):
    """One standard's factor on this air, and how far each instrument moves it, per cent either side.

    Without a factor, `needs` says what is missing.
    """

    standard: str
    label: str
    note: str
    source: str
    reference: str
    factor: float | None
    needs: str
    inside: bool
    valid: list[float] | None
    large: bool
    pressure_percent: float | None
    temperature_percent: float | None
    moisture_percent: float | None
    together_percent: float | None
    power: float | None


class AirFigures(Schema):
    station: Shown
    sea_level: Shown | None
    vapour: Shown
    dry: Shown
    relative_humidity: Shown
    density_kg_m3: float
    density_altitude: Shown


class AirReport(Schema):
    figures: AirFigures
    factors: list[FactorOut]
    power_unit: str
    notes: list[str]


class WeatherIn(AirIn):
    at: datetime


class WeatherRow(Schema):
    id: int
    at: datetime
    barometer: float
    temperature: float
    relative_humidity_percent: float
    factor: float
    source: str
    by: str
    struck_reason: str


class PullAirOut(Schema):
    """The air a pull is corrected for."""

    pull_id: int
    number: int
    setup_id: int
    at: datetime | None
    barometer: float | None
    temperature: float | None
    relative_humidity_percent: float | None
    factor: float | None
    from_log: bool


class SessionWeather(Schema):
    session_id: int
    stand: str
    stand_id: int
    elevation: str
    opened_at: datetime
    pressure_unit: str
    temperature_unit: str
    elevation_unit: str
    standard: str
    readings: list[WeatherRow]
    pulls: list[PullAirOut]


class WeatherLog(Schema):
    sessions: list[SessionWeather]


class StrikeIn(Schema):
    reason: str


class ElevationIn(Schema):
    elevation: str


class ElevationOut(Schema):
    elevation: str


class ImportOut(Schema):
    added: int
    known: int
    outside: int


def factor_out(
    reading: AirReading, tolerance: Tolerance, standard: Standard, delivery: DieselDelivery | None
) -> FactorOut:
    definition = DEFINITIONS[standard]
    if standard is Standard.ISO_1585_CI and delivery is None:
        return FactorOut(
            standard=standard, label=definition.label, note="", source=definition.source, reference=reference(standard),
            factor=None, needs=definition.note, inside=True, valid=list(definition.valid or ()), large=False,
            pressure_percent=None, temperature_percent=None, moisture_percent=None, together_percent=None, power=None,
        )  # fmt: skip
    found = correction(reading.air(), standard, delivery)
    error = weather.factor_error(reading, tolerance, standard, delivery)
    factor = float(found.factor)
    return FactorOut(
        standard=standard,
        label=definition.label,
        note=definition.note,
        source=definition.source,
        reference=reference(standard),
        factor=factor,
        needs="",
        inside=bool(found.inside),
        valid=list(definition.valid) if definition.valid else None,
        large=abs(factor - 1) > LARGE_CORRECTION,
        pressure_percent=100 * error.pressure / factor,
        temperature_percent=100 * error.temperature / factor,
        moisture_percent=100 * error.moisture / factor,
        together_percent=100 * error.together / factor,
        power=None,
    )


def figures_out(understood: services.WeatherAsAir, units: dict[str, str]) -> AirFigures:
    air: Air = understood.air
    pressure, elevation = units["air_pressure"], understood.elevation
    station = float(air.pressure)
    sea_level = None if elevation is None else float(weather.sea_level_pressure(station, elevation))
    return AirFigures(
        station=shown(station, pressure), sea_level=None if sea_level is None else shown(sea_level, pressure),
        vapour=shown(float(air.vapour_pressure), pressure), dry=shown(float(air.dry_pressure), pressure),
        relative_humidity=shown(understood.relative_humidity, "%"), density_kg_m3=float(air.density),
        density_altitude=shown(float(air.density_altitude), units["elevation"], digits=0),
    )  # fmt: skip


def factor_of_pull(barometer: float, temperature: float, humidity: float, standard: Standard) -> float | None:
    try:
        air = AirReading(barometer, temperature, Moisture.RELATIVE_HUMIDITY, humidity).air()
    except ValueError:
        return None
    return float(correction(air, standard).factor)


def elevation_out(stand: Stand, units: dict[str, str]) -> str:
    return "" if stand.elevation is None else f"{float(quantities.from_si(stand.elevation, units['elevation'])):.6g}"


def reference(standard: Standard) -> str:
    definition = DEFINITIONS[standard]
    if definition.pressure is None or definition.temperature is None:
        return ""
    dry = "dry" if definition.pressure_is_dry else "total"
    return f"{quantities.words(definition.pressure, 'kPa')} {dry}, {quantities.words(definition.temperature, '°C')}"
