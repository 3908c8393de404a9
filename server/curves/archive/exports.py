"""What leaves as a file: the raw samples of a pull, and the reduced curves of a programme in one table."""

from __future__ import annotations

import re
from collections.abc import Mapping

import numpy as np
from torvix_core.air.standards import DEFINITIONS, Standard
from torvix_core.units import quantities

from curves.files.write import TableSheet, csv_bytes, mdf_bytes, parquet_bytes, sheet_csv, sheet_xlsx
from curves.reduction.correct import corrected, pulls_of
from curves.reduction.nature import WORDS, head_of, nature_of
from programmes.models import Programme
from programmes.settings import tune_sizes
from programmes.settings.tune_words import tune_words
from shop.refusals import Invalid, Refusal
from stand.models import Pull, Standing
from stand.pulls.samples import read_raw

RAW_TYPES = {
    "csv": "text/csv; charset=utf-8", "mf4": "application/x-mdf", "parquet": "application/vnd.apache.parquet",
}  # fmt: skip
SHEET_TYPES = {
    "csv": "text/csv; charset=utf-8", "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
}  # fmt: skip


def raw_file(pull: Pull, kind: str) -> bytes:
    """The samples in the units in which they came, to the last digit. Refusal where there are none."""
    if kind not in RAW_TYPES:
        raise Invalid("There is no such kind of file.", fields={"kind": f"one of {', '.join(RAW_TYPES)}"})
    raw = read_raw(pull)
    if not raw:
        raise Refusal(f"{pull} holds no samples.", code="no_samples")
    if kind == "csv":
        return csv_bytes(raw)
    if kind == "parquet":
        return parquet_bytes(raw, WORDS[nature_of(pull)])
    if "time" not in raw:
        raise Refusal(f"{pull} holds figures without a time: take them as CSV or Parquet.", code="no_samples")
    nature = WORDS[nature_of(pull)]
    return mdf_bytes(raw, f"{pull}, {nature}, setup {pull.setup}, {pull.session.programme.question}")


def curves_file(programme: Programme, standard: Standard, units: Mapping[str, str], kind: str) -> bytes:
    """Every pull's curve under a standard: a row for each 100 rpm, a column of torque and of power for each pull."""
    if kind not in SHEET_TYPES:
        raise Invalid("There is no such kind of file.", fields={"kind": f"one of {', '.join(SHEET_TYPES)}"})
    sheet = curves_sheet(programme, standard, units)
    return sheet_csv(sheet) if kind == "csv" else sheet_xlsx(sheet)


def curves_sheet(programme: Programme, standard: Standard, units: Mapping[str, str]) -> TableSheet:
    """The table, and the lines that say what it is."""
    sizes = tune_sizes.tables(units)
    found, about = [], [
        programme.question,
        f"Standard: {DEFINITIONS[standard].label}. Torque in {units['torque']}, power in {units['power']}.",
        "A row for each 100 rpm; a cell is empty where the pull has too few samples.",
    ]  # fmt: skip
    for pull in pulls_of(programme):
        try:
            found.append(corrected(pull, standard))
        except Refusal as refusal:
            about.append(f"Not in the table: {refusal}")
            continue
        standing = f", excluded: {pull.excluded_reason}" if pull.standing == Standing.EXCLUDED else ""
        tune = "; ".join(tune_words(pull.settings_in_force, sizes))
        about.append(f"Pull {pull.number}, setup {pull.setup}, {WORDS[nature_of(pull)]}, factor "
                     f"{found[-1].factor:.4f}{standing}.{f' Tune: {tune}.' if tune else ''}")  # fmt: skip
    if not found:
        raise Refusal("No pull of this test gave a curve under this standard.", code="no_curve")
    grid = np.unique(np.concatenate([one.speed_rpm for one in found]))
    heads, columns = ["rpm"], [list(grid)]
    for one in found:
        name = head_of(f"pull {one.pull.number} {one.pull.setup.letter}", nature_of(one.pull))
        for quantity, values in (("torque", one.torque), ("power", one.power)):
            heads.append(f"{name} {quantity} [{units[quantity]}]")
            shown = dict(zip(one.speed_rpm, quantities.from_si(values, units[quantity]), strict=True))
            columns.append([shown.get(speed) for speed in grid])
    rows = [[None if cell is None else float(cell) for cell in row] for row in zip(*columns, strict=True)]
    return TableSheet("Curves", about, heads, rows)


def file_name(*parts: object) -> str:
    """A plain name for a file, of the words given."""
    return re.sub(r"[^A-Za-z0-9]+", "-", " ".join(map(str, parts))).strip("-").lower()[:80] or "torvix"
