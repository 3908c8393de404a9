"""Figures by hand: a table that is typed or pasted, checked as it stands, and kept."""

from __future__ import annotations

import numpy as np
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router

from curves.intake.schemas import WhereIn, where_of
from curves.manual_entry import service as manual_entry
from curves.models import PrintedSheet
from programmes.models import Programme
from shop.permissions import is_person, units_of
from shop.schema import Schema

router = Router(tags=["figures"])


class QuotedIn(Schema):
    """What is quoted beside the table, in the table's units."""

    torque: float | None = None
    torque_rpm: float | None = None
    power: float | None = None
    power_rpm: float | None = None
    gain_before: float | None = None
    gain_after: float | None = None
    gain: float | None = None


class FiguresIn(Schema):
    """`text` is the table; units are those of columns that name none."""

    text: str
    torque_unit: str = ""
    power_unit: str = ""
    quoted: QuotedIn = QuotedIn()


class FigureRow(Schema):
    line: int
    rpm: float
    torque: float | None
    power: float | None


class FiguresOut(Schema):
    torque_unit: str
    power_unit: str
    rows: list[FigureRow]
    problems: list[str]
    resolution_percent: float


class WriteFiguresIn(FiguresIn):
    setup_id: int
    source: str = ""
    confirmed: bool = False
    where: WhereIn
    sheet_id: int | None = None  # the printed sheet that they were read off


class WrittenOut(Schema):
    pull_id: int
    number: int


def _figures(given: FiguresIn, units: dict[str, str]) -> manual_entry.Figures:
    return manual_entry.read(given.text, given.torque_unit or units["torque"], given.power_unit or units["power"])


@router.post("/programmes/{programme_id}/figures/check", response=FiguresOut, operation_id="check_figures")
def check(request: HttpRequest, programme_id: int, given: FiguresIn) -> FiguresOut:
    """How the text is understood, and what does not fit in it. Nothing is kept."""
    assert is_person(request.user)
    get_object_or_404(Programme.objects.visible_to(request.user), pk=programme_id)
    figures = _figures(given, units_of(request.user))
    nothing = np.full(len(figures.lines), np.nan)
    columns = [figures.columns.get(name, nothing).tolist() for name in ("rpm", "torque", "power")]
    mean = float(np.nanmean(figures.si("torque"))) if "torque" in figures.columns else None
    return FiguresOut(
        torque_unit=figures.units["torque"], power_unit=figures.units["power"],
        rows=[
            FigureRow(line=line, rpm=rpm, torque=_given(torque), power=_given(power))
            for line, rpm, torque, power in zip(figures.lines, *columns, strict=True)
        ],
        problems=manual_entry.check(figures, manual_entry.QuotedFigures(**given.quoted.model_dump())),
        resolution_percent=50 * figures.torque_step / mean if mean else 0.0,
    )  # fmt: skip


def _given(value: float) -> float | None:
    return value if np.isfinite(value) else None


@router.post("/programmes/{programme_id}/figures", response=WrittenOut, operation_id="write_figures")
def write(request: HttpRequest, programme_id: int, given: WriteFiguresIn) -> WrittenOut:
    assert is_person(request.user)
    programme = get_object_or_404(Programme.objects.visible_to(request.user), pk=programme_id)
    setup = get_object_or_404(programme.setups, pk=given.setup_id)
    figures = _figures(given, units_of(request.user))
    written = manual_entry.Written(
        figures, manual_entry.QuotedFigures(**given.quoted.model_dump()), given.source, given.confirmed
    )
    of_this = PrintedSheet.objects.filter(programme=programme).defer("picture")
    sheet = None if given.sheet_id is None else get_object_or_404(of_this, pk=given.sheet_id)
    pull = manual_entry.write(
        request.user, programme, setup, written, where_of(given.where, request.user), timezone.now(), sheet
    )
    return WrittenOut(pull_id=pull.pk, number=pull.number)
