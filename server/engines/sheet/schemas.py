"""Sheets, figures and tables as a person sees them: labels for keys, and values in the units of his choice."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime

from torvix_core.engine.dimensions import GROUPS, SHEET, Dimension
from torvix_core.engine.sheet import FLOW_TABLES, Figure
from torvix_core.engine.variations import AdvanceSteps, AirflowBySpeed
from torvix_core.units import quantities
from torvix_core.units.checked import Array
from torvix_core.units.quantity_parser import split

from engines.models import Build, FlowTable, Reading
from engines.sheet import sheets
from engines.sheet.entries import text_of
from engines.sheet.sheets import WorkedSheet
from shop.schema import Schema
from shop.units import unit_for

Units = Mapping[str, str]


class ReadingOut(Schema):
    """One value of a line, as it stands in its field."""

    origin: str
    text: str
    typed: str
    how: str
    by: str
    at: datetime
    chosen: bool


class ChoiceOut(Schema):
    value: str
    label: str


class LineOut(Schema):
    """One dimension: how to fill it in, what is written down, which value is used."""

    key: str
    label: str
    kind: str
    unit: str
    hint: str
    choices: list[ChoiceOut]
    readings: list[ReadingOut]
    used: str
    contradicts: list[str]
    blocked: bool


class FigureOut(Schema):
    """What follows: a value, or a band; else what is missing, or why it was refused."""

    key: str
    group: str
    label: str
    unit: str
    digits: int
    value: float | None
    low: float | None
    high: float | None
    note: str
    source: str
    missing: list[str]
    refused: str
    assumed: list[str]
    rests_on: list[str]


class FindingOut(Schema):
    text: str
    caution: bool


class GroupOut(Schema):
    key: str
    label: str
    lines: list[LineOut]
    figures: list[FigureOut]
    findings: list[FindingOut]


class ColumnOut(Schema):
    label: str
    unit: str
    digits: int


class TableOut(Schema):
    columns: list[ColumnOut]
    rows: list[list[float | None]]


class FlowTableOut(Schema):
    """A port's flow as typed, and brought to 28 inH2O."""

    side: str
    depression: str
    depression_unit: str
    rows: list[list[str]]
    origin: str
    how: str
    by: str
    at: datetime
    at_28: TableOut


def reading_out(reading: Reading, dimension: Dimension, units: Units) -> ReadingOut:
    return ReadingOut(
        origin=reading.origin,
        text=text_of(reading, dimension, units),
        typed=f"{reading.typed} {reading.unit}".strip(),
        how=reading.how,
        by=str(reading.written_by),
        at=reading.written_at,
        chosen=reading.chosen,
    )


def lines_out(dimensions: Iterable[Dimension], readings: Iterable[Reading], units: Units) -> list[LineOut]:
    """Every line of a sheet, filled in or not."""
    rows = sheets.by_dimension(readings)
    settled = sheets.settled(one for ones in rows.values() for one in ones)
    lines = []
    for dimension in dimensions:
        found = settled.get(dimension.key)
        lines.append(
            LineOut(
                key=dimension.key,
                label=dimension.label,
                kind="quantity" if dimension.is_quantity else str(dimension.measure),
                unit=unit_for(dimension.figure, dimension.unit, units) if dimension.is_quantity else "",
                hint=dimension.hint,
                choices=[ChoiceOut(value=value, label=label) for value, label in dimension.choices],
                readings=[reading_out(one, dimension, units) for one in rows.get(dimension.key, [])],
                used=str(found.origin) if found and found.origin else "",
                contradicts=[str(origin) for origin in found.contradicts] if found else [],
                blocked=bool(found and found.is_blocked),
            )
        )
    return lines


def label_of(key: str) -> str:
    """What a person calls a dimension; a table of flow is one."""
    return f"{FLOW_TABLES[key].capitalize()} flow table" if key in FLOW_TABLES else SHEET[key].label


def figure_out(figure: Figure, units: Units) -> FigureOut:
    rule, amount = figure.rule, figure.amount
    unit = unit_for(rule.figure, rule.unit, units)

    def shown(si: float | None) -> float | None:
        return None if si is None else float(quantities.from_si(si, unit))

    return FigureOut(
        key=rule.key,
        group=rule.group,
        label=rule.label,
        unit=unit,
        digits=quantities.digits(unit),
        value=shown(amount.value) if amount else None,
        low=shown(amount.low) if amount else None,
        high=shown(amount.high) if amount else None,
        note=amount.note if amount else "",
        source=rule.source,
        missing=[label_of(key) for key in figure.missing],
        refused=figure.refused,
        assumed=[label_of(key) for key in figure.assumed],
        rests_on=[label_of(key) for key in figure.rests_on],
    )


def groups_out(build: Build, worked: WorkedSheet, units: Units) -> list[GroupOut]:
    """The whole sheet with what follows from it, group by group."""
    readings = list(build.readings.all())
    return [
        GroupOut(
            key=group.key,
            label=group.label,
            lines=lines_out(group.dimensions, readings, units),
            figures=[figure_out(figure, units) for figure in worked.figures if figure.rule.group == group.key],
            findings=findings_out(worked, group.key),
        )
        for group in GROUPS
    ]


def findings_out(worked: WorkedSheet, group: str) -> list[FindingOut]:
    return [
        FindingOut(text=finding.text, caution=finding.caution) for finding in worked.findings if finding.group == group
    ]


def _table(columns: Sequence[tuple[str, str, Array | None]]) -> TableOut:
    """Columns in SI with the unit to show them in; one that is None is left out."""
    present = [(label, unit, quantities.from_si(values, unit)) for label, unit, values in columns if values is not None]
    return TableOut(
        columns=[ColumnOut(label=label, unit=unit, digits=quantities.digits(unit)) for label, unit, _ in present],
        rows=[list(row) for row in zip(*(values.tolist() for _, _, values in present), strict=True)],
    )


def airflow_out(rows: AirflowBySpeed | None, units: Units) -> TableOut | None:
    if rows is None:
        return None
    flow, length, vacuum = units["air_flow"], units["length"], units["vacuum"]
    return _table([
        ("Speed", "rpm", rows.speed_rpm),
        ("Airflow demand", flow, rows.demand),
        ("Rating from", flow, rows.rating_low),
        ("to", flow, rows.rating_high),
        ("Manifold vacuum", vacuum, rows.depression),
        ("Throttle from", length, rows.bore_low),
        ("to ", length, rows.bore_high),
    ])  # fmt: skip


def advance_out(rows: AdvanceSteps | None, units: Units) -> TableOut | None:
    if rows is None:
        return None
    return _table([
        ("Advanced by", "°", rows.degrees),
        ("Intake closes", "°", rows.intake_closing),
        ("Overlap", "°", rows.overlap),
        ("Dynamic compression ratio", ":1", rows.trapped_ratio),
        ("Cranking from", units["boost"], rows.cranking_low),
        ("to", units["boost"], rows.cranking_high),
    ])  # fmt: skip


def _without_unit(text: str, unit: str) -> str:
    """A typed text under a head that names the unit: only another unit is worth repeating."""
    _, named = split(text)
    return text.removesuffix(named).strip() if named and quantities.canonical(named) == unit else text


def flow_table_out(row: FlowTable, units: Units) -> FlowTableOut:
    """As typed where the person's units are those in which it was typed, else converted."""
    wanted = [units["bench"], units["length"], units["air_flow"]]
    typed = row.typed
    if typed.get("units") == wanted:
        depression = _without_unit(typed["depression"], units["bench"])
        rows = [
            [_without_unit(lift, units["length"]), _without_unit(flow, units["air_flow"])]
            for lift, flow in typed["rows"]
        ]
    else:
        bench, length, flow = wanted
        depression = f"{float(quantities.from_si(row.depression, bench)):.6g}"
        rows = [
            [f"{float(quantities.from_si(lift, length)):.6g}", f"{float(quantities.from_si(each, flow)):.6g}"]
            for lift, each in zip(row.lifts, row.flows, strict=True)
        ]
    at_28 = sheets.flow_table_of(row)
    return FlowTableOut(
        side=row.side,
        depression=depression,
        depression_unit=units["bench"],
        rows=rows,
        origin=row.origin,
        how=row.how,
        by=str(row.written_by),
        at=row.written_at,
        at_28=_table([("Lift", units["length"], at_28.lift), ("Flow at 28 inH2O", units["air_flow"], at_28.flow)]),
    )
