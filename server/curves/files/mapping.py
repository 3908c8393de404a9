"""Which column is which channel, in which unit: guessed from heads and units, settled by a person, then applied."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from torvix_core.pull.trace import BANKS, MIXTURE, PLAUSIBLE, SPEED, TORQUE
from torvix_core.units import quantities

from curves.files.layout import OTHER_UNITS
from curves.files.table import FileColumn, FileProblem, FileTable

TIME, POWER = "time", "power"
# What each channel measures. A column may be mapped to any of these, or to a name of somebody's own.
MEASURES: dict[str, str] = {
    TIME: "time",
    SPEED: "speed",
    TORQUE: "torque",
    POWER: "power",
    "throttle": "fraction",
    "lambda": "mixture",
    "lambda_left": "mixture",
    "lambda_right": "mixture",
    "oil_temperature": "temperature",
    "coolant_temperature": "temperature",
    "inlet_temperature": "temperature",
    "manifold_temperature": "temperature",
    "exhaust_temperature": "temperature",
    "oil_pressure": "pressure",
    "manifold_pressure": "pressure",
    "fuel_pressure": "pressure",
    "boost": "pressure",
    "exhaust_pressure": "pressure",
    "fuel_flow": "mass flow",
    "air_flow": "mass flow",
    "air_volume_flow": "volume flow",
    "turbine_speed": "speed",
    "knock": "fraction",
    "barometer": "pressure",
    "air_temperature": "temperature",
    "relative_humidity": "fraction",
}
AIR = ("barometer", "air_temperature", "relative_humidity")
# Words of the trade by which a head is recognised, most particular first; any of several languages' short forms
WORDS: Sequence[tuple[str, str]] = (
    (r"turb\w* (speed|rpm)|turbine", "turbine_speed"),
    (r"(air.?fuel|lambda|afr|a/f|\bo ?2|wideband).*(\bleft\b|\bl$|bank 1)|\bleft.*(lambda|afr|\bo ?2)", "lambda_left"),
    (r"(air.?fuel|lambda|afr|a/f|\bo ?2|wideband).*(\bright\b|\br$|bank 2)|\bright.*(lambda|afr|\bo ?2)",
     "lambda_right"),
    (r"(air.?fuel|lambda|afr|a/f|mixture|\bo ?2|wideband)", "lambda"),
    (r"(relative )?humidity|\brh\b", "relative_humidity"),
    (r"baro|ambient press|station press|\bp (amb|atm|baro)|\b(amb|atm) p\b", "barometer"),
    (r"\bphi\b|feuchte|\brf\b", "relative_humidity"),
    (r"(ambient|cell|room|dry bulb).*(temp|air)|\bair (temp(erature)?|t)$|\bt (amb|air|luft)\b|\bamb t\b",
     "air_temperature"),
    (r"(oil|öl|oel|oele).*(press|\bp\b|druck)|\bp (oil|öl|oel)", "oil_pressure"),
    (r"(oil|öl|oel).*(temp|\bt\b)|\bt (oil|öl|oel)|(oil|öl|oel)$", "oil_temperature"),
    (r"(coolant|water|ect|clt|wasser|kühl|kuehl)", "coolant_temperature"),
    (r"\bt (in|inlet|ein|int|ansaug)\b|\b(in|inlet) t\b|ansaug", "inlet_temperature"),
    (r"(skin|manifold|plenum).*(temp)", "manifold_temperature"),
    (r"(inlet|intake|charge|iat|carb).*(temp)?.*(?<!press)$|\biat\b", "inlet_temperature"),
    (r"fuel.*press", "fuel_pressure"), (r"fuel.*(flow|rate|mass)|fuel$|kraftstoff", "fuel_flow"),
    (r"air.*(flow|mass)|\bmaf\b", "air_flow"), (r"air.*flow|\bcfm\b", "air_volume_flow"),
    (r"(exhaust|back).*press|\bbp\b|back ?pressure", "exhaust_pressure"),
    (r"(exhaust).*(temp)|\begt", "exhaust_temperature"),
    (r"boost", "boost"), (r"(manifold|intake|inlet).*press|\bmap\b|vacuum", "manifold_pressure"),
    (r"throttle|\btps\b|pedal", "throttle"), (r"knock|detonation", "knock"),
    (r"torque|\btq\b|\btrq\b|drehmoment|moment|lb.?ft|ft.?lb", TORQUE),
    (r"power|\bhp\b|\bbhp\b|\bkw\b|\bps\b|leistung", POWER),
    (r"\brpm\b|speed|drehzahl|\bn\b|revs|r/min", SPEED),
    (r"time|zeit|\bt\b|seconds|elapsed", TIME),
)  # fmt: skip
# The unit that a channel is written in where its head gives none, and how sure that is; "" asks
USUAL: dict[str, str] = {TIME: "s", SPEED: "rpm", "lambda": "lambda", "lambda_left": "lambda",
                         "lambda_right": "lambda", "turbine_speed": "rpm", "throttle": "%",
                         "knock": "1", "relative_humidity": "%"}  # fmt: skip
TABLE_STEP_RPM = 20.0  # rows further apart in speed are figures of a table, nearer ones samples [prac]


@dataclass(frozen=True)
class Mapped:
    """A column as it will be read. An empty channel leaves it in the file alone."""

    column: str
    channel: str
    unit: str


@dataclass(frozen=True)
class Guess:
    """A mapping with what is doubtful about it, for a person to settle."""

    mapped: Sequence[Mapped]
    is_table: bool
    doubts: Sequence[str]


def layout_key(table: FileTable) -> str:
    """The same for files with the same heads and units: what was settled for one holds for the next."""
    told = "\n".join(f"{column.name}\t{column.unit}" for column in table.columns)
    return hashlib.sha256(f"{table.kind}\n{told}".encode()).hexdigest()


def guess(table: FileTable) -> Guess:
    """Which column is what, as far as heads, units and values tell."""
    mapped, taken, doubts = [], set(), []
    for column in table.columns:
        channel, unit = _channel_of(column), _unit_of(column.unit)
        if channel in taken:
            channel = ""
        if channel:
            unit = unit if unit and _measures(unit) == MEASURES[channel] else ""
            unit = unit or _unit_by_value(channel, column) or _unit_in_name(channel, column.name)
            if not unit:
                doubts.append(f"The unit of {column.name!r} is not given.")
            taken.add(channel)
        elif unit and column.name:
            channel = _own_name(column.name)
            channel = "" if channel in taken else channel
            taken.add(channel)
        mapped.append(Mapped(column.name, channel, unit))
    if SPEED not in taken:
        doubts.append("No column was recognised as engine speed.")
    if not {TORQUE, POWER} & taken:
        doubts.append("No column was recognised as torque or power.")
    return Guess(mapped, TIME not in taken and _looks_like_table(table, mapped), doubts)


def _channel_of(column: FileColumn) -> str:
    plain = re.sub(r"[_.]+", " ", column.name).lower().strip()
    plain = re.sub(r"([a-z])([0-9])", r"\1 \2", plain)
    if plain.replace(" ", "_") in MEASURES:
        return plain.replace(" ", "_")
    unit = _unit_of(column.unit)
    for pattern, channel in WORDS:
        if re.search(pattern, plain) and (not unit or _measures(unit) == MEASURES[channel]):
            return channel
    # A unit that only one channel has tells as much as a name.
    only = {"speed": SPEED, "torque": TORQUE, "power": POWER, "mixture": "lambda"}
    return only.get(_measures(unit), "") if unit else ""


def _unit_of(text: str) -> str:
    """The unit as it will be read: a label of the core, one of OTHER_UNITS, or ""."""
    if text.lower() in OTHER_UNITS:
        return text.lower()
    try:
        return quantities.canonical(text) if text else ""
    except ValueError:
        return ""


def _measures(unit: str) -> str:
    if unit in OTHER_UNITS:
        unit = OTHER_UNITS[unit][1]
    return quantities.measures(unit)


def notes_of(table: FileTable, mapped: Sequence[Mapped]) -> list[str]:
    """What a person should know of how a file will be read, beside its mapping."""
    channels = {one.channel: column for one, column in zip(mapped, table.columns, strict=True)}
    notes = []
    if "air_temperature" not in channels and "inlet_temperature" in channels:
        notes.append("No air temperature is given: the inlet air serves for it.")
    if TIME in channels:
        time = channels[TIME].values[np.isfinite(channels[TIME].values)]
        repeated = int((np.diff(time) == 0).sum())
        if repeated:
            notes.append(f"{repeated} time stamps are repeated: the rows are read as one sample each.")
    return notes


def _unit_by_value(channel: str, column: FileColumn) -> str:
    values = column.values[np.isfinite(column.values)]
    if channel == SPEED and len(values) and 0.3 < float(np.median(values)) < 25:
        return "krpm"
    if channel in (MIXTURE, *BANKS) and len(values):
        return "afr" if float(np.median(values)) > 3 else "lambda"
    if channel == "throttle" and len(values):
        return "1" if float(values.max()) <= 1.5 else "%"
    return USUAL.get(channel, "")


def _unit_in_name(channel: str, name: str) -> str:
    """The unit where the head is nothing but the unit, as hp for power."""
    unit = _unit_of(name.strip())
    return unit if unit and _measures(unit) == MEASURES[channel] else ""


def _own_name(name: str) -> str:
    plain = re.sub(r"[^a-z0-9]+", "_", name.lower()).strip("_")[:40]
    return "" if plain in MEASURES else plain


def _looks_like_table(table: FileTable, mapped: Sequence[Mapped]) -> bool:
    for one, column in zip(mapped, table.columns, strict=True):
        if one.channel == SPEED:
            steps = np.diff(column.values[np.isfinite(column.values)])
            return bool(len(steps) and (steps > 0).all() and float(np.median(steps)) >= TABLE_STEP_RPM)
    return False


def checked(mapped: Sequence[Mapped], table: FileTable, is_table: bool, rate_hz: float | None) -> list[str]:
    """What still stands in the way of reading a file by this mapping; [] if nothing does."""
    problems = []
    channels = [one.channel for one in mapped if one.channel]
    for channel in sorted({channel for channel in channels if channels.count(channel) > 1}):
        problems.append(f"{_spoken(channel)} is given by more than one column. Leave all but one out.")
    if SPEED not in channels:
        problems.append("Say which column is the engine speed.")
    if TORQUE not in channels and POWER not in channels:
        problems.append("Say which column is torque or power.")
    if not is_table and TIME not in channels and not rate_hz:
        problems.append("There is no column of time: give the samples per second.")
    if rate_hz is not None and not 1 <= rate_hz <= 100_000:
        problems.append("The samples per second must lie between 1 and 100000.")
    known = {column.name for column in table.columns}
    for one in mapped:
        if one.column not in known:
            problems.append(f"The file has no column {one.column!r}.")
        if one.channel in MEASURES:
            if not one.unit:
                problems.append(f"Say in which unit {_spoken(one.channel)} is ({one.column}).")
            elif not _unit_of(one.unit) or _measures(_unit_of(one.unit)) != MEASURES[one.channel]:
                told = ", ".join(quantities.units_of(MEASURES[one.channel]))
                problems.append(f"{_spoken(one.channel)} cannot be in {one.unit}. It may be in {told}.")
        elif one.channel and not re.fullmatch(r"[a-z0-9_]{1,40}", one.channel):
            problems.append(f"A name of your own has small letters, digits and _ only, at most 40: {one.channel!r}.")
    return problems


def _spoken(channel: str) -> str:
    return {SPEED: "Engine speed"}.get(channel, channel.replace("_", " ").capitalize())


@dataclass(frozen=True)
class Channels:
    """Channels as they will be stored: (unit, values) by name, `time` first for samples. Values as in the file."""

    values: Mapping[str, tuple[str, np.ndarray]]

    @property
    def samples(self) -> int:
        return len(next(iter(self.values.values()))[1])


def apply(
    table: FileTable, mapped: Sequence[Mapped], is_table: bool, rate_hz: float | None, stoichiometric: float
) -> Channels:
    """The channels of a file by a settled mapping. FileProblem where the values cannot be what they are said to be."""
    columns = {column.name: column.values for column in table.columns}
    found: dict[str, tuple[str, np.ndarray]] = {}
    for one in mapped:
        if not one.channel:
            continue
        values, unit = columns[one.column], _unit_of(one.unit)
        if unit == "afr":
            values, unit = values / stoichiometric, "lambda"
        elif unit in OTHER_UNITS:
            factor, unit = OTHER_UNITS[unit]
            values = values * factor
        if one.channel == TIME and unit != "s":
            values, unit = quantities.to_si(values, unit), "s"
        found[one.channel] = (unit or one.unit[:16], values)
    _require_plausible(found, table, mapped)
    if is_table:
        found.pop(TIME, None)
        order = np.argsort(found[SPEED][1], kind="stable")
        there = order[np.isfinite(found[SPEED][1][order])]
        return Channels({name: (unit, values[there]) for name, (unit, values) in found.items()})
    if TORQUE not in found:
        _torque_from_power(found)
    if TIME in found:
        time = found.pop(TIME)[1]
        there = np.isfinite(time)
        found = {name: (unit, values[there]) for name, (unit, values) in found.items()}
        time = time[there]
    else:
        assert rate_hz is not None
        time = np.arange(table.rows) / rate_hz
    if len(time) < 2 or float(time[-1]) <= float(time[0]):
        raise FileProblem("time does not run forward from the first row to the last", column=_column(mapped, TIME))
    return Channels({TIME: ("s", time), **found})


def _torque_from_power(found: dict[str, tuple[str, np.ndarray]]) -> None:
    unit, power = found[POWER]
    speed = quantities.to_si(found[SPEED][1], found[SPEED][0])
    with np.errstate(divide="ignore", invalid="ignore"):
        torque = quantities.to_si(power, unit) / (speed * np.pi / 30)
    found[TORQUE] = ("N·m", np.where(speed > 100, torque, np.nan))


def _require_plausible(found: Mapping[str, tuple[str, np.ndarray]], table: FileTable, mapped: Sequence[Mapped]) -> None:
    """A wrong unit or a wrong column shows as values that cannot be, in most of the rows."""
    for name, (unit, values) in found.items():
        if name not in PLAUSIBLE or not len(values):
            continue
        rule, (low, high) = quantities.to_si_rule(unit), PLAUSIBLE[name]
        given = values[np.isfinite(values)] * rule.scale + rule.offset
        if not len(given):
            if name in (SPEED, TORQUE):
                raise FileProblem("it holds no number at all", column=_column(mapped, name))
            continue
        wrong = (given < low) | (given > high)
        if wrong.mean() > 0.5:
            first = int(np.flatnonzero(np.isfinite(values))[int(wrong.argmax())])
            raise FileProblem(
                f"{values[first]:g} {unit} cannot be {_spoken(name).lower()}. Is it another column, or another unit?",
                line=table.first_line + first if table.first_line else None, column=_column(mapped, name),
            )  # fmt: skip


def _column(mapped: Sequence[Mapped], channel: str) -> str:
    return next((one.column for one in mapped if one.channel == channel), channel)
