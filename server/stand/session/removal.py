"""What is measured on removal: kept as it was typed, held against the build sheet, taken into a new revision."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from django.db import transaction
from torvix_core.engine.dimensions import SHEET
from torvix_core.engine.evidence import Origin
from torvix_core.units.quantity_parser import NotUnderstood

from engines.builds.service import succeed
from engines.models import Build
from engines.sheet import sheets
from engines.sheet.entries import DimensionValue, read_entry, show
from engines.sheet.moved import moved_words
from engines.sheet.readings import ReadingChange
from programmes.models import Programme
from shop import moments
from shop.models import Person
from shop.permissions import require_operator, units_of
from shop.refusals import Invalid, Refusal
from stand.models import NoteKind, RemovalReading, Session
from stand.notes import service as notes
from stand.session.changes import MEASURED_OFF

MEASURABLE = frozenset(key for keys in MEASURED_OFF.values() for key in keys if key in SHEET)


@dataclass(frozen=True)
class ProposedReading:
    """A dimension of the sheet as it was measured, and what the sheet has now; in the reader's units."""

    key: str
    label: str
    measured: str
    sheet: str  # "" where it has none
    origin: str


@transaction.atomic
def write(person: Person, session: Session, key: str, text: str, at: datetime) -> RemovalReading:
    """Keep what was measured, beside a note of it. Invalid names what cannot be read."""
    require_operator(person)
    if key not in MEASURABLE:
        raise Invalid("This is not measured on removal.", fields={"key": "choose one of those that lie open"})
    units = units_of(person)
    try:
        entry = read_entry(SHEET[key], text, units)
    except NotUnderstood as reason:
        raise Invalid("The reading cannot be used.", fields={"text": str(reason)}) from reason
    if entry.value is None:
        raise Invalid("The reading cannot be used.", fields={"text": "a figure is measured"})
    shown = show(units, SHEET[key], entry.value)
    notes.write(person, session, NoteKind.MEASURED, f"{SHEET[key].label}: {shown}", at)
    return RemovalReading.objects.create(session=session, key=key, text=text.strip()[:60], value=entry.value,
                                         typed=entry.typed, unit=entry.unit, at=at, by=person)  # fmt: skip


def open_readings(programme: Programme) -> dict[str, RemovalReading]:
    """The newest of each dimension that stands in no revision yet."""
    rows = RemovalReading.objects.filter(session__programme=programme, build=None).order_by("at", "pk")
    return {row.key: row for row in rows}


def proposed(person: Person, programme: Programme, readings: Mapping[str, RemovalReading]) -> list[ProposedReading]:
    """What a new revision would take in of `open_readings`."""
    if not readings:
        return []
    settled, units = sheets.settled(programme.build.readings.all()), units_of(person)
    found = []
    for key, row in readings.items():
        now = settled.get(key)
        value = now.value if now else None
        found.append(ProposedReading(
            key, SHEET[key].label, show(units, SHEET[key], row.value),
            "" if value is None else show(units, SHEET[key], value), str(now.origin) if now else "",
        ))  # fmt: skip
    return found


def would_move(person: Person, programme: Programme, readings: Mapping[str, RemovalReading]) -> list[str]:
    """What a revision with them would say otherwise than the one that the test has: figures, old and new, findings."""
    if not readings:
        return []
    units, build = units_of(person), programme.build
    tried = {key: DimensionValue(row.value, "", row.typed, row.unit) for key, row in readings.items()}
    before, after = (sheets.work_out(sheets.sheet_of(build, changes)) for changes in (None, tried))
    return moved_words(before, after, units)


@transaction.atomic
def revise(person: Person, programme: Programme, at: datetime) -> Build:
    """A new revision of the test's build with all that was measured; the test goes on with the one it has until
    somebody chooses the new one."""
    require_operator(person)
    readings = open_readings(programme)
    if not readings:
        raise Refusal("Nothing was measured that is not in the build already.", code="nothing_measured")
    clock = moments.clock()

    def change(row: RemovalReading) -> ReadingChange:
        day = f"{row.at.astimezone(clock):%Y-%m-%d}"
        return ReadingChange(f"{row.typed} {row.unit}".strip(), Origin.MEASURED, f"on removal, {day}")

    changes = {key: change(row) for key, row in readings.items()}
    labels = ", ".join(SHEET[key].label.lower() for key in readings)
    made = succeed(person, programme.build, changes, f"Measured on removal: {labels}"[:200], at)
    RemovalReading.objects.filter(session__programme=programme, build=None).update(build=made)
    return made
