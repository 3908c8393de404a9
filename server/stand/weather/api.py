"""Air: readings to factors, and the weather log of a session."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import File, Router, Status
from ninja.files import UploadedFile
from torvix_core.air.standards import (
    DEFINITIONS,
    Standard,
)
from torvix_core.units import quantities

from programmes.models import Programme
from shop.models import Person, Stand
from shop.permissions import person_of, units_of
from shop.refusals import Invalid
from stand.models import Pull, Session, WeatherReading
from stand.weather import service as services
from stand.weather.file import LARGEST_FILE, import_file
from stand.weather.schemas import (
    AirIn,
    AirReport,
    ElevationIn,
    ElevationOut,
    FactorOut,
    ImportOut,
    PullAirOut,
    SessionWeather,
    StrikeIn,
    WeatherIn,
    WeatherLog,
    WeatherRow,
    elevation_out,
    factor_of_pull,
    factor_out,
    figures_out,
)

router = Router(tags=["air"])


def _typed(given: AirIn) -> services.TypedWeather:
    return services.TypedWeather(**given.model_dump(include={
        "barometer", "barometer_is_sea_level", "elevation", "temperature", "moisture", "moisture_value"
    }))  # fmt: skip


def _convert(factors: list[FactorOut], standard: Standard, power: float | None, unit: str) -> None:
    """A power quoted under one standard as it reads under every other, for this air: by the ratio of the factors."""
    quoted = next(row.factor for row in factors if row.standard == standard)
    for row in factors:
        if power is not None and quoted is not None and row.factor is not None:
            row.power = float(quantities.from_si(power * row.factor / quoted, unit))


@router.post("/air", response=AirReport, operation_id="air")
def read_air(request: HttpRequest, given: AirIn) -> AirReport:
    """Readings to vapour pressure, density and the factor of every standard. Nothing is kept."""
    units = units_of(person_of(request))
    understood = services.understand(_typed(given), units)
    tolerance = services.understand_tolerance(given.tolerance, given.moisture)
    delivery = services.understand_delivery(given.fuel_delivery, given.charging)
    factors = [factor_out(understood.reading, tolerance, standard, delivery) for standard in Standard]
    _convert(factors, given.quoted_standard, services.understand_power(given.quoted_power, units), units["power"])
    return AirReport(
        figures=figures_out(understood, units),
        factors=factors,
        power_unit=units["power"],
        notes=list(understood.notes),
    )


def _sessions(person: Person, programme_id: int) -> list[Session]:
    programme = get_object_or_404(Programme.objects.visible_to(person), pk=programme_id)
    found = programme.sessions.select_related("stand").prefetch_related("weather__written_by")
    return list(found.order_by("-opened_at"))


@router.get("/programmes/{programme_id}/weather", response=WeatherLog, operation_id="weather_log")
def read_log(request: HttpRequest, programme_id: int) -> WeatherLog:
    """The weather logs of a programme's sessions, and the air that each pull is corrected for."""
    person = person_of(request)
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
            factor=factor_of_pull(reading.barometer, reading.temperature, reading.relative_humidity, standard) or 1.0,
            source=reading.source, by=str(reading.written_by or ""), struck_reason=reading.struck_reason,
        )  # fmt: skip

    def pull_out(pull: Pull) -> PullAirOut:
        air = pull.air
        return PullAirOut(
            pull_id=pull.pk, number=pull.number, setup_id=pull.setup_id, at=pull.started_at,
            barometer=pressure(air.barometer) if air else None,
            temperature=temperature(air.temperature) if air else None,
            relative_humidity_percent=air.relative_humidity * 100 if air else None,
            factor=factor_of_pull(air.barometer, air.temperature, air.relative_humidity, standard) if air else None,
            from_log=bool(air and air.from_log),
        )  # fmt: skip

    return WeatherLog(
        sessions=[
            SessionWeather(
                session_id=session.pk, stand=session.stand.name, stand_id=session.stand_id,
                elevation=elevation_out(session.stand, units), opened_at=session.opened_at,
                pressure_unit=units["air_pressure"], temperature_unit=units["temperature"],
                elevation_unit=units["elevation"], standard=DEFINITIONS[standard].label,
                readings=[reading_out(reading) for reading in session.weather.all()],
                pulls=[pull_out(pull) for pull in pulls if pull.session_id == session.pk],
            )
            for session in sessions
        ]
    )  # fmt: skip


@router.post("/sessions/{session_id}/weather", response=WeatherRow, operation_id="log_weather")
def log_weather(request: HttpRequest, session_id: int, given: WeatherIn) -> WeatherRow:
    person = person_of(request)
    session = get_object_or_404(Session.objects.select_related("programme"), pk=session_id)
    if timezone.is_naive(given.at):
        raise Invalid("The time has no zone.", fields={"at": "send it with its zone"})
    row, units = services.log_reading(person, session, _typed(given), given.at), units_of(person)
    standard = Standard(session.programme.standard)
    return WeatherRow(
        id=row.pk, at=row.at, barometer=float(quantities.from_si(row.barometer, units["air_pressure"])),
        temperature=float(quantities.from_si(row.temperature, units["temperature"])),
        relative_humidity_percent=row.relative_humidity * 100,
        factor=factor_of_pull(row.barometer, row.temperature, row.relative_humidity, standard) or 1.0,
        source=row.source, by=str(person), struck_reason="",
    )  # fmt: skip


@router.post("/sessions/{session_id}/weather/file", response=ImportOut, operation_id="import_weather")
def import_weather(request: HttpRequest, session_id: int, file: File[UploadedFile]) -> ImportOut:
    session = get_object_or_404(Session, pk=session_id)
    # One byte more than is taken tells that there is more; the rest is not read into memory.
    content = file.read(LARGEST_FILE + 1)
    return ImportOut.model_validate(
        import_file(person_of(request), session, file.name or "upload", content, timezone.now())
    )


@router.post("/weather/{reading_id}/strike", response={204: None}, operation_id="strike_weather")
def strike(request: HttpRequest, reading_id: int, given: StrikeIn) -> Status[None]:
    reading = get_object_or_404(WeatherReading, pk=reading_id)
    services.strike_reading(person_of(request), reading, given.reason, timezone.now())
    return Status(204, None)


@router.post("/weather/{reading_id}/restore", response={204: None}, operation_id="restore_weather")
def restore(request: HttpRequest, reading_id: int) -> Status[None]:
    reading = get_object_or_404(WeatherReading, pk=reading_id)
    services.restore_reading(person_of(request), reading)
    return Status(204, None)


@router.put("/stands/{stand_id}/elevation", response=ElevationOut, operation_id="place_stand")
def place_stand(request: HttpRequest, stand_id: int, given: ElevationIn) -> ElevationOut:
    person = person_of(request)
    stand = services.place_stand(person, get_object_or_404(Stand, pk=stand_id), given.elevation)
    return ElevationOut(elevation=elevation_out(stand, units_of(person)))
