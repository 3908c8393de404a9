"""Tables of text: separator, decimal mark, encoding and heads are found, the numbers parsed in one call."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from torvix_core.units.checked import Array

from curves.files import tidy
from curves.files.dialect import Dialect, find_dialect, split
from curves.files.known_heads import KnownHeads
from curves.files.layout import EMPTY, LOOKED_AT, TableLayout, find, kind_of
from curves.files.table import FileColumn, FileProblem, FileTable, require_size

BLOCK = 1 << 20  # bytes parsed at a time, by as many threads as there are cores
LONGEST_LINE = 100_000
KIND_ROWS = 24  # by which a column is told to be numbers, times of day or text
LONGEST_CELL = 4  # lines that one quoted cell may go over, as heads do
UNIT_LINE = re.compile(
    r"^[#;,\s]*(?P<name>[A-Za-z ]{3,30}?)\s*(?:units?|in)?\s*[:=;,\t]+\s*\[?(?P<unit>[^\s,;\]]{1,12})\]?[\s,;]*$",
    re.IGNORECASE,
)
PREAMBLE = 30  # lines above the rows that are kept: a date may stand in them


@dataclass(frozen=True)
class _Written:
    """How the numbers under some heads are written: every column holds nothing else."""

    dialect: Dialect
    found: TableLayout
    kinds: Sequence[str]


KNOWN = KnownHeads[_Written]()


def read_text(content: bytes) -> FileTable:
    """All numeric columns of a text table. FileProblem with line and column where a cell is no number."""
    content = _with_whole_cells(_as_utf8(content))
    if b"\n" not in content:
        content = content.replace(b"\r", b"\n")  # lines of old machines
    lines = _first_lines(content)
    if (known := KNOWN.find(lines)) is not None:
        require_size(content.count(b"\n"), len(known.found.names))
        try:
            parsed = _parse(content, known.dialect, known.found, known.kinds)
            if all(values is not None and np.isfinite(values).any() for values in parsed):
                return _table(lines, known, parsed, [])
        except FileProblem:
            pass  # under the same heads it is another table: what is wrong with it is said by a look at the whole
    return _read_unknown(content, lines)


def _read_unknown(content: bytes, lines: Sequence[str]) -> FileTable:
    dialect, rows = find_dialect(lines)
    found = find(rows)
    sample = rows[found.first_row : found.first_row + KIND_ROWS]
    width = len(found.names)
    require_size(content.count(b"\n"), width)
    kinds = [_column_kind([row[at] if at < len(row) else "" for row in sample]) for at in range(width)]
    marked = [
        at for at in range(width) if kinds[at] == "text" and _has_marks([row[at] for row in sample if at < len(row)])
    ]
    for at in marked:
        kinds[at] = "number"
    if kinds.count("number") + kinds.count("clock") < 2:
        raise FileProblem("fewer than two columns of numbers were found")
    tidy_notes: list[str] = []
    try:
        if marked:
            raise NeedsTidying
        parsed = _parse(content, dialect, found, kinds)
    except (FileProblem, NeedsTidying) as problem:
        if len(content) > tidy.LARGEST:
            raise (
                problem
                if isinstance(problem, FileProblem)
                else FileProblem("it has marks for thousands: save it without them")
            ) from problem
        parsed, tidy_notes = _tidied(content, dialect, found, kinds, rows)
    written = _Written(dialect, found, kinds)
    if found.has_heads and not tidy_notes and set(kinds) <= {"number", "clock"}:
        KNOWN.remember(lines[: found.first_row], written)
    return _table(lines, written, parsed, tidy_notes)


def _table(
    lines: Sequence[str], written: _Written, parsed: Sequence[Array | None], tidy_notes: Sequence[str]
) -> FileTable:
    found = written.found
    columns = [
        FileColumn(name, unit or ("s" if kind == "clock" else ""), values)
        for name, unit, kind, values in zip(found.names, found.units, written.kinds, parsed, strict=True)
        if values is not None
    ]
    left = [name for name, values in zip(found.names, parsed, strict=True) if values is None]
    notes = [f"Left out, as they hold text: {', '.join(left)}."] if left else []
    notes += tidy_notes
    columns = _with_units_of(columns, lines[: found.first_row])
    preamble = [line for line in lines[: found.first_row] if line.strip()][:PREAMBLE]
    return FileTable("text", columns, found.first_row + 1, notes, preamble)


def _with_whole_cells(content: bytes) -> bytes:
    """Cells in quotes that go over some lines brought onto one; lines with a pair of quotes stay what they are."""
    if b'"' not in content or len(content) > tidy.LARGEST:
        return content
    after = content.find(b"\n", content.rfind(b'"'))
    if after >= 0:  # behind the last quote, mostly that of a head, every line is whole
        return _with_whole_cells_in(content[:after]) + content[after:]
    return _with_whole_cells_in(content)


def _with_whole_cells_in(content: bytes) -> bytes:
    lines, open_lines = [], list[bytes]()
    for line in content.split(b"\n"):
        odd = line.count(b'"') % 2
        if open_lines:
            open_lines.append(line)
            if odd or len(open_lines) > LONGEST_CELL:
                lines += [b" ".join(part.rstrip(b"\r") for part in open_lines)] if odd else open_lines
                open_lines = []
        elif odd:
            open_lines = [line]
        else:
            lines.append(line)
    return b"\n".join([*lines, *open_lines])


class NeedsTidying(Exception):
    """The numbers cannot be parsed in one go."""


def _has_marks(cells: Sequence[str]) -> bool:
    """Whether a column of what looks like text holds numbers with marks for thousands."""
    given = [cell for cell in cells if kind_of(cell) != "empty"]
    read = [tidy.number_of(cell) for cell in given]
    return bool(given) and sum(value is not None for value in read) >= 0.8 * len(given)


def _tidied(
    content: bytes, dialect: Dialect, found: TableLayout, kinds: Sequence[str], first_rows: Sequence[Sequence[str]]
) -> tuple[list[Array | None], list[str]]:
    """The same as `_parse` cell by cell, without what is no row of the table."""
    text = content[_offset(content, found.first_row) :].decode("utf-8", errors="replace")
    rows = split(text.split("\n"), dialect.separator)
    heads = first_rows[max(0, found.first_row - 3) : found.first_row]
    plain = ["number" if kind == "empty" else kind for kind in kinds]
    done = tidy.tidy(rows, heads, plain, found.names, dialect.decimal, found.first_row + 1)
    numeric = iter(done.values.T)
    parsed: list[Array | None] = [np.asarray(next(numeric)) if kind == "number" else None for kind in plain]
    return [values if values is not None and np.isfinite(values).any() else None for values in parsed], done.notes


def _with_units_of(columns: list[FileColumn], preamble: Sequence[str]) -> list[FileColumn]:
    """Columns without a unit take the one that a line above the table gives for them, as in "Torque unit: Nm"."""
    in_metadata = {
        found["name"].strip().lower(): found["unit"].strip() for line in preamble if (found := UNIT_LINE.match(line))
    }
    if not in_metadata:
        return columns
    return [
        replace(column, unit=next((unit for name, unit in in_metadata.items() if name in column.name.lower()), ""))
        if not column.unit else column
        for column in columns
    ]  # fmt: skip


def _as_utf8(content: bytes) -> bytes:
    """The text as UTF-8. What is neither UTF-8 nor UTF-16 is taken for the common western code page."""
    for mark, encoding in ((b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16"), (b"\xef\xbb\xbf", "utf-8-sig")):
        if content.startswith(mark):
            try:
                return content.decode(encoding).encode()
            except UnicodeDecodeError as error:
                raise FileProblem(f"the text breaks off or is damaged: {error.reason} at byte {error.start}") from error
    if b"\0" in content[:100_000]:
        raise FileProblem("it is no text: it holds zero bytes. Is it a file of another kind under this name?")
    if content.isascii():
        return content
    try:
        content.decode("utf-8")
        return content
    except UnicodeDecodeError:
        return content.decode("cp1252", errors="replace").encode()


def _first_lines(content: bytes) -> list[str]:
    head, at = content[: LOOKED_AT * 2_000], -1
    for _ in range(LOOKED_AT):
        at = head.find(b"\n", at + 1)
        if at < 0:
            break
    else:
        head = head[: at + 1]
    # By line feeds alone, as the parser counts them: a form feed in a preamble ends no line.
    lines = [line.rstrip("\r") for line in head.decode("utf-8", errors="replace").split("\n")]
    if len(head) < len(content) and not head.endswith(b"\n"):
        lines = lines[:-1]  # it may be cut off
    lines = lines[:LOOKED_AT]
    if not any(line.strip() for line in lines):
        raise FileProblem("it is empty" if not content.strip() else "its first line is too long for a table")
    if max(map(len, lines)) > LONGEST_LINE:
        raise FileProblem(f"a line of it is longer than {LONGEST_LINE} characters: it is no table")
    return lines


def _column_kind(cells: Sequence[str]) -> str:
    kinds = [kind for kind in map(kind_of, cells) if kind != "empty"]
    if not kinds:
        return "empty"
    for kind in ("number", "clock"):
        if kinds.count(kind) >= 0.5 * len(kinds):
            return kind
    return "text"


def _parse(content: bytes, dialect: Dialect, found: TableLayout, kinds: Sequence[str]) -> list[Array | None]:
    """Every column that holds numbers or clock times; None for the others."""
    import pyarrow as pa
    from pyarrow import csv as arrow

    body = content[_offset(content, found.first_row) :]
    if dialect.separator == " ":
        body = b"\n".join(b" ".join(line.split()) for line in body.splitlines())
    names = [str(at) for at in range(len(found.names))]
    types = {name: pa.float64() if kind == "number" else pa.string() for name, kind in zip(names, kinds, strict=True)}
    ragged: list[tuple[int, int]] = []

    def wrong_width(row: object) -> str:
        ragged.append((getattr(row, "number", 0) or 0, getattr(row, "actual_columns", 0)))
        return "skip" if not str(getattr(row, "text", "")).strip(" ,;\t|") else "error"

    try:
        table = arrow.read_csv(
            pa.BufferReader(body),
            read_options=arrow.ReadOptions(column_names=names, block_size=BLOCK, use_threads=True),
            parse_options=arrow.ParseOptions(delimiter=dialect.separator, invalid_row_handler=wrong_width),
            convert_options=arrow.ConvertOptions(
                column_types=types, decimal_point=dialect.decimal, null_values=sorted(EMPTY), strings_can_be_null=True,
                check_utf8=False,
            ),
        )  # fmt: skip
    except pa.ArrowInvalid as error:
        raise _where(content, dialect, found, kinds, str(error)) from error
    if table.num_rows == 0:
        raise FileProblem("no row of numbers follows the heads")
    parsed: list[Array | None] = []
    for at, kind in enumerate(kinds):
        if kind == "number":
            parsed.append(np.asarray(table.column(at).to_numpy(), dtype=np.float64))
        elif kind == "clock":
            parsed.append(_clock(table.column(at).to_pylist(), found.names[at], found.first_row))
        elif kind == "empty":
            parsed.append(_late(table.column(at).to_pylist(), dialect.decimal))
        else:
            parsed.append(None)
    return parsed


def _late(cells: Sequence[str | None], decimal: str) -> Array | None:
    """A column that begins empty: numbers, if all that comes later are; None where nothing comes, or words."""
    if not any(cells) or not all(cell is None or _is_number(cell, decimal) for cell in cells):
        return None
    return np.array(
        [np.nan if cell is None or cell.strip() in EMPTY else float(cell.replace(",", ".")) for cell in cells]
    )


def _offset(content: bytes, lines: int) -> int:
    """Where the line of this index begins."""
    at = 0
    for _ in range(lines):
        at = content.index(b"\n", at) + 1
    return at


def _clock(cells: Sequence[str | None], name: str, first_row: int) -> Array:
    """Seconds of clock times, from their first; past midnight they go on."""
    seconds = np.empty(len(cells))
    for at, cell in enumerate(cells):
        if cell is None:
            seconds[at] = np.nan
            continue
        if kind_of(cell) != "clock":
            raise FileProblem(f"{cell!r} is no time of day", line=first_row + at + 1, column=name)
        total = 0.0
        for part in cell.strip().replace(",", ".").split(":"):
            total = total * 60 + float(part)
        seconds[at] = total
    seconds -= seconds[0]
    return np.where(seconds < -43_200, seconds + 86_400, seconds)


def _where(content: bytes, dialect: Dialect, found: TableLayout, kinds: Sequence[str], told: str) -> FileProblem:
    """The first cell that is no number, or the first row of another width, for a parse that has failed."""
    body = content[_offset(content, found.first_row) :].decode("utf-8", errors="replace")
    rows = (
        (line.split() for line in io.StringIO(body))
        if dialect.separator == " "
        else csv.reader(io.StringIO(body), delimiter=dialect.separator)
    )
    try:
        for number, row in enumerate(rows, start=found.first_row + 1):
            if not any(cell.strip() for cell in row):
                continue
            if len(row) != len(kinds):
                return FileProblem(
                    f"it has {len(row)} cells where the rows before have {len(kinds)}. The file may be cut off, or "
                    "a decimal comma may stand between two cells",
                    line=number,
                )
            for name, kind, cell in zip(found.names, kinds, row, strict=True):
                if kind == "number" and not _is_number(cell, dialect.decimal):
                    return FileProblem(f"{cell.strip()[:40]!r} is no number", line=number, column=name)
    except csv.Error as error:
        return FileProblem(f"it is no table of text: {error}")
    return FileProblem(f"the numbers cannot be read: {told[:160]}")


def _is_number(cell: str, decimal: str) -> bool:
    cell = cell.strip()
    if cell in EMPTY:
        return True
    try:
        float(cell.replace(",", ".") if decimal == "," else cell)
    except ValueError:
        return False
    return decimal == "," or "," not in cell
