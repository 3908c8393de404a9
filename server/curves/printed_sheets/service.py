"""Pictures of printed tables: taken, read by a job, held against physics, kept with the pull that comes of them."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import cv2
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from torvix_core.paper import sheet as paper
from torvix_core.paper.characters import NoReader
from torvix_core.paper.cross_check import Cell, Columns, Doubt, cross_check
from torvix_core.paper.straighten import Picture

from curves.models import PrintedSheet, ReadCell, ReadTable
from engines.parts.service import reencode
from jobs import kinds
from jobs import service as jobs
from jobs.kinds import Queue, Watch
from jobs.service import Unusable
from programmes.models import Programme
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Invalid, Refusal
from stand.models import Pull
from stand.notes.service import read_upload

KIND = "read_sheet"
LONGEST_EDGE = 3200  # pixels kept of a picture: digits of a full page are some 25 high then
PAGE_QUALITY = 80
UNSAVED = 20  # pictures of one test that nothing has come of
DOUBTS = {
    Doubt.NOTHING: "No figure could be read here.",
    Doubt.STEP: "The speeds around it step evenly; this one does not.",
    Doubt.POWER: "Power is not torque times speed in this line.",
    Doubt.CURVE: "It is off the curve of the lines around it.",
    Doubt.FORM: "It has more or fewer decimals than its column.",
    Doubt.READINGS: "It can be read in more than one way.",
}


@dataclass(frozen=True)
class ColumnChoice:
    """Which column somebody says is which, by position; None where the reading's own word stands."""

    speed: int | None = None
    torque: int | None = None
    power: int | None = None
    torque_unit: str = ""
    power_unit: str = ""


@dataclass(frozen=True)
class CheckedRow:
    """A line of the sheet by name of its columns: what stands for each cell, and where it is on the page."""

    cells: Mapping[str, tuple[Cell, ReadCell]]


def add(person: Person, programme: Programme, file: UploadedFile, at: datetime) -> PrintedSheet:
    """Take a picture and have it read."""
    require_operator(person)
    sent = read_upload(file)
    digest = hashlib.sha256(sent).hexdigest()
    twin = PrintedSheet.objects.filter(programme=programme, sha256=digest, pull__isnull=False)
    if kept := twin.select_related("pull").defer("picture", "page").first():
        assert kept.pull is not None
        raise Refusal(f"This picture is kept already, with pull {kept.pull.number}.", code="known_already")
    if PrintedSheet.objects.filter(programme=programme, pull=None).count() >= UNSAVED:
        raise Refusal(
            f"{UNSAVED} pictures of this test wait to be saved. Save or discard one of them first.", code="too_many"
        )
    picture, _ = reencode(sent, LONGEST_EDGE)
    made = PrintedSheet.objects.create(
        programme=programme, name=(file.name or "picture")[:200], sha256=digest, picture=picture, by=person, at=at
    )
    return _ask(person, made, at)


def read_again(person: Person, one: PrintedSheet, turned: int, at: datetime) -> PrintedSheet:
    """Read it anew, turned by quarters."""
    _open(person, one)
    one.turned = turned % 4
    one.save(update_fields=["turned"])
    return _ask(person, one, at)


def _ask(person: Person, one: PrintedSheet, at: datetime) -> PrintedSheet:
    one.job = jobs.ask(person, KIND, f"sheet {one.pk}", {"sheet": one.pk}, at, about=one.name)
    one.save(update_fields=["job"])
    return one


def _open(person: Person, one: PrintedSheet) -> None:
    require_operator(person)
    if one.pull_id is not None:
        raise Refusal("This picture is kept with its pull and stays as it is.", code="sheet_is_kept")


def discard(person: Person, one: PrintedSheet) -> None:
    """A picture that nothing has come of goes. One with a pull stays with it."""
    _open(person, one)
    one.delete()


def unsaved(person: Person, programme: Programme) -> PrintedSheet | None:
    """The last picture that the person gave and that has no pull yet: a window that was closed finds it again."""
    mine = PrintedSheet.objects.filter(programme=programme, by=person, pull=None)
    return mine.defer("picture", "page").select_related("job").first()


def keep_with(person: Person, one: PrintedSheet, pull: Pull) -> None:
    """The picture of a pull's figures. Refused where it has a pull already, or was never read."""
    _open(person, one)
    if one.page is None:
        raise Refusal("This picture has not been read. Read it first, or save without it.", code="not_read")
    one.pull = pull
    one.save(update_fields=["pull"])


@transaction.atomic
def _store(one: PrintedSheet, page: bytes, table: ReadTable) -> None:
    # Somebody may have discarded it meanwhile, or turned it and asked again.
    now = PrintedSheet.objects.select_for_update().filter(pk=one.pk, turned=one.turned, pull=None)
    now.update(page=page, table=table.model_dump(mode="json"))


class _NotWanted(Exception):
    pass


def work(arguments: dict[str, Any], watch: Watch) -> dict[str, Any]:
    """Straighten and read one picture. Unusable says what to do where no table is found."""
    one = PrintedSheet.objects.filter(pk=arguments["sheet"], pull=None).first()
    if one is None:
        raise Unusable("The picture is not here any more. Choose it again.")
    steps = iter(range(paper.STEPS))

    def progress(text: str) -> None:
        if not watch.wanted():
            raise _NotWanted
        watch.tell(next(steps, paper.STEPS), paper.STEPS, text)

    try:
        found = paper.read(bytes(one.picture), one.turned, progress)
    except _NotWanted:
        return {}
    except (paper.NoTable, NoReader) as problem:
        raise Unusable(str(problem)) from problem
    _store(one, _jpeg(found.page), _table(found))
    return {"sheet": one.pk}


def _jpeg(page: Picture) -> bytes:
    done, data = cv2.imencode(".jpg", page, [cv2.IMWRITE_JPEG_QUALITY, PAGE_QUALITY])
    assert done
    return data.tobytes()


def _table(found: paper.SheetReading) -> ReadTable:
    height, width = found.page.shape
    columns, quoted = found.columns, found.quoted
    return ReadTable(
        width=width, height=height, heads=list(found.heads),
        rows=[
            [ReadCell(box=(box.left, box.top, box.right, box.bottom), readings=dict(cell))
             for box, cell in zip(boxes, cells, strict=True)]
            for boxes, cells in zip(found.boxes, found.readings, strict=True)
        ],
        speed=columns.speed, torque=columns.torque, power=columns.power, torque_unit=columns.torque_unit,
        power_unit=columns.power_unit,
        quoted={"torque": quoted.torque, "torque_rpm": quoted.torque_rpm, "power": quoted.power,
                "power_rpm": quoted.power_rpm},
    )  # fmt: skip


def chosen(table: ReadTable, choice: ColumnChoice, units: Mapping[str, str]) -> ColumnChoice:
    """Columns and units that count: what somebody says, else what was recognized, else the reader's own units."""
    own = choice != ColumnChoice(torque_unit=choice.torque_unit, power_unit=choice.power_unit)
    speed, torque, power = (
        (choice.speed, choice.torque, choice.power) if own else (table.speed, table.torque, table.power)
    )
    return ColumnChoice(
        speed, torque, power, choice.torque_unit or table.torque_unit or units["torque"],
        choice.power_unit or table.power_unit or units["power"],
    )  # fmt: skip


def checked(table: ReadTable, choice: ColumnChoice) -> Sequence[CheckedRow]:
    """The lines of a sheet by rising speed, each cell held against the others; [] while a column is missing.

    Invalid where one column is two, or is not there.
    """
    given = {"speed": choice.speed, "torque": choice.torque, "power": choice.power}
    at = {name: column for name, column in given.items() if column is not None}
    wide = len(table.rows[0]) if table.rows else 0
    if wrong := {name: "not a column of this sheet" for name, column in at.items() if not 0 <= column < wide}:
        raise Invalid("There is no such column.", fields=wrong)
    if len(set(at.values())) < len(at):
        raise Invalid("One column cannot be two.", fields={"torque": "choose another column for each"})
    if "speed" not in at or len(at) < 2:
        return []
    readings = {name: [row[column].readings for row in table.rows] for name, column in at.items()}
    columns = Columns(
        readings["speed"], readings.get("torque"), readings.get("power"), choice.torque_unit, choice.power_unit
    )
    rows = [
        CheckedRow({name: (cell, line[at[name]]) for name, cell in cells.items()})
        for cells, line in zip(cross_check(columns), table.rows, strict=True)
    ]
    speeds = [float(text) for row in rows if (text := row.cells["speed"][0].text)]
    falling = len(speeds) > 1 and speeds[-1] < speeds[0]
    return rows[::-1] if falling else rows


kinds.register(KIND, "Printed sheet read", Queue.QUICK, work)
