"""What every reader makes of a file: named columns of numbers, and where in the file they stood."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from torvix_core.units.checked import Array

LARGEST_FILE = 200_000_000  # bytes
LARGEST_INSIDE = 1_000_000_000  # bytes, once unpacked
MOST_ROWS = 3_000_000
MOST_COLUMNS = 512
MOST_CELLS = 120_000_000
MOST_CELLS_OF_A_SHEET = 4_000_000  # cell by cell, so slower than the rest
LONGEST_S = 60.0  # of reading cell by cell


class FileProblem(Exception):
    """A file cannot be read. The message says where in it, what is wrong and what to do."""

    def __init__(self, message: str, *, line: int | None = None, column: str = "") -> None:
        place = ", ".join(
            part for part in (f"line {line}" if line else "", f"column {column}" if column else "") if part
        )
        super().__init__(f"{place}: {message}" if place else message)


@dataclass(frozen=True)
class FileColumn:
    """A column of numbers as it stood in the file; `unit` as it was written there, "" where nothing was."""

    name: str
    unit: str
    values: Array


@dataclass(frozen=True)
class FileTable:
    """All numeric columns of a file, of one length. NaN where a cell was empty."""

    kind: str
    columns: Sequence[FileColumn]
    first_line: int = 0  # of the file, where the rows begin; 0 where it has no lines
    notes: Sequence[str] = field(default_factory=list)  # what was left out or brought to another time base
    preamble: Sequence[str] = field(default_factory=list)  # lines above the heads, where it has any

    @property
    def rows(self) -> int:
        return len(self.columns[0].values) if self.columns else 0

    def part(self, begin: int, end: int) -> FileTable:
        """Some of its rows."""
        columns = [replace(column, values=column.values[begin:end]) for column in self.columns]
        return replace(self, columns=columns, first_line=self.first_line + begin if self.first_line else 0)


def require_size(rows: int, columns: int, most_cells: int = MOST_CELLS) -> None:
    """Refuse what would fill the memory, before it is read."""
    if columns > MOST_COLUMNS:
        raise FileProblem(f"it has {columns} columns; at most {MOST_COLUMNS} are read. Save the ones that matter")
    if rows > MOST_ROWS:
        raise FileProblem(f"it has {rows} rows; at most {MOST_ROWS} are read. Save each pull as a file of its own")
    if rows * columns > most_cells:
        raise FileProblem(f"it has {rows * columns} cells; at most {most_cells} are read")
