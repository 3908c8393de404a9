"""Raw samples and reduced curves as files that other programs read: CSV, MDF4, Parquet, XLSX."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from torvix_core.units.checked import Array

Raw = Mapping[str, tuple[str, Array]]  # unit and samples by channel, time among them
RISKY = ("=", "+", "-", "@", "\t", "\r")  # a spreadsheet would take such a text for a formula


def harmless(text: str) -> str:
    """A text that no spreadsheet takes for a formula."""
    return f"'{text}" if text.startswith(RISKY) else text


def csv_bytes(raw: Raw) -> bytes:
    """A head of names with units in brackets, then a row for each sample; every digit that a float has."""
    import pyarrow as pa
    from pyarrow import csv

    names = [f"{name} [{unit}]" if unit else name for name, (unit, _) in raw.items()]
    columns = [pa.array(np.asarray(samples, dtype=np.float64), from_pandas=True) for _, samples in raw.values()]
    out = io.BytesIO()
    csv.write_csv(pa.table(columns, names=names), out, csv.WriteOptions(quoting_style="needed"))
    return out.getvalue()


def parquet_bytes(raw: Raw, nature: str) -> bytes:
    """A column for each channel, its unit in the metadata of the field; what the curve is made of in the file's own."""
    import pyarrow as pa
    from pyarrow import parquet

    fields = [pa.field(name, pa.float64(), metadata={"unit": unit}) for name, (unit, _) in raw.items()]
    arrays = [pa.array(np.asarray(samples, dtype=np.float64)) for _, samples in raw.values()]
    out = io.BytesIO()
    parquet.write_table(
        pa.Table.from_arrays(arrays, schema=pa.schema(fields, {"nature": nature})), out, compression="zstd"
    )
    return out.getvalue()


def mdf_bytes(raw: Raw, comment: str) -> bytes:
    """One group of MDF 4.10 on the time of the pull."""
    from asammdf import MDF, Signal

    time = raw["time"][1]
    signals = [
        Signal(samples=np.asarray(samples, dtype=np.float64), timestamps=time, name=name, unit=unit)
        for name, (unit, samples) in raw.items()
        if name != "time"
    ]
    out = io.BytesIO()
    with MDF(version="4.10") as mdf:
        mdf.append(signals, comment=comment)
        mdf.save(out, overwrite=True)
    return out.getvalue()


@dataclass(frozen=True)
class TableSheet:
    """Heads, rows of numbers (None where there is none), and lines that say what they are."""

    title: str
    about: Sequence[str]
    heads: Sequence[str]
    rows: Sequence[Sequence[float | str | None]]


def sheet_csv(sheet: TableSheet) -> bytes:
    """The table alone: what it is stands in its heads, so that any program reads it."""
    import csv

    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow([harmless(head) for head in sheet.heads])
    for row in sheet.rows:
        writer.writerow(
            [harmless(cell) if isinstance(cell, str) else "" if cell is None else repr(cell) for cell in row]
        )
    return out.getvalue().encode()


def _cell(cell: float | str | None) -> str:
    if isinstance(cell, str):
        return harmless(cell)
    return "" if cell is None else repr(cell)


def sheet_xlsx(sheet: TableSheet) -> bytes:
    """One sheet with the table, another that says what it is."""
    import openpyxl

    book = openpyxl.Workbook()
    table: Any = book.active
    table.title = sheet.title[:31]
    table.append([harmless(head) for head in sheet.heads])
    for row in sheet.rows:
        table.append([harmless(cell) if isinstance(cell, str) else cell for cell in row])
    table.freeze_panes = "B2"
    about = book.create_sheet("About")
    for line in sheet.about:
        about.append([harmless(line)])
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()
