"""Any file that is understood, by what it holds and not by its name."""

from __future__ import annotations

from curves.files.binary import read_mdf, read_parquet, read_xlsx
from curves.files.table import LARGEST_FILE, FileProblem, FileTable
from curves.files.text import read_text


def read_table(content: bytes) -> FileTable:
    """The columns of a file. FileProblem says where and why it cannot be read."""
    if len(content) > LARGEST_FILE:
        raise FileProblem(f"it is {len(content) / 1e6:.0f} MB; at most {LARGEST_FILE / 1e6:.0f} MB are read")
    if not content:
        raise FileProblem("it is empty")
    if content[:3] == b"MDF":
        return read_mdf(content)
    if content[:4] == b"PAR1":
        return read_parquet(content)
    if content[:4] == b"PK\x03\x04":
        return read_xlsx(content)
    if content[:8] == b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1":
        raise FileProblem("it is a workbook of the old binary kind. Save it as XLSX or CSV")
    return read_text(content)
