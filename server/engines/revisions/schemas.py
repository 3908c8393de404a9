"""From one revision to the next: what a change would do, saving it as a successor, and two side by side."""

from __future__ import annotations

from collections.abc import Mapping

from pydantic import Field
from torvix_core.units import quantities

from engines.builds.schemas import ChangeIn, RevisionOut
from engines.models import Build, FlowTable
from engines.sheet import schemas as sheet_schemas
from engines.sheet import sheets
from engines.sheet.sheets import WorkedSheet
from shop.schema import Schema


class WhatIfIn(Schema):
    """Lines as typed; and degrees by which to advance the cam in its table, beside the usual steps."""

    texts: dict[str, str]
    advance_by: float | None = Field(default=None, ge=-20, le=20)


class StepOut(Schema):
    """A figure before and after; one that only now has a place, as of a second bank, has no before."""

    before: sheet_schemas.FigureOut | None
    after: sheet_schemas.FigureOut


class WhatIfOut(Schema):
    """What the changes would do. Lines that are not understood are left out of it and named."""

    moved: list[StepOut]
    findings: dict[str, list[sheet_schemas.FindingOut]]
    airflow: sheet_schemas.TableOut | None
    advance: sheet_schemas.TableOut | None
    understood: dict[str, str]
    wrong: dict[str, str]


class SuccessorIn(Schema):
    changes: dict[str, ChangeIn]
    reason: str


class SheetDifference(Schema):
    """A line in which two revisions differ, in words, and where each value comes from."""

    group: str
    label: str
    before: str
    after: str


class AgainstOut(Schema):
    before: RevisionOut
    after: RevisionOut
    differences: list[SheetDifference]
    same: list[SheetDifference]
    moved: list[StepOut]


def steps_out(before: WorkedSheet, after: WorkedSheet, units: Mapping[str, str]) -> list[StepOut]:
    """Every figure that moved, old and new."""
    known = {figure.rule.key: figure for figure in before.figures}
    pairs = [(known.get(new.rule.key), new) for new in after.figures]
    return [
        StepOut(
            before=sheet_schemas.figure_out(old, units) if old else None, after=sheet_schemas.figure_out(new, units)
        )
        for old, new in pairs
        if old is None or (old.amount, old.assumed, old.refused) != (new.amount, new.assumed, new.refused)
    ]


def table_differences_out(before: Build, after: Build, units: Mapping[str, str]) -> list[SheetDifference]:
    def table(build: Build, side: str) -> FlowTable | None:
        return next((row for row in build.flow_tables.all() if row.side == side), None)

    def content(row: FlowTable | None) -> object:
        return None if row is None else (row.lifts, row.flows, row.depression, row.origin)

    def flow_text(row: FlowTable | None) -> str:
        if row is None:
            return ""
        flows = "; ".join(quantities.words(flow, units["air_flow"]) for flow in sheets.flow_table_of(row).flow.tolist())
        return f"{flows} at 28 inH2O, {row.origin}"

    pairs = [(side, table(before, side), table(after, side)) for side in ("intake", "exhaust")]
    return [
        SheetDifference(
            group="Heads", label=f"{side.capitalize()} flow table", before=flow_text(old), after=flow_text(new)
        )
        for side, old, new in pairs
        if content(old) != content(new)
    ]
