"""From one revision to the next: what a change would do, saving it as a successor, and two side by side."""

from __future__ import annotations

from collections.abc import Mapping

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router
from torvix_core.engine.dimensions import GROUPS, SHEET

from engines.builds import service as builds
from engines.builds.access import one_build
from engines.builds.schemas import BuildOut, build_afresh, revision_out
from engines.models import Build, Engine, Reading
from engines.revisions.schemas import (
    AgainstOut,
    SheetDifference,
    SuccessorIn,
    WhatIfIn,
    WhatIfOut,
    steps_out,
    table_differences_out,
)
from engines.sheet import schemas as sheet_schemas
from engines.sheet import sheets
from engines.sheet.entries import DimensionValue, read_entries, show
from engines.sheet.readings import ReadingChange
from engines.sheet.sheets import WorkedSheet
from shop.models import Person
from shop.permissions import person_of, units_of

router = Router(tags=["engines"])


def _worked(
    build: Build, texts: Mapping[str, str], person: Person
) -> tuple[WorkedSheet, dict[str, DimensionValue], dict[str, str]]:
    """The sheet with changes tried on it; an empty text takes a line out."""
    emptied = [key for key, text in texts.items() if not text.strip() and key in SHEET]
    filled = {key: text for key, text in texts.items() if text.strip()}
    entries, wrong = read_entries(SHEET, filled, units_of(person))
    changes: dict[str, DimensionValue | None] = {**entries, **dict.fromkeys(emptied)}
    return sheets.work_out(sheets.sheet_of(build, changes)), entries, wrong


@router.post("/builds/{build_id}/what-if", response=WhatIfOut, operation_id="what_if")
def what_if(request: HttpRequest, build_id: int, given: WhatIfIn) -> WhatIfOut:
    """What changes would do to every figure; nothing is kept."""
    person = person_of(request)
    units = units_of(person)
    # Only what the sheet is made of: this is asked at every stroke of a key.
    light = Build.objects.filter(engine__in=Engine.objects.visible_to(person)).prefetch_related(
        "readings", "flow_tables"
    )
    build = get_object_or_404(light, pk=build_id)
    worked, entries, wrong = _worked(build, given.texts, person)
    return WhatIfOut(
        moved=steps_out(sheets.work_out(sheets.sheet_of(build)), worked, units),
        findings={group.key: sheet_schemas.findings_out(worked, group.key) for group in GROUPS},
        airflow=sheet_schemas.airflow_out(worked.airflow(), units),
        advance=sheet_schemas.advance_out(worked.advance(given.advance_by), units),
        understood={key: show(units, SHEET[key], entry.content) for key, entry in entries.items()},
        wrong=wrong,
    )


@router.post("/builds/{build_id}/successor", response=BuildOut, operation_id="succeed_build")
def succeed_build(request: HttpRequest, build_id: int, given: SuccessorIn) -> BuildOut:
    person = person_of(request)
    changes = {key: ReadingChange(one.text, one.origin, one.how) for key, one in given.changes.items()}
    made = builds.succeed(person, one_build(person, build_id), changes, given.reason, timezone.now())
    return build_afresh(person, made)


@router.get("/builds/{build_id}/against/{other_id}", response=AgainstOut, operation_id="builds_against")
def against(request: HttpRequest, build_id: int, other_id: int) -> AgainstOut:
    """Two builds side by side, what differs first."""
    person = person_of(request)
    units, before, after = units_of(person), one_build(person, build_id), one_build(person, other_id)
    old, new = (sheets.by_dimension(build.readings.all()) for build in (before, after))

    def reading_text(rows: list[Reading]) -> str:
        return "; ".join(f"{show(units, SHEET[row.dimension], row.content)} {row.origin}" for row in rows)

    differences: list[SheetDifference] = []
    same: list[SheetDifference] = []
    for group in GROUPS:
        for dimension in group.dimensions:
            pair = [reading_text(rows.get(dimension.key, [])) for rows in (old, new)]
            if any(pair):
                row = SheetDifference(group=group.label, label=dimension.label, before=pair[0], after=pair[1])
                (same if pair[0] == pair[1] else differences).append(row)
    differences += table_differences_out(before, after, units)
    steps = steps_out(sheets.work_out(sheets.sheet_of(before)), sheets.work_out(sheets.sheet_of(after)), units)
    return AgainstOut(
        before=revision_out(before), after=revision_out(after), differences=differences, same=same, moved=steps
    )
