"""Builds as the core's sheets: rows in, settled dimensions and figures out. One place where the two meet."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from torvix_core.engine import figures, variations
from torvix_core.engine.dimensions import SHEET
from torvix_core.engine.evidence import Evidence, Origin, Settled, settle
from torvix_core.engine.findings import find
from torvix_core.engine.sheet import BuildSheet, Figure, FlowTable, Missing, SheetFinding
from torvix_core.engine.stack import Limits
from torvix_core.engine.variations import AdvanceSteps, AirflowBySpeed

from engines.models import Build, BuildReading, Reading
from engines.models import FlowTable as FlowTableRow
from engines.sheet.entries import DimensionValue

ADVANCE_STEPS = (-6.0, -4.0, -2.0, 0.0, 2.0, 4.0, 6.0)


@dataclass(frozen=True)
class WorkedSheet:
    """All that follows from one sheet."""

    sheet: BuildSheet
    figures: Sequence[Figure]
    findings: Sequence[SheetFinding]

    def airflow(self) -> AirflowBySpeed | None:
        try:
            return variations.airflow_by_speed(self.sheet)
        except (Missing, ValueError):
            return None

    def advance(self, also: float | None = None) -> AdvanceSteps | None:
        """The usual steps of advance, and one more if asked for."""
        degrees = sorted({*ADVANCE_STEPS, *([] if also is None else [also])})
        try:
            return variations.advance_steps(self.sheet, degrees)
        except (Missing, ValueError):
            return None


def by_dimension(readings: Iterable[Reading]) -> dict[str, list[Reading]]:
    found: dict[str, list[Reading]] = {}
    for reading in readings:
        found.setdefault(reading.dimension, []).append(reading)
    return found


def settled(readings: Iterable[Reading]) -> dict[str, Settled]:
    """What calculations use of each dimension."""
    return {
        key: settle([Evidence(Origin(one.origin), one.content, one.chosen) for one in ones])
        for key, ones in by_dimension(readings).items()
    }


def values(readings: Iterable[Reading]) -> dict[str, float | str]:
    """Only what is usable, by dimension."""
    return {key: found.value for key, found in settled(readings).items() if found.value is not None}


def sheet_of(build: Build, changes: Mapping[str, DimensionValue | None] | None = None) -> BuildSheet:
    """The sheet of a build; `changes` are tried on it: a value counts as measured, None takes the line out."""
    dimensions = {key: found for key, found in settled(build.readings.all()).items() if key in SHEET}
    for key, entry in (changes or {}).items():
        if entry is None:
            dimensions.pop(key, None)
        else:
            dimensions[key] = Settled(entry.content, Origin.MEASURED)
    return BuildSheet(dimensions, {row.side: flow_table_of(row) for row in build.flow_tables.all()})


def flow_table_of(row: FlowTableRow) -> FlowTable:
    return figures.flow_table(row.lifts, row.flows, [row.depression] * len(row.lifts), Origin(row.origin))


def limits(build: Build) -> Limits:
    """What the engine's owner allows a stack of parts."""
    found = values(build.readings.all())
    height = found.get("height_limit")
    return Limits(None if height is None else float(height), found.get("must_look_stock") == "yes")


def work_out(sheet: BuildSheet) -> WorkedSheet:
    found = figures.work_out(sheet)
    return WorkedSheet(sheet, found, find(sheet, found))


def value(build: Build, key: str) -> float | None:
    """A number that the build gives, SI; None where it gives none or only contradicting ones."""
    found = values(reading for reading in build.readings.all() if reading.dimension == key).get(key)
    return None if found is None or isinstance(found, str) else found


def word(build: Build, key: str) -> str:
    """Words or a choice that the build gives; empty where it gives none or only contradicting ones."""
    found = values(reading for reading in build.readings.all() if reading.dimension == key).get(key)
    return found if isinstance(found, str) else ""


def same_reading(one: BuildReading, other: BuildReading) -> bool:
    return (one.value, one.words, one.origin, one.how) == (other.value, other.words, other.origin, other.how)
