"""How well printed sheets are read: rendered ones with known figures, cell by cell, after the cross-check."""

from __future__ import annotations

import sys
import time
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

from torvix_core.paper import sheet
from torvix_core.paper.cross_check import Cell, Columns, cross_check

from perf.report import size, tell
from standin.printed_sheet import picture, random_condition, random_table

SHEETS = size(200, 2)
AT_ONCE = 2


@dataclass(frozen=True)
class Outcome:
    """Of one sheet: how many figures it has, which came out wrong, and how many cells are marked."""

    figures: int
    wrong: Sequence[str]
    unmarked: int  # of the wrong
    marked: int
    mended: int  # of the wrong, where what is offered is right
    seconds: float


def printed_sheets() -> None:
    with ThreadPoolExecutor(AT_ONCE) as pool:  # the reader is a program of its own
        outcomes = list(pool.map(read, range(SHEETS)))
    figures = sum(one.figures for one in outcomes)
    wrong = sum(len(one.wrong) for one in outcomes)
    for line in [line for one in outcomes for line in one.wrong][:40]:
        print(f"  {line}", file=sys.stderr)
    tell(f"printed sheets: of {figures} figures on {SHEETS}, right", f"{100 * (1 - wrong / figures):.2f} %", "98 %")
    tell("printed sheets: wrong figures that are not marked", str(sum(one.unmarked for one in outcomes)), "0")
    tell("printed sheets: marked", f"{100 * sum(one.marked for one in outcomes) / figures:.1f} % of the figures")
    tell("printed sheets: of the wrong, the figure that is offered is right", f"{sum(one.mended for one in outcomes)}")
    tell("printed sheets: a sheet", f"{sum(one.seconds for one in outcomes) / SHEETS:.1f} s, {AT_ONCE} at once")


def read(seed: int) -> Outcome:
    """One sheet against what was printed on it. One that is not read at all has all of its figures wrong."""
    table, condition = random_table(seed), random_condition(seed)
    order = ["speed" if head == "RPM" else head.split()[0].lower() for head in table.heads]
    printed = [{name: cell for name, cell in zip(order, row, strict=True) if name in NAMES} for row in table.rows]
    figures = len(printed) * len(NAMES)
    start = time.monotonic()
    try:
        rows = checked(picture(table, condition, seed))
    except (sheet.NoTable, ValueError) as error:
        return Outcome(figures, [f"sheet {seed}: {error}"] * figures, 0, 0, 0, time.monotonic() - start)
    took = time.monotonic() - start
    wrong, unmarked, mended = [], 0, 0
    first = _first(printed, rows)
    for at, row in enumerate(printed):
        found = rows[at + first] if 0 <= at + first < len(rows) else {}
        for name, text in row.items():
            cell = found.get(name, Cell("", 0.0))
            if cell.text == text:
                continue
            mark = cell.doubt or "NOT MARKED"
            wrong.append(f"sheet {seed} ({condition.font}): {name} {text} was read {cell.text!r}: {mark}")
            unmarked += cell.doubt is None
            mended += cell.likely == text
    unmarked += 3 * max(0, len(rows) - len(printed))  # rows that nobody printed
    marked = sum(1 for row in rows for cell in row.values() if cell.doubt)
    return Outcome(figures, wrong, unmarked, marked, mended, took)


NAMES = ("speed", "torque", "power")


def checked(photograph: bytes) -> list[dict[str, Cell]]:
    """A picture's rows after the cross-check. ValueError if its columns are not known."""
    found = sheet.read(photograph)
    columns = found.columns
    if columns.speed is None or columns.torque is None or columns.power is None:
        raise ValueError(f"the columns were not recognized: {columns}")
    speed, torque, power = (found.column(at) for at in (columns.speed, columns.torque, columns.power))
    return cross_check(Columns(speed, torque, power, columns.torque_unit, columns.power_unit))


def _first(printed: Sequence[Mapping[str, str]], rows: Sequence[Mapping[str, Cell]]) -> int:
    """By how many rows what was read lies below what was printed: where the most figures agree."""

    def agree(offset: int) -> int:
        return sum(
            rows[at + offset][name].text == text
            for at, row in enumerate(printed) if 0 <= at + offset < len(rows) for name, text in row.items()
        )  # fmt: skip

    return max(range(-8, 9), key=lambda offset: (agree(offset), -abs(offset)))
