"""Weather from a CSV file: columns found by their names and units, every row checked, nothing stored half."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from django.db import transaction
from django.utils import timezone
from torvix_core.air.weather import AirReading, Moisture
from torvix_core.units import quantities

from shop.models import Person
from shop.moments import clock, moment
from shop.permissions import require_operator
from shop.refusals import Invalid
from stand.models import Session, WeatherReading
from stand.weather.service import WeatherAsAir

LARGEST_FILE = 2_000_000  # bytes
MOST_ROWS = 20_000
MOST_FAULTS_TOLD = 5
# What a column may be called, without its unit
NAMES = {
    "time": ("time", "date", "date time", "datetime", "timestamp"),
    "barometer": ("barometer", "pressure", "station pressure", "baro"),
    "temperature": ("temperature", "temp", "dry bulb", "air temperature", "inlet temperature"),
    Moisture.RELATIVE_HUMIDITY: ("humidity", "relative humidity", "rh"),
    Moisture.WET_BULB: ("wet bulb",),
    Moisture.DEW_POINT: ("dew point", "dewpoint"),
}
UNITS = {"barometer": "pressure", "temperature": "temperature", Moisture.RELATIVE_HUMIDITY: "fraction",
         Moisture.WET_BULB: "temperature", Moisture.DEW_POINT: "temperature"}  # fmt: skip


@dataclass(frozen=True)
class WeatherColumn:
    position: int
    unit: str


@dataclass(frozen=True)
class Imported:
    """What came of a file."""

    added: int
    known: int  # rows of a moment and file that were there already
    outside: int  # rows further than three hours from the session


class Unreadable(Exception):
    """Something at one place of the file; the message says where and what."""


def import_file(person: Person, session: Session, name: str, content: bytes, at: datetime) -> Imported:
    """All rows of a weather file that belong to the session. Invalid says line and column of what is wrong."""
    require_operator(person)
    if len(content) > LARGEST_FILE:
        message = f"{len(content) / 1e6:.1f} MB, at most {LARGEST_FILE / 1e6:.0f} MB are read"
        raise Invalid("The file is too large.", fields={"file": message})
    try:
        rows = read_rows(content)
    except Unreadable as error:
        raise Invalid("Nothing was taken from the file.", fields={"file": str(error)}) from error
    source = "file " + "".join(letter for letter in name if letter.isprintable())[:70]
    early = session.opened_at - timedelta(hours=3)
    late = (session.closed_at or max(at, session.opened_at)) + timedelta(hours=3)
    inside = [(time, found) for time, found in rows if early <= time <= late]
    if not inside:
        by = clock()
        first, last = rows[0][0], rows[-1][0]
        message = (
            f"it runs from {moment(first, by, year=True)} to {moment(last, by, year=True)}; "
            f"the session from {moment(session.opened_at, by, year=True)}"
        )
        raise Invalid("No row of the file belongs to this session.", fields={"file": message})
    with transaction.atomic():
        known = set(session.weather.filter(source=source).values_list("at", flat=True))
        fresh = {time: found for time, found in inside if time not in known}
        WeatherReading.objects.bulk_create(
            WeatherReading(
                session=session, at=time, barometer=found.reading.pressure, temperature=found.reading.temperature,
                relative_humidity=found.relative_humidity, source=source, written_by=person,
            )
            for time, found in fresh.items()
        )  # fmt: skip
    return Imported(added=len(fresh), known=len(inside) - len(fresh), outside=len(rows) - len(inside))


def read_rows(content: bytes) -> list[tuple[datetime, WeatherAsAir]]:
    """Every row of a file as weather, in order of time. Unreadable names the first places that are wrong."""
    text = _decode(content)
    first = text.split("\n", 1)[0]
    delimiter = max((";", "\t", ","), key=first.count)
    try:
        lines = list(csv.reader(io.StringIO(text), delimiter=delimiter, strict=True))
    except csv.Error as error:
        raise Unreadable(f"it is not a table of text: {error}") from error
    if len(lines) < 2:
        raise Unreadable("it has no row below its heads")
    if len(lines) > MOST_ROWS:
        raise Unreadable(f"{len(lines)} rows, at most {MOST_ROWS} are read")
    columns, moisture = _columns(lines[0])
    rows, faults = [], []
    for number, cells in enumerate(lines[1:], start=2):
        if not any(cell.strip() for cell in cells):
            continue
        try:
            rows.append(_row(cells, columns, moisture))
        except Unreadable as error:
            faults.append(f"line {number}, {error}")
            if len(faults) >= MOST_FAULTS_TOLD:
                break
    if faults:
        raise Unreadable("; ".join(faults))
    if not rows:
        raise Unreadable("it has no row below its heads")
    return sorted(rows, key=lambda row: row[0])


def _decode(content: bytes) -> str:
    if b"\x00" in content[:4096]:
        raise Unreadable("it is not a text file")
    try:
        return content.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = content[: error.start].count(b"\n") + 1
        raise Unreadable(f"line {line} is not UTF-8; save the file as UTF-8 and try again") from error


def _columns(heads: Sequence[str]) -> tuple[dict[str, WeatherColumn], Moisture]:
    """Where each quantity stands: heads like “Pressure (hPa)” or “temperature [°C]”."""
    found: dict[str, WeatherColumn] = {}
    for position, head in enumerate(heads):
        name, unit = _name_and_unit(head)
        for quantity, names in NAMES.items():
            if name in names:
                if quantity in found:
                    raise Unreadable(f"line 1, column {position + 1}: a second column of {quantity}")
                found[quantity] = WeatherColumn(position, _unit(quantity, unit, position))
    missing = [name for name in ("time", "barometer", "temperature") if name not in found]
    damp = [moisture for moisture in Moisture if moisture in found]
    if not damp:
        missing.append("humidity, wet bulb or dew point")
    if missing:
        raise Unreadable(f"line 1: no column of {', '.join(missing)}; found {', '.join(heads)[:120]}")
    return found, damp[0]


def _name_and_unit(head: str) -> tuple[str, str]:
    plain = head.strip()
    for opening, closing in (("(", ")"), ("[", "]")):
        if plain.endswith(closing) and opening in plain:
            name, _, unit = plain[:-1].partition(opening)
            return name.strip().lower().replace("_", " "), unit.strip()
    return plain.lower().replace("_", " "), ""


def _unit(quantity: str, unit: str, position: int) -> str:
    if quantity == "time":
        return ""
    if not unit:
        raise Unreadable(f"line 1, column {position + 1}: write the unit with the head, for example {quantity} "
                         f"({quantities.units_of(UNITS[quantity])[0]})")  # fmt: skip
    try:
        if quantities.measures(unit) != UNITS[quantity]:
            raise ValueError
    except ValueError:
        message = ", ".join(quantities.units_of(UNITS[quantity]))
        raise Unreadable(f"line 1, column {position + 1}: “{unit}” is no unit of {quantity}; write {message}") from None
    return unit


def _row(cells: Sequence[str], columns: dict[str, WeatherColumn], moisture: Moisture) -> tuple[datetime, WeatherAsAir]:
    def cell(quantity: str) -> str:
        position = columns[quantity].position
        if position >= len(cells) or not cells[position].strip():
            raise Unreadable(f"column {position + 1}: nothing is there")
        return cells[position].strip()

    def number(quantity: str) -> float:
        text, column = cell(quantity), columns[quantity]
        try:
            return float(quantities.to_si(float(text), column.unit))
        except ValueError:
            raise Unreadable(f"column {column.position + 1}: “{text[:20]}” is not a number") from None

    try:
        time = datetime.fromisoformat(cell("time"))
    except ValueError:
        told = f"column {columns['time'].position + 1}: “{cell('time')[:30]}” is no time; write 2026-11-21 13:05"
        raise Unreadable(told) from None
    time = time if time.tzinfo else timezone.make_aware(time)
    reading = AirReading(number("barometer"), number("temperature"), moisture, number(moisture))
    try:
        reading.air()
    except ValueError as error:
        raise Unreadable(f"this cannot be weather: {str(error).replace('_', ' ')}") from None
    return time.astimezone(UTC), WeatherAsAir(reading, None, ())
