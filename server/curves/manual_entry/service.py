"""A printed table or a few numbers read off a screen, typed or pasted in: understood, checked, kept as written."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime

import numpy as np
from django.db import transaction
from torvix_core.engine import geometry
from torvix_core.pull import published_figures_check
from torvix_core.pull.published_figures_check import FigureProblem, FigureSteps, Quoted, Wrong
from torvix_core.units import quantities
from torvix_core.units.checked import Array

from curves.files import mapping
from curves.files.layout import EMPTY, NUMBER, OTHER_UNITS, split_head
from curves.files.table import FileColumn, FileTable
from curves.intake import known_recordings
from curves.intake.filing import FiledPull, FilingPlace, checked, keep
from curves.models import PrintedSheet
from curves.printed_sheets import service as printed_sheets
from programmes.models import Programme, Setup
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Invalid, Refusal
from shop.texts import optional
from stand.models import Pull, PullOrigin

MOST_ROWS = 500
ORDER = ("rpm", "torque", "power")  # of columns without heads
MEASURED = {"rpm": "speed", "torque": "torque", "power": "power"}
LARGEST = 1e8  # no engine on a stand has a figure above it, watts included


@dataclass(frozen=True)
class Figures:
    """Rows as written: numbers in the units given, NaN where a cell was empty; `steps` by their decimals."""

    columns: Mapping[str, Array]  # rpm, and torque or power or both
    units: Mapping[str, str]
    steps: Mapping[str, float]
    lines: Sequence[int]  # of the text, where each row stands

    def si(self, name: str) -> Array:
        if name not in self.columns:
            return np.full(len(self.lines), np.nan)
        return quantities.to_si(self.columns[name], self.units[name])

    @property
    def torque_step(self) -> float:
        """N·m that rounding may hide, by torque where it was written, else by power."""
        if "torque" in self.steps:
            return float(quantities.to_si_rule(self.units["torque"]).scale * self.steps["torque"])
        step = float(quantities.to_si_rule(self.units["power"]).scale * self.steps["power"])
        return step / float(geometry.angular_speed(np.mean(self.si("rpm"))))


@dataclass(frozen=True)
class QuotedFigures:
    """What is said beside the table: peaks as quoted, in the table's units, and a gain over another pull's figures."""

    torque: float | None = None
    torque_rpm: float | None = None
    power: float | None = None
    power_rpm: float | None = None
    gain_before: float | None = None
    gain_after: float | None = None
    gain: float | None = None


def read(text: str, torque_unit: str, power_unit: str) -> Figures:
    """The rows of a text. Invalid says line and cell of what is no number, and which unit is none of its column's.

    Cells are parted by tabs, semicolons, blanks, or commas where the numbers have none. A first line of heads says
    which column is which; without one they are rpm, torque, power.
    """
    asked = {
        "torque": _unit("torque", torque_unit, "torque_unit"),
        "power": _unit("power", power_unit, "power_unit"),
    }
    lines = [(number, line) for number, line in enumerate(text.splitlines(), start=1) if line.strip()]
    if not lines:
        raise Invalid("Nothing is written yet.", fields={"text": "one row for each speed: rpm, torque, power"})
    if len(lines) > MOST_ROWS:
        raise Invalid(f"More than {MOST_ROWS} rows.", fields={"text": "bring so much as a file instead"})
    decimal_comma = any(";" in line or "\t" in line for _, line in lines) and any("," in line for _, line in lines)
    rows = [(number, _cells(line, decimal_comma)) for number, line in lines]
    order, units = _heads(rows[0][1], asked)
    if order:
        rows = rows[1:]
    order = order or list(ORDER)
    columns: dict[str, list[float]] = {name: [] for name in order if name}
    written: dict[str, list[str]] = {name: [] for name in order if name}
    for number, cells in rows:
        if len(cells) > len(order):
            raise Invalid(
                "A row has too many cells.",
                fields={"text": f"line {number}: {len(cells)} cells, {len(order)} are known"},
            )
        for name, cell in zip(order, [*cells, *[""] * (len(order) - len(cells))], strict=True):
            if not name:
                continue
            columns[name].append(_number(cell, number, name))
            written[name].append(cell)
    given = {name: np.array(values) for name, values in columns.items() if np.isfinite(values).any()}
    if "rpm" not in given or not np.isfinite(given["rpm"]).all():
        raise Invalid("Every row needs its speed.", fields={"text": "the first cell of each row is the speed in rpm"})
    if len(given) < 2:
        raise Invalid("Only speeds are written.", fields={"text": "add torque or power to each row"})
    steps = {name: _step(written[name]) for name in given}
    return Figures(given, {"rpm": "rpm"} | units, steps, [number for number, _ in rows])


def _unit(name: str, written: str, field: str) -> str:
    """The unit as the core has it. Invalid at `field` if it is none of what the column measures.

    Figures are kept as written, so a unit of another size than the core's (krpm, kN·m) is refused, not scaled.
    """
    factor, label = OTHER_UNITS.get(written.lower(), (1.0, written))
    known = quantities.units_of(MEASURED[name])
    try:
        unit = quantities.canonical(label)
    except ValueError:
        unit = ""
    if unit not in known or factor != 1.0:
        raise Invalid(
            "A unit does not fit.",
            fields={field: f"{name} cannot be in {written[:30]!r}; it may be in {', '.join(known)}"},
        )
    return unit


def _cells(line: str, decimal_comma: bool) -> list[str]:
    for separator in ("\t", ";"):
        if separator in line:
            return [cell.strip() for cell in line.split(separator)]
    words = line.split()
    if len(words) > 1 and all(NUMBER.match(word) for word in words):
        return words  # blanks between, decimal commas within
    if "," in line and not decimal_comma:
        cells = [cell.strip() for cell in line.split(",")]
        return cells if len(cells) > 1 else line.split()
    return line.split()


def _heads(cells: Sequence[str], asked: Mapping[str, str]) -> tuple[list[str], dict[str, str]]:
    """Column names and units of a line of heads; no names where the line holds numbers."""
    units = dict(asked)
    if any(NUMBER.match(cell) for cell in cells):
        return [], units
    empty = np.empty(0)
    columns = [
        FileColumn(name or f"column {at}", unit, empty) for at, (name, unit) in enumerate(map(split_head, cells))
    ]
    order = []
    for one, column in zip(mapping.guess(FileTable("text", columns)).mapped, columns, strict=True):
        order.append(one.channel if one.channel in ORDER else "")
        if order[-1] and (unit := column.unit or one.unit):
            units[one.channel] = _unit(one.channel, unit, "text")
    return order, units


def _number(cell: str, line: int, name: str) -> float:
    cell = cell.strip()
    if cell in EMPTY:
        return float("nan")
    if not NUMBER.match(cell):
        raise Invalid("A cell is no number.", fields={"text": f"line {line}, {name}: {cell[:30]!r} is no number"})
    value = float(cell.replace(",", "."))
    if abs(value) > LARGEST or (name == "rpm" and value <= 0):
        raise Invalid(
            "A cell is no figure of an engine.",
            fields={
                "text": f"line {line}, {name}: {cell[:30]!r} is no {'speed of an engine' if name == 'rpm' else name}"
            },
        )
    return value


def _step(cells: Sequence[str]) -> float:
    """The step in which a column is written: 1, 0.1, 0.01..."""
    places = [len(cell.replace(",", ".").partition(".")[2]) for cell in cells if cell not in EMPTY]
    return float(10.0 ** -max(places, default=0))


def check(figures: Figures, quoted: QuotedFigures) -> list[str]:
    """What does not fit, in words, with the line where it stands; [] if all does."""
    rule = {name: quantities.to_si_rule(figures.units[name]).scale for name in ("torque", "power")}
    steps = FigureSteps(
        figures.steps["rpm"], figures.steps.get("torque", 0.0) * rule["torque"],
        figures.steps.get("power", 0.0) * rule["power"],
    )  # fmt: skip
    in_si = Quoted(
        None if quoted.torque is None else quoted.torque * rule["torque"], quoted.torque_rpm,
        None if quoted.power is None else quoted.power * rule["power"], quoted.power_rpm,
    )  # fmt: skip
    problems = published_figures_check.check(figures.si("rpm"), figures.si("torque"), figures.si("power"), steps, in_si)
    words = [_words(problem, figures) for problem in problems]
    if quoted.gain is not None and quoted.gain_before is not None and quoted.gain_after is not None:
        before, after, gain = (_step([f"{value:g}"]) for value in (quoted.gain_before, quoted.gain_after, quoted.gain))
        if not published_figures_check.gain_fits(
            quoted.gain_before, quoted.gain_after, quoted.gain, (before, after, gain)
        ):
            difference = quoted.gain_after - quoted.gain_before
            words.append(
                f"The quoted gain of {quoted.gain:g} is not the difference of the quoted figures, "
                f"{quoted.gain_after:g} less {quoted.gain_before:g}, which is {difference:g}."
            )
    return words


def _words(problem: FigureProblem, figures: Figures) -> str:
    torque, power = figures.units["torque"], figures.units["power"]
    line = f"Line {figures.lines[problem.row]}" if problem.row is not None else ""

    def shown(value: float, unit: str) -> str:
        return f"{float(quantities.from_si(value, unit)):.1f} {unit}"

    if problem.wrong is Wrong.NOT_RISING:
        return f"{line}: {problem.found:.0f} rpm is not above the {problem.expected:.0f} rpm of the line before."
    if problem.wrong is Wrong.POWER:
        at = figures.si("rpm")[problem.row or 0]
        row_torque = shown(figures.si("torque")[problem.row or 0], torque)
        return (
            f"{line}: {row_torque} at {at:.0f} rpm is {shown(problem.expected, power)}; the table says "
            f"{shown(problem.found, power)}."
        )
    if problem.wrong is Wrong.OUTLIER:
        return (
            f"{line}: {shown(problem.found, torque)} stands off its neighbours, whose line has "
            f"{shown(problem.expected, torque)} there. A slip of the pen?"
        )
    if problem.wrong is Wrong.SPEED:
        return (
            f"{line}: {problem.found:.0f} rpm is no speed of an engine under load. A digit too few, or another column?"
        )
    if problem.wrong is Wrong.LOAD_IN:
        return (
            f"{line}: {shown(problem.found, torque)} stands far above the figures after it, whose line has "
            f"{shown(problem.expected, torque)} there: likely the brake loading. Leave the row out."
        )
    if problem.wrong is Wrong.PEAKS_CROSSED:
        return (
            f"The quoted peak torque alone makes {shown(problem.found, power)} at its speed, more than the quoted peak "
            f"power of {shown(problem.expected, power)}."
        )
    what, unit = ("torque", torque) if problem.wrong is Wrong.PEAK_TORQUE else ("power", power)
    found, there = shown(problem.found, unit), shown(problem.expected, unit)
    return f"The quoted peak {what} of {found} is not in the table, which has {there}."


@dataclass(frozen=True)
class Written:
    """A table that is about to be kept."""

    figures: Figures
    quoted: QuotedFigures = field(default_factory=QuotedFigures)
    source: str = ""
    confirmed: bool = False  # although something does not fit


def write(
    person: Person, programme: Programme, setup: Setup, written: Written, where: FilingPlace, at: datetime,
    sheet: PrintedSheet | None = None,
) -> Pull:  # fmt: skip
    """Keep a table as a pull of printed figures, with the picture that they were read off if there is one.

    Refused while something does not fit and nobody has said so be it.
    """
    require_operator(person)
    if setup.programme_id != programme.pk:
        raise Invalid("This setup belongs to another test.", fields={"setup_id": "choose one of this test"})
    where = checked(where, at.date())
    wrong = {}
    source = optional(written.source, "source", 200)
    if not source:
        wrong["source"] = "say where the figures come from: a printed sheet, a screen, a letter"
    if not where.figures_standard:
        wrong["figures_standard"] = "say whether they are observed or corrected, or that nobody knows"
    if wrong:
        raise Invalid("Something is missing: see the fields.", fields=wrong)
    doubts = check(written.figures, written.quoted)
    if doubts and not written.confirmed:
        raise Refusal(
            "Something does not fit. Mend it, or say that it stands so: " + " ".join(doubts), code="does_not_fit"
        )
    channels = {name: (written.figures.units[name], values) for name, values in written.figures.columns.items()}
    filed = FiledPull(
        setup=setup, origin=PullOrigin.TYPED, source=source, channels=channels, where=where,
        torque_step=written.figures.torque_step,
    )  # fmt: skip
    try:
        speed_torque = np.stack(filed.figures())
    except ValueError as error:
        raise Invalid("The rows make no curve.", fields={"text": str(error)}) from error
    if twin := known_recordings.known_of(programme).find(speed_torque):
        raise Refusal(f"The same figures are kept already, as pull {twin[0]}.", code="known_already")
    filed.reduce()
    if filed.curve.refused:
        raise Invalid("The rows make no curve.", fields={"text": filed.curve.refused})
    with transaction.atomic():
        pull = keep(person, programme, [filed], at)[0]
        if sheet is not None:
            printed_sheets.keep_with(person, sheet, pull)
    return pull
