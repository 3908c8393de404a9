"""A log of the car as a duty: read from an open file, brought to engine speed, weighed by time at full load."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from torvix_core.judging import duty
from torvix_core.judging.duty import Duty
from torvix_core.road.lap_log import TimeAtSpeed, engine_speed, time_at_speed
from torvix_core.road.vehicle import Conventions
from torvix_core.units import quantities
from torvix_core.units.checked import Array

from curves.files.apart import read_table_apart
from curves.files.table import FileColumn, FileProblem, FileTable
from engines.models import Build
from engines.sheet import sheets
from shop.refusals import Invalid
from verdicts.road.vehicle_of import vehicle_of

LARGEST = 40_000_000  # bytes
BEYOND = 1.25  # of the redline, beyond which a unit is wrong rather than an engine over-revved
SPEED_UNITS = ("km/h", "mph", "m/s")
# Heads, most particular first; of several languages' short forms
HEADS: tuple[tuple[str, re.Pattern[str]], ...] = tuple(
    (name, re.compile(pattern, re.IGNORECASE))
    for name, pattern in (
        ("time", r"^(time|t|zeit|elapsed|seconds|lap ?time)\b"), ("rpm", r"rpm|engine.?speed|drehzahl|revs|r/min"),
        ("gear", r"\bgear|gang"), ("throttle", r"throttle|\btps\b|pedal"),
        ("speed", r"speed|velocity|\bv\b|km/?h|mph|tempo"),
    )
)  # fmt: skip


@dataclass(frozen=True)
class LapDuty:
    """The duty, and what of the log it rests on."""

    duty: Duty
    found: TimeAtSpeed
    from_gear: bool


def duty_of_log(
    content: bytes, build: Build, units: Mapping[str, str], bins: Array, speed_unit: str = ""
) -> LapDuty:  # fmt: skip
    """The duty of a log with time, and engine speed or road speed with gear. Invalid says at the file what is wrong."""
    if len(content) > LARGEST:
        raise Invalid("The log is too large.", fields={"file": f"at most {LARGEST / 1e6:.0f} MB"})
    try:
        table = read_table_apart(content)
    except FileProblem as problem:
        raise _not_read(str(problem)) from problem
    columns = _columns(table)
    if "time" not in columns:
        raise _not_read("no column of it is called time")
    throttle = columns["throttle"].values if "throttle" in columns else None
    speed, from_gear = _engine_speed(columns, build, units, float(bins[0]), speed_unit)
    _plausible(speed, build, from_gear)
    try:
        found = time_at_speed(_seconds(columns["time"]), speed, bins, throttle)
        return LapDuty(duty.of_shares(bins, found.shares), found, from_gear)
    except ValueError as reason:
        raise _not_read(str(reason)) from reason


def _not_read(why: str) -> Invalid:
    return Invalid(f"The log cannot be used: {why}.", fields={"file": why})


def _columns(table: FileTable) -> dict[str, FileColumn]:
    found: dict[str, FileColumn] = {}
    for name, pattern in HEADS:
        for column in table.columns:
            if column not in found.values() and pattern.search(column.name):
                found.setdefault(name, column)
    return found


def _seconds(column: FileColumn) -> Array:
    return column.values / 1000 if column.unit.lower() in ("ms", "msec") else column.values


def _engine_speed(
    columns: Mapping[str, FileColumn], build: Build, units: Mapping[str, str], lowest: float, speed_unit: str
) -> tuple[Array, bool]:
    if "rpm" in columns:
        return columns["rpm"].values, False
    if "speed" not in columns or "gear" not in columns:
        raise _not_read("it needs engine speed, or road speed and gear")
    column = columns["speed"]
    unit = column.unit if column.unit in SPEED_UNITS else speed_unit
    if unit not in SPEED_UNITS:
        choose = f"choose the unit of its road speed: {', '.join(SPEED_UNITS)}"
        raise Invalid(f"The log does not say its unit: {choose}.", fields={"speed_unit": choose})
    car = vehicle_of(build, {}, units, lowest, Conventions()).vehicle
    moving = np.nan_to_num(quantities.to_si(column.values, unit))
    try:
        return engine_speed(car, moving, columns["gear"].values), True
    except ValueError as reason:
        raise _not_read(str(reason)) from reason


def _plausible(speed: Array, build: Build, from_gear: bool) -> None:
    """A log in another unit turns an engine at speeds that it never reaches."""
    redline, fast = (
        sheets.value(build, "redline"),
        float(np.nanpercentile(speed, 95)) if np.isfinite(speed).any() else 0.0,
    )
    if redline is not None and fast > BEYOND * redline:
        what = "the unit of the road speed, the gears or the tire" if from_gear else "the unit of the engine speed"
        raise _not_read(
            f"the engine would turn at {fast:.0f} rpm, far above its redline of {redline:.0f}: check {what}"
        )


def sentence(lap: LapDuty) -> str:
    """What the duty rests on, in one sentence."""
    found = lap.found
    load = "by the throttle" if found.by_throttle else "where the engine gains speed, as no throttle was logged"
    outside = f" {found.outside * 100:.0f} % of it lies outside the speeds tested." if found.outside > 0.005 else ""
    return (
        f"{found.full_load_s:.0f} s of full load in a log of {found.logged_s:.0f} s, {load}"
        f"{', engine speed from road speed and gear' if lap.from_gear else ''}.{outside}"
    )
