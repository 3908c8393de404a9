"""How a table of text is written: what separates its cells, and what its decimals."""

from __future__ import annotations

import csv
from collections.abc import Sequence
from dataclasses import dataclass

from curves.files import tidy
from curves.files.layout import kind_of
from curves.files.table import FileProblem

SEPARATORS = ";", "\t", ",", "|"
SCORED = 30  # lines by which separators are held against each other


@dataclass(frozen=True)
class Dialect:
    separator: str  # " " stands for any run of blanks
    decimal: str


def find_dialect(lines: Sequence[str]) -> tuple[Dialect, list[list[str]]]:
    """The separator under which most lines become rows of numbers, and the decimal mark that goes with it."""
    best: tuple[float, Dialect] | None = None
    last = lines[-SCORED:]
    for separator in (*SEPARATORS, " "):
        if separator != " " and sum(separator in line for line in last) < 0.5 * len(last):
            continue
        rows = [row for row in split(last, separator) if row]
        kinds = [[kind_of(cell) for cell in row] for row in rows]
        numbers = [
            cell.strip()
            for row, of_row in zip(rows, kinds, strict=True)
            for cell, kind in zip(row, of_row, strict=True)
            if kind == "number"
        ]
        with_comma = [cell for cell in numbers if "," in cell]
        # A comma before three digits beside points that stand for decimals marks thousands.
        marks = any("." in cell for cell in numbers) and all(tidy.WHOLE_THOUSANDS.match(cell) for cell in with_comma)
        decimal = "," if separator != "," and with_comma and not marks else "."
        # A channel that drops out leaves cells empty in the middle of a good table: that speaks against it but little.
        numeric = sum(1 - (row.count("text") + 0.2 * row.count("empty")) / len(row) for row in kinds if len(row) > 1)
        widths = {len(row) for row in rows}
        score = numeric - 0.5 * (len(widths) - 1) + (0.2 if separator != " " else 0.0)
        if best is None or score > best[0]:
            best = score, Dialect(separator, decimal)
    if best is None or best[0] <= 0:
        raise FileProblem("no separator makes a table of it; use comma, semicolon, tab or blanks")
    return best[1], split(lines, best[1].separator)


def split(lines: Sequence[str], separator: str) -> list[list[str]]:
    if separator == " ":
        return [line.split() for line in lines]
    try:
        rows = list(csv.reader(lines, delimiter=separator))
    except csv.Error as error:
        raise FileProblem(f"it is no table of text: {error}") from error
    if len(rows) != len(lines):
        raise FileProblem("a cell in quotes goes over several lines, so its rows cannot be separated")
    return rows
