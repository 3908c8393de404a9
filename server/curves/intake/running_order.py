"""In which order, session and at what time of day the pulls of files were made: from names, files and a manifest."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time

from django.utils import timezone

from curves.intake.setup_guess import guess_setup
from programmes.models import Setup

LARGEST_MANIFEST = 1_000_000  # bytes
NUMBERS = re.compile(r"(\d+)")
# A date with a time behind it, as in 2026-03-04 14:05 or 20260304_1405; year first, as only that is sure
DAY_AND_TIME = re.compile(
    r"(?<!\d)(20\d\d)[-_./]?(0[1-9]|1[0-2])[-_./]?(0[1-9]|[12]\d|3[01])[T _-]+([01]\d|2[0-3])[-:._h]?([0-5]\d)(?!\d)"
)
TIME_ALONE = re.compile(r"(?<![\d:.])([01]?\d|2[0-3])[:h]([0-5]\d)(?![\d])")
HEADS = {
    "file": ("file", "filename", "file name", "name", "recording"),
    "setup": ("setup", "config", "configuration", "part", "letter"),
    "session": ("session", "day", "visit"),
    "order": ("order", "run", "pull", "number", "no"),
    "start": ("start", "time", "started", "start time"),
}


@dataclass(frozen=True)
class FileStart:
    """When a pull began, as far as it is known; `day` None where only the time of day is."""

    clock: time
    day: date | None = None

    @property
    def text(self) -> str:
        """As a person reads and types it."""
        shown = f"{self.clock:%H:%M}"
        return shown if self.day is None else f"{self.day.isoformat()} {shown}"

    def at(self, day: date) -> datetime:
        return datetime.combine(self.day or day, self.clock, timezone.get_current_timezone())


@dataclass(frozen=True)
class ManifestRow:
    """One line of a manifest; what it leaves open is empty."""

    file: str
    setup: str = ""
    session: str = ""
    order: float | None = None
    start: str = ""


@dataclass(frozen=True)
class PlacedFile:
    """Where a file belongs, as far as names, the file and the manifest tell."""

    setup_id: int | None
    session: str
    start: str


def natural(name: str) -> list[tuple[int, float, str]]:
    """By which names are put in order as a person counts: run 2 before run 10."""
    return [(0, float(part), "") if part.isdigit() else (1, 0.0, part.lower()) for part in NUMBERS.split(name) if part]


def read_start(text: str) -> FileStart | None:
    """The first date with a time, else the first time of day, in a text; None where there is none."""
    if found := DAY_AND_TIME.search(text):
        year, month, day, hour, minute = (int(part) for part in found.groups())
        try:
            return FileStart(time(hour, minute), date(year, month, day))
        except ValueError:
            return None
    if found := TIME_ALONE.search(text):
        return FileStart(time(int(found[1]), int(found[2])))
    return None


def read_manifest(content: bytes) -> list[ManifestRow] | None:
    """The lines of a CSV that says which file is what; None where it is no such list."""
    if len(content) > LARGEST_MANIFEST:
        return None
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        return None
    first = text.split("\n", 1)[0]
    separator = max(",;\t", key=first.count)
    rows = list(csv.reader(io.StringIO(text), delimiter=separator))
    if len(rows) < 2:
        return None
    heads = [cell.strip().lower() for cell in rows[0]]
    at = {key: next((heads.index(name) for name in names if name in heads), None) for key, names in HEADS.items()}
    if at["file"] is None or all(at[key] is None for key in ("setup", "session", "order", "start")):
        return None

    def cell(row: Sequence[str], key: str) -> str:
        place = at[key]
        return row[place].strip() if place is not None and place < len(row) else ""

    found = []
    for row in rows[1:]:
        if not cell(row, "file"):
            continue
        number = cell(row, "order").replace(",", ".")
        order = float(number) if re.fullmatch(r"\d+(\.\d+)?", number) else None
        found.append(
            ManifestRow(cell(row, "file"), cell(row, "setup"), cell(row, "session"), order, cell(row, "start"))
        )
    return found or None


def place(
    names: Mapping[int, str], starts: Mapping[int, str], manifest: Sequence[ManifestRow], setups: Sequence[Setup]
) -> dict[int, PlacedFile]:
    """Where each file belongs, in the order in which they were run as far as that is known; names and starts by key.

    The manifest's order comes first, then times of day, then the numbers in the names.
    """
    rows = {row.file.lower(): row for row in manifest}
    sessions = list(dict.fromkeys(row.session for row in manifest))

    def row_of(key: int) -> ManifestRow | None:
        return rows.get(names[key].lower())

    def start_of(key: int) -> FileStart | None:
        row = row_of(key)
        return (read_start(row.start) if row else None) or read_start(starts.get(key, ""))

    def rank(key: int) -> tuple[int, int, float, list[tuple[int, float, str]]]:
        row, start = row_of(key), start_of(key)
        session = sessions.index(row.session) if row else len(sessions)
        if row and row.order is not None:
            return session, 0, row.order, []
        if start is not None:
            minutes = (start.day or date.min).toordinal() * 1440 + start.clock.hour * 60 + start.clock.minute
            return session, 1, minutes, natural(names[key])
        return session, 2, 0.0, natural(names[key])

    found = {}
    for key in sorted(names, key=rank):
        row, start = row_of(key), start_of(key)
        found[key] = PlacedFile(
            _named(row.setup, setups) if row and row.setup else guess_setup(names[key], setups),
            row.session if row else "", start.text if start else "",
        )  # fmt: skip
    return found


def _named(text: str, setups: Sequence[Setup]) -> int | None:
    """The setup of this name or letter; None where the manifest names none that is there."""
    wanted = text.strip().lower()
    return next((setup.pk for setup in setups if wanted in (setup.name.lower(), setup.letter.lower())), None) or (
        guess_setup(text, setups) if len(setups) > 1 else None
    )
