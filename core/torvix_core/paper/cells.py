"""Where on a straightened sheet the cells of its table lie: lines of print, words in them, columns under each other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from torvix_core.paper.straighten import Picture

INK = 150  # of 255, below which a pixel is ink
LEAST_ROWS = 3
CLOSE_COLUMNS = 1.3  # of the height of a digit, between columns that are one [prac]


@dataclass(frozen=True)
class Box:
    """A rectangle in pixels of the straightened sheet; right and bottom are just outside."""

    left: int
    top: int
    right: int
    bottom: int

    def of(self, picture: Picture, margin: int = 0) -> Picture:
        height, width = picture.shape
        return picture[
            max(0, self.top - margin) : min(height, self.bottom + margin),
            max(0, self.left - margin) : min(width, self.right + margin),
        ]


@dataclass(frozen=True)
class PageLayout:
    """Lines of print as words from left to right; `columns` (left, right) of the table, if there is one."""

    digit_px: int
    lines: Sequence[Sequence[Box]]
    columns: Sequence[tuple[int, int]]
    print_only: Picture  # the sheet without the lines of a ruled table

    def row(self, line: Sequence[Box]) -> list[Box] | None:
        """A line's cells by the columns, a box of white where one has none; None if it is no row of the table."""
        top, foot = min(box.top for box in line), max(box.bottom for box in line)
        near = self.digit_px
        cells, filled = [], 0
        for left, right in self.columns:
            mine = [box for box in line if box.right > left - near / 2 and box.left < right + near / 2]
            low = min((box.left for box in mine), default=left)
            high = max((box.right for box in mine), default=right)
            # Figures stand under each other by their left, their right or their middle; text below does not.
            off = min(abs(low - left), abs(high - right), abs(low + high - left - right) / 2)
            if off > near or low < left - 4 * near or high > right + 4 * near:
                return None
            filled += bool(mine)
            cells.append(Box(low, top, high, foot))
        return cells if filled >= max(2, len(self.columns) - 1) else None


def find(sheet: Picture) -> PageLayout:
    """Lines, words and columns of a straightened sheet.

    Shapes: (height, width), black on white.
    Units:  pixels.
    Errors: ValueError if nothing on it is as large as print.
    Source: characters are ink that hangs together; words stand further apart than characters do [prac].
    >>> sheet = np.full((300, 400), 255, np.uint8)
    >>> for row in range(4):
    ...     for left in (40, 52, 200, 212, 224):
    ...         sheet[40 + 50 * row : 60 + 50 * row, left : left + 8] = 0
    >>> found = find(sheet)
    >>> found.columns, len(found.lines)
    ([(40, 60), (200, 232)], 4)
    """
    ink = np.asarray(sheet < INK, np.uint8)
    digit_px = _height_of_print(ink)
    rules = _rules(ink, digit_px)
    plain = sheet.copy()
    if rules.any():
        plain[cv2.dilate(rules, np.ones((3, 3), np.uint8)) > 0] = 255
    _, _, stats, _ = cv2.connectedComponentsWithStats(np.asarray(plain < INK, np.uint8), connectivity=8)
    boxes = stats[1:, :4].astype(int)
    areas = stats[1:, 4]
    wide, high = boxes[:, 2], boxes[:, 3]
    speck = np.maximum(wide, high) < 0.1 * digit_px
    blot = (high > 2.2 * digit_px) | (wide > 6 * digit_px) | (areas < 3)
    kept = boxes[~speck & ~blot]
    lines = [_words(line, digit_px) for line in _lines(kept, digit_px)]
    lines = [line for line in lines if line]
    return PageLayout(digit_px, lines, _columns(lines, digit_px), plain)


def _height_of_print(ink: Picture) -> int:
    _, _, stats, _ = cv2.connectedComponentsWithStats(ink, connectivity=8)
    wide, high = stats[1:, 2], stats[1:, 3]
    like = high[(high >= 7) & (high < 200) & (wide < 3 * high) & (wide > high / 12)]
    if len(like) < 6:
        raise ValueError("nothing on the picture is as large as print")
    # Digits are the most of a table, and all of one height: the fullest of the heights within a tenth.
    counts = [(np.sum(np.abs(like - height) <= max(1, height * 0.1)), height) for height in np.unique(like)]
    return int(max(counts)[1])


def _rules(ink: Picture, digit_px: int) -> Picture:
    """Lines of a ruled table: ink that runs on for longer than any stroke of a character."""
    across = cv2.morphologyEx(ink, cv2.MORPH_OPEN, np.ones((1, 3 * digit_px), np.uint8))
    down = cv2.morphologyEx(ink, cv2.MORPH_OPEN, np.ones((2 * digit_px, 1), np.uint8))
    return np.asarray(cv2.bitwise_or(across, down), np.uint8)


def _lines(boxes: np.ndarray, digit_px: int) -> list[np.ndarray]:
    """Characters by the line of print on which they stand; points and hyphens go to the line that spans them."""
    tall = boxes[boxes[:, 3] >= 0.55 * digit_px]
    small = boxes[boxes[:, 3] < 0.55 * digit_px]
    if not len(tall):
        return []
    tall = tall[np.argsort(tall[:, 1] + tall[:, 3] / 2)]
    middles = tall[:, 1] + tall[:, 3] / 2
    groups: list[list[int]] = [[0]]
    for at in range(1, len(tall)):
        if middles[at] - np.mean(middles[groups[-1][-12:]]) > 0.6 * digit_px:
            groups.append([])
        groups[-1].append(at)
    found = []
    for group in groups:
        members = tall[group]
        top, foot = np.median(members[:, 1]), np.median(members[:, 1] + members[:, 3])
        centers = small[:, 1] + small[:, 3] / 2
        inside = small[(centers > top - 0.1 * digit_px) & (centers < foot + 0.25 * digit_px)]
        near = [one for one in inside if _gap(one, members) < 0.8 * digit_px]
        found.append(np.vstack([members, *near]))
    return found


def _gap(one: np.ndarray, members: np.ndarray) -> float:
    """How far beside the nearest of the characters it stands."""
    left, right = members[:, 0], members[:, 0] + members[:, 2]
    return float(np.maximum(np.maximum(left - (one[0] + one[2]), one[0] - right), 0).min())


def _words(line: np.ndarray, digit_px: int) -> list[Box]:
    line = line[np.argsort(line[:, 0])]
    words: list[list[np.ndarray]] = []
    reach = -(10**9)
    for one in line:
        if one[0] - reach > 0.75 * digit_px:
            words.append([])
        words[-1].append(one)
        reach = max(reach, one[0] + one[2])
    boxes = []
    for word in words:
        members = np.array(word)
        if members[:, 3].max() < 0.55 * digit_px:
            continue
        left, top = members[:, 0].min(), members[:, 1].min()
        right, foot = (members[:, 0] + members[:, 2]).max(), (members[:, 1] + members[:, 3]).max()
        boxes.append(Box(int(left), int(top), int(right), int(foot)))
    return boxes


def _columns(lines: Sequence[Sequence[Box]], digit_px: int) -> list[tuple[int, int]]:
    """What the most lines of equally many words, two at least, have under each other."""
    counts = [len(line) for line in lines if len(line) >= 2]
    if not counts:
        return []
    numbers, times = np.unique(counts, return_counts=True)
    many = int(numbers[times.argmax()])
    like = [line for line in lines if len(line) == many]
    if len(like) < LEAST_ROWS:
        return []
    lefts = np.array([[box.left for box in line] for line in like])
    rights = np.array([[box.right for box in line] for line in like])
    # Heads may be wider than what stands below them, and a line of text may have as many words by chance.
    right, left = np.median(rights, axis=0), np.median(lefts, axis=0)
    fits = (np.minimum(abs(rights - right), abs(lefts - left)) < 1.5 * digit_px).all(axis=1)
    if fits.sum() < LEAST_ROWS:
        return []
    low, high = np.percentile(lefts[fits], 10, axis=0), np.percentile(rights[fits], 90, axis=0)
    columns: list[tuple[int, int]] = []
    for one, other in zip(low.astype(int).tolist(), high.astype(int).tolist(), strict=True):
        if columns and one - columns[-1][1] < CLOSE_COLUMNS * digit_px and other - one < 1.5 * digit_px:
            columns[-1] = columns[-1][0], other  # tenths whose points are too faint to be seen
        else:
            columns.append((one, other))
    return columns
