"""Rows of a table as careful people read them: marks for thousands, page heads that come again, sums at the end."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from torvix_core.units.checked import Array
from torvix_core.units.grammar import counted, plural

from curves.files.layout import EMPTY, THOUSANDS
from curves.files.table import FileProblem

LARGEST = 40_000_000  # bytes that are read cell by cell
SUMMARY = re.compile(
    r"(max\w*|min(imum)?|avg|average|mean|mittel\w*|peak|total|sum|summe|summary|result|end of|ende|std|dev)\b",
    re.IGNORECASE,
)
WHOLE_THOUSANDS = re.compile(r"[-+]?\d{1,3}([.,' \u2009\u202f\u00a0]\d{3})+$")
MARKS = "' \u2009\u202f\u00a0"  # that never are a decimal mark


@dataclass
class TidyRows:
    """Numbers (rows, columns), NaN where a cell was empty, and what was left out, in words."""

    values: Array
    notes: list[str] = field(default_factory=list)


def number_of(cell: str, decimal: str = ".") -> float | None:
    """The number of a cell, with marks for thousands or without; NaN where it is empty, None where it is no number."""
    plain = cell.strip().strip('"').strip()
    if plain in EMPTY:
        return float("nan")
    if THOUSANDS.match(plain) or WHOLE_THOUSANDS.match(plain):
        plain = _without_marks(plain, decimal)
    try:
        return float(plain.replace(",", ".") if decimal == "," else plain)
    except ValueError:
        return None


def _without_marks(plain: str, decimal: str) -> str:
    """Where two different marks stand, the last is the decimal one; a single one only where the file has it so."""
    for mark in MARKS:
        plain = plain.replace(mark, "")
    marks = [letter for letter in plain if letter in ".,"]
    if len(set(marks)) == 2:
        thousands = marks[0]
        return plain.replace(thousands, "").replace(",", ".") if decimal == "." else plain.replace(thousands, "")
    if len(marks) > 1 or (marks and marks[0] != decimal):
        return plain.replace(marks[0], "")
    return plain


def tidy(
    rows: Sequence[Sequence[str]], heads: Sequence[Sequence[str]], kinds: Sequence[str], names: Sequence[str],
    decimal: str, first_line: int,
) -> TidyRows:  # fmt: skip
    """The numbers of the rows below the heads. FileProblem where a cell in the middle of them is none."""
    numeric = [at for at, kind in enumerate(kinds) if kind == "number"]
    again = {_plain(head) for head in heads if any(cell.strip() for cell in head)}
    kept: list[list[float]] = []
    repeated, ended = 0, 0
    for offset, row in enumerate(rows):
        if not any(cell.strip() for cell in row):
            continue
        cells = [number_of(row[at], decimal) if at < len(row) else float("nan") for at in numeric]
        there = sum(value is not None and np.isfinite(value) for value in cells)
        words = there < 2 and next(cell.strip() for cell in row if cell.strip())[:1].isalpha()
        if _plain(row) in again or words or SUMMARY.match(row[0].strip()):
            if _more_follow(rows, offset, numeric, decimal):
                repeated += 1
            else:
                ended += 1
            continue
        if ended:
            ended += 1
            continue
        if (len(row) != len(names) and any(cell.strip() for cell in row[len(names) :])) or len(row) < len(names):
            raise FileProblem(
                f"it has {len(row)} cells where the rows before have {len(names)}. The file may be cut off, or "
                "a decimal comma may stand between two cells",
                line=first_line + offset,
            )
        wrong = next((at for at, value in zip(numeric, cells, strict=True) if value is None), None)
        if wrong is not None:
            cell = row[wrong].strip()[:40]
            raise FileProblem(f"{cell!r} is no number", line=first_line + offset, column=names[wrong])
        kept.append([float("nan") if value is None else value for value in cells])
    if not kept:
        raise FileProblem("no row of numbers follows the heads")
    notes = []
    if repeated:
        notes.append(
            f"{counted(repeated, 'line')} that {plural('is', repeated)} no row of the table, such as a "
            "head that comes again, left out."
        )
    if ended:
        notes.append(f"{counted(ended, 'line')} at the end left out: a summary, no samples.")
    return TidyRows(np.array(kept), notes)


def _plain(row: Sequence[str]) -> str:
    return "\t".join(cell.strip().strip('"').lower() for cell in row).rstrip("\t")


def _more_follow(rows: Sequence[Sequence[str]], offset: int, numeric: Sequence[int], decimal: str) -> bool:
    """Whether rows of numbers go on within a page of what was found."""
    count = 0
    for row in rows[offset + 1 : offset + 40]:
        if row and SUMMARY.match(row[0].strip()):
            continue
        cells = [number_of(row[at], decimal) for at in numeric if at < len(row)]
        count += sum(value is not None and np.isfinite(value) for value in cells) >= max(2, len(numeric) // 2)
        if count >= 3:
            return True
    return False
