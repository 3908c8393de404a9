"""Find the table in rows of cells: where its heads stand, where the units, where the numbers begin."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from torvix_core.units import quantities

from curves.files.table import FileProblem

NUMBER = re.compile(r"[-+]?(\d+([.,]\d*)?|[.,]\d+)([eE][-+]?\d+)?$")
CLOCK = re.compile(r"(\d+:)?\d{1,2}:\d{2}([.,]\d+)?$")
THOUSANDS = re.compile(r"[-+]?\d{1,3}([.,' ]\d{3})+[.,]\d+$")
EMPTY = {
    "",
    "-",
    "--",
    "---",
    "–",
    "—",
    "..",
    "...",
    "*",
    "?",
    "nan",
    "NaN",
    "NAN",
    "null",
    "NULL",
    "NA",
    "N/A",
    "n/a",
    "#N/A",
}
# A unit behind a name: torque [N·m], torque (N·m), torque / N·m, torque, N·m
BRACKETED = re.compile(r"^(?P<name>.*?)\s*[\[(](?P<unit>[^\])]*)[\])]\s*$")
SEPARATED = re.compile(r"^(?P<name>.+?)(?:\s*,\s+|\s+/\s+|\s*/\s+)(?P<unit>\S.*)$")
IN_WORDS = re.compile(r"^(?P<name>.+?)\s+in\s+(?P<unit>\S.*)$", re.IGNORECASE)
RATIO = re.compile(r"^(?P<name>.+?)[_ ](?P<over>[A-Za-z]{1,3})[_ ](?:per[_ ])?(?P<under>hr|h|s|min|sec)$")
DEGREES = re.compile(r"^(?P<name>.*(?:temp|\bt|_t|oil|water|coolant|air)\w*)[_ ](?P<unit>[cfCF])$", re.IGNORECASE)
LOOKED_AT = 400  # lines from the top


@dataclass(frozen=True)
class TableLayout:
    """Row indices from 0. Without heads, `names` are "column 1" and so on."""

    names: Sequence[str]
    units: Sequence[str]
    first_row: int
    has_heads: bool


def kind_of(cell: str) -> str:
    """number, clock, empty or text."""
    cell = cell.strip()
    if cell in EMPTY:
        return "empty"
    if NUMBER.match(cell):
        return "number"
    return "clock" if CLOCK.match(cell) else "text"


def find(rows: Sequence[Sequence[str]]) -> TableLayout:
    """The table in the first rows of a file. FileProblem where there is none."""
    kinds: list[list[str]] = []
    widths: list[int] = []

    def look(upto: int) -> None:
        for row in rows[len(kinds) : upto]:
            kinds.append([kind_of(cell) for cell in row])
            widths.append(_width(kinds[-1]))

    for first in range(len(rows)):
        look(first + 6)
        row = kinds[first]
        numbers = sum(kind in ("number", "clock") for kind in row)
        if numbers < 2 or numbers < 0.5 * widths[first]:
            continue
        following = [at for at in range(first, min(first + 6, len(rows))) if widths[at]]
        alike = [at for at in following if "number" in kinds[at] and abs(widths[at] - widths[first]) <= 2]
        if len(alike) >= min(3, len(rows) - first) and len(alike) > len(following) / 2:
            look(first + 20)
            return _with_heads(rows, kinds, widths, first)
    raise FileProblem(
        "no table of numbers was found: it needs rows of at least two numbers, with the heads in the row above"
    )


def _width(kinds: Sequence[str]) -> int:
    """Cells up to the last that is not empty."""
    return max((at + 1 for at, kind in enumerate(kinds) if kind != "empty"), default=0)


def _with_heads(
    rows: Sequence[Sequence[str]], kinds: Sequence[Sequence[str]], widths: Sequence[int], first: int
) -> TableLayout:
    width = max(len(row) for row in rows[first : first + 20])
    above = [at for at in range(first - 1, max(-1, first - 6), -1) if widths[at]][:3]
    heads = [at for at in above if kinds[at].count("text") >= 0.5 * widths[at] and widths[at] >= 0.5 * width]
    units = [""] * width
    if len(heads) >= 2 and heads[0] == heads[1] + 1 and _are_units(rows[heads[0]]):
        names_at, units_at = heads[1], heads[0]
        units = _padded(rows[units_at], width)
        units = [unit.strip().strip("[]()") for unit in units]
    elif heads and heads[0] == above[0]:
        names_at = heads[0]
    else:
        return TableLayout([f"column {at + 1}" for at in range(width)], units, first, False)
    names = []
    lines = [_padded(rows[names_at], width)]
    if names_at - 1 in heads and _goes_on(rows[names_at - 1], rows[names_at]):
        lines.insert(0, _padded(rows[names_at - 1], width))
    for at, parts in enumerate(zip(*lines, strict=True)):
        head = " ".join(part for part in parts if part)
        name, unit = split_head(head)
        names.append(name or f"column {at + 1}")
        units[at] = units[at] or unit
    return TableLayout(_made_distinct(names), units, first, True)


def _goes_on(upper: Sequence[str], lower: Sequence[str]) -> bool:
    """Whether heads are written over two lines: words above most of the columns, none of them a whole head's twin."""
    both = sum(bool(one.strip()) and bool(other.strip()) for one, other in zip(upper, lower, strict=False))
    return both >= 0.5 * max(len(lower), 1) and [c.strip() for c in upper] != [c.strip() for c in lower]


def _padded(row: Sequence[str], width: int) -> list[str]:
    return [*(cell.strip() for cell in row[:width]), *[""] * (width - len(row))]


def _are_units(row: Sequence[str]) -> bool:
    cells = [cell.strip().strip("[]()") for cell in row if cell.strip()]
    known = sum(is_unit(cell) for cell in cells)
    return bool(cells) and known >= 0.5 * len(cells)


def is_unit(text: str) -> bool:
    if text.lower() in OTHER_UNITS:
        return True
    try:
        quantities.canonical(text)
    except ValueError:
        return False
    return bool(text)


# Units of a time base and of mixture that the core has no use for: factor to the unit that it has
OTHER_UNITS = {
    "ms": (1e-3, "s"),
    "sec": (1.0, "s"),
    "seconds": (1.0, "s"),
    "msec": (1e-3, "s"),
    "us": (1e-6, "s"),
    "krpm": (1e3, "rpm"),
    "u/min": (1.0, "rpm"),
    "r/min": (1.0, "rpm"),
    "min-1": (1.0, "rpm"),
    "knm": (1e3, "N·m"),
    "afr": (0.0, "lambda"),
    "newton metres": (1.0, "N·m"),
    "newton meters": (1.0, "N·m"),
    "foot pounds": (1.0, "lb-ft"),
    "pound feet": (1.0, "lb-ft"),
    "horsepower": (1.0, "hp"),
    "kilowatts": (1.0, "kW"),
    "rev/min": (1.0, "rpm"),
    "revs per minute": (1.0, "rpm"),
    "revolutions per minute": (1.0, "rpm"),
    "per minute": (1.0, "rpm"),
    "rpm x1000": (1e3, "rpm"),
    "x1000 rpm": (1e3, "rpm"),
    "1000 rpm": (1e3, "rpm"),
    "rpm/1000": (1e3, "rpm"),
    "1000/min": (1e3, "rpm"),
}


def split_head(head: str) -> tuple[str, str]:
    """Name and unit of a head; the unit only where it stands apart from the name or is one we know."""
    head = " ".join(head.split()).strip('"')
    if found := BRACKETED.match(head):
        return found["name"].strip(), found["unit"].strip()
    if (found := SEPARATED.match(head)) and is_unit(found["unit"].strip()):
        return found["name"].strip(), found["unit"].strip()
    if (found := IN_WORDS.match(head)) and is_unit(found["unit"].strip()):
        return found["name"].strip(), found["unit"].strip()
    if found := RATIO.match(head):  # fuel_lb_hr
        unit = f"{found['over']}/{found['under']}"
        if is_unit(unit):
            return found["name"].strip(), unit
    if found := DEGREES.match(head):  # oil_temp_c: a single letter, where the name says that it is a temperature
        return found["name"].strip(), f"°{found['unit'].upper()}"
    for divider in ("_", " "):
        name, parted, unit = head.rpartition(divider)
        # A single letter may be part of a name: only units of two letters and more are split off.
        if parted and len(unit) >= 2 and is_unit(unit) and not unit.isdigit() and unit.lower() != "rpm":
            return name.strip(), unit.strip()
    return head, ""


def _made_distinct(names: Sequence[str]) -> list[str]:
    """The second column of a name gets a number."""
    seen: dict[str, int] = {}
    told = []
    for name in names:
        seen[name] = seen.get(name, 0) + 1
        told.append(name if seen[name] == 1 else f"{name} ({seen[name]})")
    return told
