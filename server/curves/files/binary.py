"""Measurement files that carry names and units with them: ASAM MDF, Parquet and XLSX."""

from __future__ import annotations

import io
import time
import zipfile
from typing import Any

import numpy as np

from curves.files.layout import find, split_head
from curves.files.table import (
    LARGEST_INSIDE,
    LONGEST_S,
    MOST_CELLS,
    MOST_CELLS_OF_A_SHEET,
    FileColumn,
    FileProblem,
    FileTable,
    require_size,
)
from curves.files.tidy import WHOLE_THOUSANDS, number_of

MOST_BLOWN_UP = 300  # times its packed size; a real sheet stays under a tenth of it


def read_mdf(content: bytes) -> FileTable:
    """Every numeric channel of an MDF file on the time base of the largest group."""
    import logging

    from asammdf import MDF

    # The library prints a fault of its own when it drops a file whose first block is not there.
    if len(content) < 228 or (content[8:9] == b"4" and content[64:68] != b"##HD"):
        raise FileProblem("the measurement file is damaged or cut off: its first block is not there")
    logging.getLogger("asammdf").setLevel(logging.CRITICAL)
    try:
        with MDF(io.BytesIO(content)) as mdf:
            return _channels(mdf)
    except FileProblem:
        raise
    except Exception as error:  # the library raises whatever a damaged file leads it to
        raise FileProblem(
            f"the measurement file is damaged or cut off ({type(error).__name__}: {error})"[:300]
        ) from error


def _channels(mdf: Any) -> FileTable:
    wanted: list[tuple[None, int, int]] = []
    masters = mdf.masters_db
    rows = [int(group.channel_group.cycles_nr) for group in mdf.groups]
    for group_at, group in enumerate(mdf.groups):
        wanted += [
            (None, group_at, at) for at in range(len(group.channels)) if at != masters.get(group_at) and rows[group_at]
        ]
    if not wanted:
        raise FileProblem("it holds no samples")
    require_size(max(rows), len(wanted))
    signals = mdf.select(wanted)
    usable = [
        (signal, place[1])
        for signal, place in zip(signals, wanted, strict=True)
        if signal.samples.ndim == 1 and signal.samples.dtype.kind in "fiub" and len(signal.timestamps)
    ]
    if not usable:
        raise FileProblem("it holds no channel of numbers")
    base_group = max({group for _, group in usable}, key=lambda group: rows[group])
    base = next(signal.timestamps for signal, group in usable if group == base_group)
    columns, moved = [FileColumn("time", "s", np.asarray(base, dtype=np.float64))], []
    for signal, _ in usable:
        values = np.asarray(signal.samples, dtype=np.float64)
        if signal.timestamps is not base and not np.array_equal(signal.timestamps, base):
            values = np.interp(base, signal.timestamps, values, left=np.nan, right=np.nan)
            moved.append(signal.name)
        columns.append(FileColumn(signal.name, signal.unit or "", values))
    notes = (
        [f"Brought to the time base of the fastest channels by straight lines: {', '.join(moved)}."] if moved else []
    )
    return FileTable("mdf", columns, 0, notes)


def read_parquet(content: bytes, most_cells: int = MOST_CELLS) -> FileTable:
    """Every numeric column; its unit from the field's metadata, else from its name."""
    import pyarrow as pa
    from pyarrow import parquet

    try:
        file = parquet.ParquetFile(pa.BufferReader(content))
        about = file.metadata
        require_size(about.num_rows, about.num_columns, most_cells)
        inside = sum(about.row_group(at).total_byte_size for at in range(about.num_row_groups))
        if inside > LARGEST_INSIDE:
            raise FileProblem(f"it unpacks to {inside / 1e6:.0f} MB; at most {LARGEST_INSIDE / 1e6:.0f} MB are read")
        table = file.read()
    except (pa.ArrowException, OSError, ValueError) as error:
        raise FileProblem(f"the Parquet file is damaged or cut off ({str(error)[:160]})") from error
    columns, left = [], []
    for field, values in zip(table.schema, table.columns, strict=True):
        if not (pa.types.is_floating(field.type) or pa.types.is_integer(field.type)):
            left.append(field.name)
            continue
        unit = (field.metadata or {}).get(b"unit", b"").decode("utf-8", "replace")
        name, in_name = (field.name, unit) if unit else split_head(field.name)
        columns.append(FileColumn(name, unit or in_name, np.asarray(values.to_numpy(), dtype=np.float64)))
    if len(columns) < 2 or not table.num_rows:
        raise FileProblem("fewer than two columns of numbers were found")
    return FileTable("parquet", columns, 0, [f"Left out, as they hold no numbers: {', '.join(left)}."] if left else [])


def read_xlsx(content: bytes) -> FileTable:
    """The first sheet that holds a table of numbers."""
    import openpyxl

    _require_harmless(content)
    try:
        book = openpyxl.load_workbook(io.BytesIO(content), read_only=True, data_only=False, keep_links=False)
    except Exception as error:
        raise FileProblem(f"the workbook is damaged or cut off ({type(error).__name__})") from error
    problem: FileProblem | None = None
    try:
        for sheet in book.worksheets:
            try:
                return _sheet(sheet)
            except FileProblem as found:
                problem = problem or found
            except Exception as error:
                raise FileProblem(f"the sheet {sheet.title!r} is damaged ({type(error).__name__})") from error
    finally:
        book.close()
    raise problem or FileProblem("the workbook has no sheet")


def _require_harmless(content: bytes) -> None:
    """Refuse a workbook that would fill the memory, or that defines entities, before anything unpacks it."""
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            entries = archive.infolist()
            inside = sum(entry.file_size for entry in entries)
            packed = max(1, sum(entry.compress_size for entry in entries))
            if len(entries) > 2000 or inside > LARGEST_INSIDE // 4 or inside > MOST_BLOWN_UP * packed:
                raise FileProblem(
                    f"it unpacks to {inside / 1e6:.0f} MB from {packed / 1e6:.1f}: it is not read, as it may be made "
                    "to fill the memory"
                )
            for entry in entries:
                if entry.filename.endswith((".xml", ".rels")):
                    with archive.open(entry) as part:
                        head = part.read(4096)
                    if b"<!DOCTYPE" in head or b"<!ENTITY" in head:
                        raise FileProblem("its XML defines entities of its own: it is not read")
    except (zipfile.BadZipFile, OSError, EOFError, NotImplementedError) as error:
        raise FileProblem(f"the workbook is damaged or cut off ({error})") from error


def _sheet(sheet: Any) -> FileTable:
    begun, cells = time.monotonic(), 0
    rows: list[list[object]] = []
    for row in sheet.iter_rows(values_only=True):
        rows.append(list(row))
        cells += len(row)
        if cells > MOST_CELLS_OF_A_SHEET or len(row) > 4 * 512:
            raise FileProblem(
                f"sheet {sheet.title!r} has more than {MOST_CELLS_OF_A_SHEET} cells; save it as CSV, which has no such "
                "limit"
            )
        if time.monotonic() - begun > LONGEST_S:
            raise FileProblem(f"sheet {sheet.title!r} takes longer than {LONGEST_S:.0f} s to read; save it as CSV")
    found = find([["" if cell is None else str(cell) for cell in row] for row in rows[:400]])
    require_size(len(rows), len(found.names))
    values = np.full((len(found.names), len(rows) - found.first_row), np.nan)
    text = [False] * len(found.names)
    for at, row in enumerate(rows[found.first_row :]):
        for column in range(min(len(row), len(found.names))):
            cell = row[column]
            if cell is None or isinstance(cell, bool):
                continue
            if isinstance(cell, int | float):
                values[column, at] = cell
            elif isinstance(cell, str) and cell.startswith("="):
                raise FileProblem(
                    "the cell holds a formula, and what it came to is not certain. Save the sheet with values alone",
                    line=found.first_row + at + 1, column=f"{_letter(column)} ({found.names[column]})",
                )  # fmt: skip
            elif isinstance(cell, str) and cell.strip():
                decimal = "," if "," in cell and "." not in cell and not WHOLE_THOUSANDS.match(cell.strip()) else "."
                read = number_of(cell, decimal)
                if read is not None:
                    values[column, at] = read
                    continue
                if np.isfinite(values[column]).any():
                    raise FileProblem(
                        f"{cell.strip()[:40]!r} is no number",
                        line=found.first_row + at + 1, column=f"{_letter(column)} ({found.names[column]})",
                    )  # fmt: skip
                text[column] = True
    kept = np.isfinite(values).any(axis=1) & ~np.array(text)
    filled = np.isfinite(values[kept]).any(axis=0)
    columns = [
        FileColumn(name, unit, row[filled])
        for name, unit, row, keep in zip(found.names, found.units, values, kept, strict=True)
        if keep
    ]
    if len(columns) < 2 or not filled.any():
        raise FileProblem("fewer than two columns of numbers were found")
    return FileTable("xlsx", columns, found.first_row + 1, [f"Sheet {sheet.title!r} was read."])


def _letter(column: int) -> str:
    letters = ""
    column += 1
    while column:
        column, rest = divmod(column - 1, 26)
        letters = chr(ord("A") + rest) + letters
    return letters
