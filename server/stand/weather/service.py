"""The weather log of a session: readings by the stand, by hand or from a file, and the air each pull is given.

A pull whose own weather was measured keeps it. One without is given the log, interpolated to the middle of the pull;
where the log does not reach, it stays without, and cannot be corrected.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np
from django.db import transaction
from torvix_core.air import weather
from torvix_core.air.air import (
    BAROMETER_RANGE,
    INLET_TEMPERATURE_RANGE,
    Air,
    air_from_relative_humidity,
    saturation_vapour_pressure,
)
from torvix_core.air.standards import Charging, DieselDelivery, delivery_problem
from torvix_core.air.weather import AirReading, Moisture, Tolerance
from torvix_core.units import quantities
from torvix_core.units.quantity_parser import NotUnderstood, read_quantity, split

from shop.models import Person, Stand
from shop.moments import clock, moment
from shop.permissions import require_operator, require_owner, units_of
from shop.refusals import Invalid, Refusal
from shop.setting_up.service import read_elevation
from stand.models import Pull, PullAir, Session, WeatherReading

LOG_EVERY = timedelta(minutes=5)  # between readings of the stand that are kept
LONGEST_REASON = 200
# Either side, as instruments of a workshop are sold [prac]
USUAL_TOLERANCE = {"pressure": "1 hPa", "temperature": "0.5 K", "moisture": "3 %", "moisture_temperature": "0.5 K"}


@dataclass(frozen=True)
class TypedWeather:
    """Weather as somebody types it: each text in the person's unit unless it names its own."""

    barometer: str
    barometer_is_sea_level: bool
    elevation: str
    temperature: str
    moisture: Moisture
    moisture_value: str


@dataclass(frozen=True)
class WeatherAsAir:
    """A typed weather reading in SI, with what must be said of it."""

    reading: AirReading
    elevation: float | None
    notes: Sequence[str]

    @property
    def air(self) -> Air:
        return self.reading.air()

    @property
    def relative_humidity(self) -> float:
        """0 to 1, by the air's own vapour pressure."""
        air = self.air
        return min(1.0, float(air.vapour_pressure / saturation_vapour_pressure(air.temperature)))


def understand(typed: TypedWeather, units: Mapping[str, str]) -> WeatherAsAir:
    """Typed weather in SI. Invalid names every field that is not understood and what was understood."""
    wrong: dict[str, str] = {}

    def read(field: str, text: str, measure: str, unit: str, low: float, high: float) -> float:
        try:
            return read_quantity(text, measure, unit, low, high).value
        except NotUnderstood as reason:
            wrong[field] = str(reason)
            return float("nan")

    low, high = BAROMETER_RANGE
    barometer = read("barometer", typed.barometer, "pressure", units["air_pressure"], low, high)
    coldest, hottest = INLET_TEMPERATURE_RANGE
    temperature = read("temperature", typed.temperature, "temperature", units["temperature"], coldest, hottest)
    if typed.moisture is Moisture.RELATIVE_HUMIDITY:
        moisture = read("moisture_value", typed.moisture_value, "fraction", "%", 0.0, 1.0)
    else:
        moisture = read("moisture_value", typed.moisture_value, "temperature", units["temperature"], 200.0, hottest)
    elevation = None
    if typed.elevation.strip():
        elevation = read("elevation", typed.elevation, "length", units["elevation"], *weather.ELEVATION_RANGE)
    elif typed.barometer_is_sea_level:
        wrong["elevation"] = "A sea-level barometer needs the elevation of the stand."
    if wrong:
        raise Invalid("Some of the readings are not understood: see the fields.", fields=wrong)
    notes = []
    if typed.barometer_is_sea_level and elevation is not None:
        barometer = float(weather.station_pressure(barometer, elevation))
    elif elevation is None:
        notes.append("Without the elevation it cannot be seen whether the barometer was reduced to sea level.")
    elif bool(weather.looks_sea_level_adjusted(barometer, elevation)):
        at_sea = float(weather.sea_level_pressure(barometer, elevation))
        notes.append(
            f"As a station reading this would be {at_sea / 100:.0f} hPa at sea level, which weather hardly reaches: it "
            "looks reduced to sea level already. If so, say that it is."
        )
    reading = AirReading(barometer, temperature, typed.moisture, moisture)
    try:
        reading.air()
    except ValueError as error:
        raise Invalid("These readings do not go together.", fields={_field_of(str(error)): _sentence(error)}) from error
    return WeatherAsAir(reading, elevation, notes)


def _field_of(told: str) -> str:
    return "barometer" if told.startswith(("pressure", "vapour")) else "moisture_value"


WORDS = {
    "wet_bulb must not be above temperature": "The wet bulb cannot be above the dry bulb.",
    "dew_point must not be above temperature": "The dew point cannot be above the temperature.",
    "wet_bulb must be above freezing; use dew point or relative humidity":
        "A wet bulb below freezing is not used here. Give the dew point or the relative humidity.",
    "wet_bulb is lower than dry air at this temperature can give":
        "The wet bulb is lower than even dry air can give at this temperature.",
}  # fmt: skip


def _sentence(error: ValueError) -> str:
    return WORDS.get(str(error), f"{str(error).replace('_', ' ').capitalize()}.")


def understand_tolerance(texts: Mapping[str, str], moisture: Moisture) -> Tolerance:
    """How far the instruments may be off; what is left out is what workshop instruments are sold with."""
    wrong: dict[str, str] = {}

    def read(field: str, measure: str, unit: str, high: float, usual: str) -> float:
        text = texts.get(field, "").strip() or usual
        try:
            if measure == "temperature":
                return _temperature_step(text, high)
            return read_quantity(text, measure, unit, 0.0, high).value
        except NotUnderstood as reason:
            wrong[f"tolerance_{field}"] = str(reason)
            return 0.0

    pressure = read("pressure", "pressure", "hPa", 5000.0, USUAL_TOLERANCE["pressure"])
    temperature = read("temperature", "temperature", "K", 20.0, USUAL_TOLERANCE["temperature"])
    if moisture is Moisture.RELATIVE_HUMIDITY:
        damp = read("moisture", "fraction", "%", 0.5, USUAL_TOLERANCE["moisture"])
    else:
        damp = read("moisture", "temperature", "K", 20.0, USUAL_TOLERANCE["moisture_temperature"])
    if wrong:
        raise Invalid("A tolerance is not understood: see the fields.", fields=wrong)
    return Tolerance(pressure, temperature, damp)


def understand_power(text: str, units: Mapping[str, str]) -> float | None:
    """A quoted power in W; None where it is left out."""
    if not text.strip():
        return None
    try:
        return read_quantity(text, "power", units["power"], 100.0, 1e7).value
    except NotUnderstood as reason:
        raise Invalid("The power is not understood.", fields={"quoted_power": str(reason)}) from reason


def understand_delivery(text: str, charging: Charging) -> DieselDelivery | None:
    """Fuel delivery of a diesel, mg/(L·cycle) over pressure ratio; None where it is left out."""
    if not text.strip():
        return None
    try:
        written, named = split(text)
        problem = f"“{named}” is not wanted: type mg/(L·cycle) alone" if named else delivery_problem(float(written))
    except NotUnderstood as reason:
        problem = str(reason)
    if problem:
        raise Invalid("The fuel delivery is not understood.", fields={"fuel_delivery": problem})
    return DieselDelivery(float(written), charging)


def _temperature_step(text: str, most: float) -> float:
    """A difference of temperature in K: a step of 1 °C is 1 K, without the offset of the scale."""
    written, named = split(text)
    number = float(written)
    try:
        rule = quantities.to_si_rule(named or "K")
        if quantities.measures(named or "K") != "temperature":
            raise ValueError
    except ValueError:
        raise NotUnderstood(f"“{named}” is not a unit of temperature. Write K, °C or °F.") from None
    if not 0 <= number * rule.scale <= most:
        raise NotUnderstood(f"Understood {number:g} {named or 'K'}; it lies between 0 and {most:g} K.")
    return number * rule.scale


def place_stand(person: Person, stand: Stand, elevation: str) -> Stand:
    """Where the stand stands; empty if nobody knows."""
    require_owner(person)
    try:
        stand.elevation = read_elevation(elevation, units_of(person))
    except NotUnderstood as reason:
        raise Invalid("The elevation is not understood.", fields={"elevation": str(reason)}) from reason
    stand.save(update_fields=["elevation"])
    return stand


# The log


def log_reading(
    person: Person, session: Session, typed: TypedWeather, at: datetime, source: str = "by hand"
) -> WeatherReading:
    """A reading typed in; two of one source at one moment are one too many."""
    require_operator(person)
    understood = understand(typed, units_of(person))
    _within(session, at)
    if session.weather.filter(at=at, source=source).exists():
        raise Invalid("There is a reading of that moment.", fields={"at": "choose another time, or void that one"})
    return WeatherReading.objects.create(
        session=session, at=at, barometer=understood.reading.pressure, temperature=understood.reading.temperature,
        relative_humidity=understood.relative_humidity, source=source, written_by=person,
    )  # fmt: skip


def _within(session: Session, at: datetime) -> None:
    """A reading a day off is a slip of the date, not weather of this session."""
    early, late = session.opened_at - timedelta(hours=3), (session.closed_at or at) + timedelta(hours=3)
    if not early <= at <= late:
        by = clock()
        message = f"the session ran from {moment(session.opened_at, by)} on; this is {moment(at, by)}"
        raise Invalid("That time does not belong to the session.", fields={"at": message})


def strike_reading(person: Person, reading: WeatherReading, reason: str, at: datetime) -> WeatherReading:
    """Leave a reading out of the log; it stays in the record with the reason."""
    require_operator(person)
    if not reason.strip():
        raise Invalid("Say why the reading is void.", fields={"reason": "a few words are enough"})
    if "\x00" in reason:
        raise Invalid("The reason cannot be saved.", fields={"reason": "remove the zero character"})
    if len(reason.strip()) > LONGEST_REASON:
        message = f"{len(reason.strip())} characters, {LONGEST_REASON} fit: shorten it"
        raise Invalid("The reason is too long.", fields={"reason": message})
    if reading.struck_at is not None:
        raise Refusal("This reading is void already.", code="already_struck")
    reading.struck_at, reading.struck_by, reading.struck_reason = at, person, reason.strip()
    reading.save(update_fields=["struck_at", "struck_by", "struck_reason"])
    return reading


def restore_reading(person: Person, reading: WeatherReading) -> WeatherReading:
    """Back into the log: it counts again."""
    require_operator(person)
    if reading.struck_at is None:
        raise Refusal("This reading is in the log.", code="not_struck")
    reading.struck_at, reading.struck_by, reading.struck_reason = None, None, ""
    reading.save(update_fields=["struck_at", "struck_by", "struck_reason"])
    return reading


def log_stand(stand_id: int, barometer: float, temperature: float, relative_humidity: float, at: datetime) -> None:
    """Keep what the stand's weather station says, every few minutes of an open session."""
    session = Session.objects.filter(stand_id=stand_id, closed_at=None).first()
    if session is None or session.weather.filter(source=STAND, at__gt=at - LOG_EVERY).exists():
        return
    try:
        air_from_relative_humidity(barometer, temperature, relative_humidity)
    except ValueError:
        return  # a broken sensor is not weather
    with transaction.atomic():
        WeatherReading.objects.get_or_create(
            session=session, at=at, source=STAND,
            defaults={"barometer": barometer, "temperature": temperature, "relative_humidity": relative_humidity},
        )  # fmt: skip


STAND = "stand"


# The air of pulls


def give_air(pulls: Iterable[Pull]) -> None:
    """Find the air of every pull, in one query for all that have none of their own, and leave it at the pull."""
    wanting: dict[int, list[Pull]] = {}
    for pull in pulls:
        pull.air = _own_air(pull)
        if pull.air is None and pull.started_at is not None:
            wanting.setdefault(pull.session_id, []).append(pull)
    if not wanting:
        return
    logs: dict[int, list[WeatherReading]] = {}
    for reading in WeatherReading.objects.filter(session__in=wanting, struck_at=None).order_by("at", "pk"):
        logs.setdefault(reading.session_id, []).append(reading)
    for session, log in logs.items():
        _interpolate(log, wanting[session])


def _own_air(pull: Pull) -> PullAir | None:
    if pull.barometer is None or pull.air_temperature is None or pull.relative_humidity is None:
        return None
    return PullAir(pull.barometer, pull.air_temperature, pull.relative_humidity)


def _interpolate(log: Sequence[WeatherReading], pulls: Sequence[Pull]) -> None:
    by_time = {reading.at: reading for reading in log}  # of two at one moment the later written counts
    times = sorted(by_time)
    epoch = times[0]
    table = np.array([
        [getattr(by_time[time], field) for time in times]
        for field in ("barometer", "temperature", "relative_humidity")
    ])  # fmt: skip
    middles = [(_middle(pull) - epoch).total_seconds() for pull in pulls]
    values, covered = weather.interpolate_log([(time - epoch).total_seconds() for time in times], table, middles)
    for column, pull in enumerate(pulls):
        if covered[column]:
            barometer, temperature, humidity = values[:, column].tolist()
            pull.air = PullAir(barometer, temperature, humidity, from_log=True)


def _middle(pull: Pull) -> datetime:
    assert pull.started_at is not None
    return pull.started_at + ((pull.ended_at or pull.started_at) - pull.started_at) / 2
