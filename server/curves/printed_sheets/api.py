"""Printed sheets: bring a picture, see what was read beside its clippings, say which column is which."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import File, Query, Router, Status
from ninja.files import UploadedFile

from curves.models import PrintedSheet, ReadTable
from curves.printed_sheets import service as sheets
from curves.printed_sheets.service import DOUBTS, CheckedRow, ColumnChoice
from jobs.schemas import JobOut, job_out
from programmes.models import Programme
from shop.models import Person
from shop.permissions import person_of, require_operator, units_of
from shop.schema import Schema

router = Router(tags=["printed sheets"])


class ColumnChoiceIn(Schema):
    """Which column is which, from 0; nothing where the sheet's own heads and figures say it."""

    speed: int | None = None
    torque: int | None = None
    power: int | None = None
    torque_unit: str = ""
    power_unit: str = ""


class TurnIn(Schema):
    """Quarters clockwise, from the picture as it was sent."""

    turned: int = 0


class ClippingOut(Schema):
    """Where a cell stands, in pixels of the page."""

    left: int
    top: int
    width: int
    height: int


class PrintedCellOut(Schema):
    """`confidence` is the share of the attempts that read it, in percent; `doubt` says why a person must look, and
    `likely` what would fit."""

    text: str
    confidence: int
    doubt: str
    likely: str
    clipping: ClippingOut


class PrintedRowOut(Schema):
    speed: PrintedCellOut
    torque: PrintedCellOut | None
    power: PrintedCellOut | None


class PrintedSheetOut(Schema):
    """`columns` by their heads, or by their first figures; no `rows` while a column is missing or nothing is read."""

    id: int
    name: str
    turned: int
    job: JobOut | None
    width: int
    height: int
    columns: list[str]
    speed: int | None
    torque: int | None
    power: int | None
    torque_unit: str
    power_unit: str
    rows: list[PrintedRowOut]
    quoted: dict[str, float | None]


def _programme(person: Person, programme_id: int) -> Programme:
    require_operator(person)
    return get_object_or_404(Programme.objects.visible_to(person), pk=programme_id)


def _one(person: Person, sheet_id: int) -> PrintedSheet:
    seen = PrintedSheet.objects.filter(programme__in=Programme.objects.visible_to(person))
    return get_object_or_404(seen.defer("picture", "page").select_related("job"), pk=sheet_id)


def _cell(row: CheckedRow, name: str) -> PrintedCellOut | None:
    if name not in row.cells:
        return None
    cell, place = row.cells[name]
    left, top, right, bottom = place.box
    return PrintedCellOut(
        text=cell.text, confidence=round(100 * cell.confidence), doubt=DOUBTS[cell.doubt] if cell.doubt else "",
        likely=cell.likely,
        clipping=ClippingOut(left=left, top=top, width=right - left, height=bottom - top),
    )  # fmt: skip


def sheet_out(one: PrintedSheet, choice: ColumnChoice, units: dict[str, str]) -> PrintedSheetOut:
    table = one.table if isinstance(one.table, ReadTable) else ReadTable()
    choice = sheets.chosen(table, choice, units)
    rows = []
    for row in sheets.checked(table, choice):
        speed = _cell(row, "speed")
        assert speed is not None
        rows.append(PrintedRowOut(speed=speed, torque=_cell(row, "torque"), power=_cell(row, "power")))
    first = [max(cell.readings, key=lambda text: cell.readings[text], default="") for cell in (table.rows or [[]])[0]]
    return PrintedSheetOut(
        id=one.pk, name=one.name, turned=one.turned, job=job_out(one.job) if one.job else None, width=table.width,
        height=table.height, columns=[head or figure for head, figure in zip(table.heads, first, strict=True)],
        speed=choice.speed, torque=choice.torque, power=choice.power, torque_unit=choice.torque_unit,
        power_unit=choice.power_unit, rows=rows, quoted=table.quoted,
    )  # fmt: skip


@router.post("/programmes/{programme_id}/printed-sheets", response=PrintedSheetOut, operation_id="add_printed_sheet")
def add(request: HttpRequest, programme_id: int, file: File[UploadedFile]) -> PrintedSheetOut:
    """A picture of a printed table; a job reads it."""
    person = person_of(request)
    made = sheets.add(person, _programme(person, programme_id), file, timezone.now())
    return sheet_out(made, ColumnChoice(), units_of(person))


@router.get(
    "/programmes/{programme_id}/printed-sheets/unsaved",
    response=PrintedSheetOut | None,
    operation_id="unsaved_printed_sheet",
)
def unsaved(request: HttpRequest, programme_id: int) -> PrintedSheetOut | None:
    """The picture that the person gave last and that has become no pull."""
    person = person_of(request)
    found = sheets.unsaved(person, _programme(person, programme_id))
    return sheet_out(found, ColumnChoice(), units_of(person)) if found else None


@router.get("/printed-sheets/{printed_sheet_id}", response=PrintedSheetOut, operation_id="printed_sheet")
def read_sheet(request: HttpRequest, printed_sheet_id: int, given: Query[ColumnChoiceIn]) -> PrintedSheetOut:
    person = person_of(request)
    return sheet_out(_one(person, printed_sheet_id), ColumnChoice(**given.model_dump()), units_of(person))


@router.post(
    "/printed-sheets/{printed_sheet_id}/read", response=PrintedSheetOut, operation_id="read_printed_sheet_again"
)
def read_again(request: HttpRequest, printed_sheet_id: int, given: TurnIn) -> PrintedSheetOut:
    person = person_of(request)
    found = sheets.read_again(person, _one(person, printed_sheet_id), given.turned, timezone.now())
    return sheet_out(found, ColumnChoice(), units_of(person))


@router.delete("/printed-sheets/{printed_sheet_id}", response={204: None}, operation_id="discard_printed_sheet")
def discard(request: HttpRequest, printed_sheet_id: int) -> Status[None]:
    person = person_of(request)
    sheets.discard(person, _one(person, printed_sheet_id))
    return Status(204, None)


@router.get("/printed-sheets/{printed_sheet_id}/page", operation_id="printed_sheet_page", response={200: None})
def read_page(request: HttpRequest, printed_sheet_id: int, picture: bool = False) -> HttpResponse:
    """The straightened page that clippings are cut from, or the picture as it was sent."""
    seen = PrintedSheet.objects.filter(programme__in=Programme.objects.visible_to(person_of(request)))
    one = get_object_or_404(seen if picture else seen.exclude(page=None), pk=printed_sheet_id)
    answer = HttpResponse(bytes(one.picture if picture else one.page or b""), content_type="image/jpeg")
    answer["Cache-Control"] = "private, no-cache"
    return answer
