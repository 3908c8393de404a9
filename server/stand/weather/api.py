"""Air: readings to factors, and the weather log of a session."""

from __future__ import annotations

from datetime import datetime

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import File, Router, Schema, Status
from ninja.files import UploadedFile
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

from programmes.models import Programme
from shop.models import Person, Stand
from shop.permissions import is_person, units_of
from shop.refusals import Invalid
from shop.units import Shown, shown
from stand.models import Pull, Session, WeatherReading
from stand.weather import service as services
from stand.weather.file import LARGEST_FILE, import_file

router = Router(tags=["air"])


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


def _person(request: HttpRequest) -> Person:
    assert is_person(request.user)  # the router's authentication has seen to it
    return request.user


def _typed(given: AirIn) -> services.TypedWeather:
    return services.TypedWeather(**given.model_dump(include={
        "barometer", "barometer_is_sea_level", "elevation", "temperature", "moisture", "moisture_value"
    }))  # fmt: skip


def _reference(standard: Standard) -> str:
    told = DEFINITIONS[standard]
    if told.pressure is None or told.temperature is None:
        return ""
    dry = "dry" if told.pressure_is_dry else "total"
    return f"{quantities.words(told.pressure, 'kPa')} {dry}, {quantities.words(told.temperature, '°C')}"


def _factor(
    reading: AirReading, tolerance: Tolerance, standard: Standard, delivery: DieselDelivery | None
) -> FactorOut:
    told = DEFINITIONS[standard]
    if standard is Standard.ISO_1585_CI and delivery is None:
        return FactorOut(
            standard=standard, label=told.label, note="", source=told.source, reference=_reference(standard),
            factor=None, needs=told.note, inside=True, valid=list(told.valid or ()), large=False,
            pressure_percent=None, temperature_percent=None, moisture_percent=None, together_percent=None, power=None,
        )  # fmt: skip
    found = correction(reading.air(), standard, delivery)
    error = weather.factor_error(reading, tolerance, standard, delivery)
    factor = float(found.factor)
    return FactorOut(
        standard=standard, label=told.label, note=told.note, source=told.source, reference=_reference(standard),
        factor=factor, needs="", inside=bool(found.inside), valid=list(told.valid) if told.valid else None,
        large=abs(factor - 1) > LARGE_CORRECTION, pressure_percent=100 * error.pressure / factor,
        temperature_percent=100 * error.temperature / factor, moisture_percent=100 * error.moisture / factor,
        together_percent=100 * error.together / factor, power=None,
    )  # fmt: skip


def _convert(factors: list[FactorOut], standard: Standard, power: float | None, unit: str) -> None:
    """A power quoted under one standard as it reads under every other, for this air: by the ratio of the factors."""
    quoted = next(row.factor for row in factors if row.standard == standard)
    for row in factors:
        if power is not None and quoted is not None and row.factor is not None:
            row.power = float(quantities.from_si(power * row.factor / quoted, unit))


def _figures(understood: services.WeatherAsAir, units: dict[str, str]) -> AirFigures:
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


@router.post("/air", response=AirReport, operation_id="air")
def read_air(request: HttpRequest, given: AirIn):
    """Readings to vapour pressure, density and the factor of every standard. Nothing is kept."""
    units = units_of(_person(request))
    understood = services.understand(_typed(given), units)
    tolerance = services.understand_tolerance(given.tolerance, given.moisture)
    delivery = services.understand_delivery(given.fuel_delivery, given.charging)
    factors = [_factor(understood.reading, tolerance, standard, delivery) for standard in Standard]
    _convert(factors, given.quoted_standard, services.understand_power(given.quoted_power, units), units["power"])
    return AirReport(
        figures=_figures(understood, units),
        factors=factors,
        power_unit=units["power"],
        notes=list(understood.notes),
    )


def _sessions(person: Person, programme_id: int) -> list[Session]:
    programme = get_object_or_404(Programme.objects.visible_to(person), pk=programme_id)
    found = programme.sessions.select_related("stand").prefetch_related("weather__written_by")
    return list(found.order_by("-opened_at"))


def _factor_of(barometer: float, temperature: float, humidity: float, standard: Standard) -> float | None:
    try:
        air = AirReading(barometer, temperature, Moisture.RELATIVE_HUMIDITY, humidity).air()
    except ValueError:
        return None
    return float(correction(air, standard).factor)


@router.get("/programmes/{programme_id}/weather", response=WeatherLog, operation_id="weather_log")
def read_log(request: HttpRequest, programme_id: int):
    """The weather logs of a programme's sessions, and the air that each pull is corrected for."""
    person = _person(request)
    units, sessions = units_of(person), _sessions(person, programme_id)
    standard = Standard(get_object_or_404(Programme, pk=programme_id).standard)
    pulls = list(Pull.objects.filter(session__in=sessions, started_at__isnull=False).order_by("number"))
    services.give_air(pulls)

    def pressure(si: float) -> float:
        return float(quantities.from_si(si, units["air_pressure"]))

    def temperature(si: float) -> float:
        return float(quantities.from_si(si, units["temperature"]))

    def reading_out(reading: WeatherReading) -> WeatherRow:
        return WeatherRow(
            id=reading.pk, at=reading.at, barometer=pressure(reading.barometer),
            temperature=temperature(reading.temperature), relative_humidity_percent=reading.relative_humidity * 100,
            factor=_factor_of(reading.barometer, reading.temperature, reading.relative_humidity, standard) or 1.0,
            source=reading.source, by=str(reading.written_by or ""), struck_reason=reading.struck_reason,
        )  # fmt: skip

    def pull_out(pull: Pull) -> PullAirOut:
        air = pull.air
        return PullAirOut(
            pull_id=pull.pk, number=pull.number, setup_id=pull.setup_id, at=pull.started_at,
            barometer=pressure(air.barometer) if air else None,
            temperature=temperature(air.temperature) if air else None,
            relative_humidity_percent=air.relative_humidity * 100 if air else None,
            factor=_factor_of(air.barometer, air.temperature, air.relative_humidity, standard) if air else None,
            from_log=bool(air and air.from_log),
        )  # fmt: skip

    return WeatherLog(
        sessions=[
            SessionWeather(
                session_id=session.pk, stand=session.stand.name, stand_id=session.stand_id,
                elevation=_elevation(session.stand, units), opened_at=session.opened_at,
                pressure_unit=units["air_pressure"], temperature_unit=units["temperature"],
                elevation_unit=units["elevation"], standard=DEFINITIONS[standard].label,
                readings=[reading_out(reading) for reading in session.weather.all()],
                pulls=[pull_out(pull) for pull in pulls if pull.session_id == session.pk],
            )
            for session in sessions
        ]
    )  # fmt: skip


def _elevation(stand: Stand, units: dict[str, str]) -> str:
    return "" if stand.elevation is None else f"{float(quantities.from_si(stand.elevation, units['elevation'])):.6g}"


@router.post("/sessions/{session_id}/weather", response=WeatherRow, operation_id="log_weather")
def log_weather(request: HttpRequest, session_id: int, given: WeatherIn):
    person = _person(request)
    session = get_object_or_404(Session.objects.select_related("programme"), pk=session_id)
    if timezone.is_naive(given.at):
        raise Invalid("The time has no zone.", fields={"at": "send it with its zone"})
    row, units = services.log_reading(person, session, _typed(given), given.at), units_of(person)
    standard = Standard(session.programme.standard)
    return WeatherRow(
        id=row.pk, at=row.at, barometer=float(quantities.from_si(row.barometer, units["air_pressure"])),
        temperature=float(quantities.from_si(row.temperature, units["temperature"])),
        relative_humidity_percent=row.relative_humidity * 100,
        factor=_factor_of(row.barometer, row.temperature, row.relative_humidity, standard) or 1.0,
        source=row.source, by=str(person), struck_reason="",
    )  # fmt: skip


@router.post("/sessions/{session_id}/weather/file", response=ImportOut, operation_id="import_weather")
def import_weather(request: HttpRequest, session_id: int, file: File[UploadedFile]):
    session = get_object_or_404(Session, pk=session_id)
    # One byte more than is taken tells that there is more; the rest is not read into memory.
    content = file.read(LARGEST_FILE + 1)
    return import_file(_person(request), session, file.name or "upload", content, timezone.now())


@router.post("/weather/{reading_id}/strike", response={204: None}, operation_id="strike_weather")
def strike(request: HttpRequest, reading_id: int, given: StrikeIn):
    reading = get_object_or_404(WeatherReading, pk=reading_id)
    services.strike_reading(_person(request), reading, given.reason, timezone.now())
    return Status(204, None)


@router.post("/weather/{reading_id}/restore", response={204: None}, operation_id="restore_weather")
def restore(request: HttpRequest, reading_id: int):
    reading = get_object_or_404(WeatherReading, pk=reading_id)
    services.restore_reading(_person(request), reading)
    return Status(204, None)


@router.put("/stands/{stand_id}/elevation", response=ElevationOut, operation_id="place_stand")
def place_stand(request: HttpRequest, stand_id: int, given: ElevationIn):
    person = _person(request)
    stand = services.place_stand(person, get_object_or_404(Stand, pk=stand_id), given.elevation)
    return ElevationOut(elevation=_elevation(stand, units_of(person)))
