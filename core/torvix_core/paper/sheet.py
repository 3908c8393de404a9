"""A picture of a printed table, read: its cells with where they stand, and what is quoted beside them."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import cv2
import numpy as np
from torvix_core.paper import cells, characters, number_text, printed_columns
from torvix_core.paper.cells import Box, PageLayout
from torvix_core.paper.number_text import Readings
from torvix_core.paper.printed_columns import WORDS, PrintedColumns
from torvix_core.paper.straighten import Picture, straighten
from torvix_core.units.checked import Array

# Heights of digits at which each cell is read: print of some 25 pixels is what the reader knows best (measured).
ATTEMPTS_PX = (24, 28, 21, 31)
LEAST_ROWS = 3
WIDEST_PITCH = 2.6  # of the usual distance of two rows: one may be missing, a table may have gaps [prac]
MOST_CELLS = 2000
STEPS = len(ATTEMPTS_PX) + 2  # that `read` names one after the other
QUOTED = re.compile(r"(\d{2,4}(?:[.,]\d+)?)")

Progress = Callable[[str], None]  # may raise to stop


class NoTable(Exception):
    """No table is found on the picture; the message says what to do about it."""


@dataclass(frozen=True)
class QuotedPeaks:
    """What the sheet says of its peaks; None where it says nothing. In the units of the table."""

    torque: float | None = None
    torque_rpm: float | None = None
    power: float | None = None
    power_rpm: float | None = None


@dataclass(frozen=True)
class SheetReading:
    """The straightened picture, and each row's cells: a box, and what can be read in it."""

    page: Picture
    heads: Sequence[str]
    boxes: Sequence[Sequence[Box]]
    readings: Sequence[Sequence[Readings]]
    columns: PrintedColumns
    quoted: QuotedPeaks = field(default_factory=QuotedPeaks)

    def column(self, at: int) -> list[Readings]:
        return [row[at] for row in self.readings]


def read(picture: bytes, turned: int = 0, progress: Progress = lambda _: None) -> SheetReading:
    """Straighten a picture and read its table.

    Shapes: the bytes of a picture file; `turned` quarters clockwise that bring it upright.
    Units:  pixels of the straightened page.
    Errors: NoTable, with what to do; characters.NoReader if the machine lacks Tesseract.
    Source: each cell is read at four sizes; see `number_text` and `printed_columns`.
    >>> read(b"no picture")
    Traceback (most recent call last):
    ...
    torvix_core.paper.sheet.NoTable: This is no picture that can be read. Bring a JPEG or PNG file.
    """
    gray = cv2.imdecode(np.frombuffer(picture, np.uint8), cv2.IMREAD_GRAYSCALE) if picture else None
    if gray is None:
        raise NoTable("This is no picture that can be read. Bring a JPEG or PNG file.")
    progress("Straightening the picture")
    try:
        page = straighten(np.asarray(np.rot90(gray, -turned % 4), np.uint8))
        layout = cells.find(page)
    except ValueError as error:
        raise NoTable(f"No table is found: {error}. Take the picture closer and in even light.") from error
    rows = [(line, row) for line in layout.lines if (row := layout.row(line)) is not None]
    if len(rows) < LEAST_ROWS:
        raise NoTable(
            "No table is found: there are not three lines with figures under each other. "
            "Rotate the picture upright, or take it closer and in even light."
        )
    if len(rows) * len(layout.columns) > MOST_CELLS:
        raise NoTable(f"The table has more than {MOST_CELLS} cells. Take a picture of a part of it.")
    return _read(page, layout, rows, progress)


def _read(
    page: Picture, layout: PageLayout, rows: list[tuple[Sequence[Box], list[Box]]], progress: Progress
) -> SheetReading:
    boxes = [row for _, row in rows]
    pieces = [box.of(layout.print_only, layout.digit_px // 4) for row in boxes for box in row]
    attempts = []
    for at, height in enumerate(ATTEMPTS_PX, start=1):
        progress(f"Reading {len(pieces)} cells, attempt {at} of {len(ATTEMPTS_PX)}")
        attempts.append(characters.read(pieces, layout.digit_px, digits=True, height_px=height))
    wide = len(layout.columns)
    found = [
        number_text.readings([(one.text, one.confidence) for one in attempt]) for attempt in zip(*attempts, strict=True)
    ]
    readings = [found[at : at + wide] for at in range(0, len(found), wide)]
    # A line of heads stands under no other heads, and has words where figures should be.
    body = _together(boxes, [
        at for at, row in enumerate(readings) if sum(1 for cell in row if cell) >= max(2, wide - 1)
    ])  # fmt: skip
    if len(body) < LEAST_ROWS:
        raise NoTable(
            "The lines of a table are there, but no figures in them can be read. "
            "Rotate the picture upright, or take it again, closer."
        )
    progress("Reading the heads")
    others = [line for line in layout.lines if line not in [rows[at][0] for at in body]]
    lines = characters.read([_whole(line).of(layout.print_only, layout.digit_px // 4) for line in others],
                            layout.digit_px, digits=False, height_px=28)  # fmt: skip
    heads = _heads(layout, others, boxes[body[0]][0].top)
    figures = [_figures([readings[row][at] for row in body]) for at in range(wide)]
    columns = printed_columns.recognize(figures, heads)
    if columns.speed is not None:
        # Lines of text below a table can look like rows of it, but for their speed.
        while len(body) > LEAST_ROWS and not readings[body[-1]][columns.speed]:
            body = body[:-1]
    return SheetReading(
        page, heads, [boxes[at] for at in body], [readings[at] for at in body], columns,
        _quoted([line.text for line in lines]),
    )  # fmt: skip


def _whole(line: Sequence[Box]) -> Box:
    return Box(min(one.left for one in line), min(one.top for one in line), max(one.right for one in line),
               max(one.bottom for one in line))  # fmt: skip


def _together(boxes: Sequence[Sequence[Box]], rows: list[int]) -> list[int]:
    """The longest run of rows that stand one below the other as closely as rows do."""
    tops = np.array([boxes[row][0].top for row in rows])
    apart = np.diff(tops)
    if not len(apart):
        return rows
    breaks = np.flatnonzero(apart > WIDEST_PITCH * np.median(apart)) + 1
    return max((part.tolist() for part in np.split(np.array(rows), breaks)), key=len)


def _figures(column: Sequence[Readings]) -> Array:
    best = [max(cell, key=lambda one: cell[one]) if cell else "" for cell in number_text.of_one_form(column)]
    return np.array([float(text) if text else np.nan for text in best])


def _heads(layout: PageLayout, others: Sequence[Sequence[Box]], first: int) -> list[str]:
    """What stands above each column, two lines of it at most."""
    above = [line for line in others if 0 < first - min(box.top for box in line) < 5 * layout.digit_px][-2:]
    pieces, of = [], []
    for at, (left, right) in enumerate(layout.columns):
        for line in above:
            mine = [box for box in line if box.right > left and box.left < right]
            if mine:
                pieces.append(_whole(mine).of(layout.print_only, layout.digit_px // 4))
                of.append(at)
    texts = characters.read(pieces, layout.digit_px, digits=False, height_px=28)
    return [" ".join(text.text for text, mine in zip(texts, of, strict=True) if mine == at)
            for at in range(len(layout.columns))]  # fmt: skip


def _quoted(lines: Sequence[str]) -> QuotedPeaks:
    """Peaks that a line of text names: a word for torque or power, a figure, and a speed behind it if there is one."""
    found: dict[str, float] = {}
    for line in lines:
        which = [name for name in ("torque", "power") if WORDS[name].search(line)]
        figures = [float(one.replace(",", ".")) for one in QUOTED.findall(line)]
        if not which or not figures or not re.search(r"peak|max", line, re.I):
            continue
        name = min(which, key=lambda one: WORDS[one].search(line).start())  # type: ignore[union-attr]
        found[name] = figures[0]
        if len(figures) > 1 and figures[1] >= 300:
            found[f"{name}_rpm"] = figures[1]
    return QuotedPeaks(**found)
