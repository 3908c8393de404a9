"""Figures as they are read off paper, letter by letter: which of several readings a cell has, and how sure."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence

FIGURE = re.compile(r"^\d{1,5}(\.\d{1,3})?$")
LEAST_CONFIDENCE = 0.25  # of an attempt that read a figure: the reader is too modest of short ones [prac]
FEW = 0.15  # of the cells, whose points say that the others lost theirs [prac]
INSERTED = 0.5  # of the weight of a reading, where the column says that its point was not seen
OTHER_FORM = 0.3  # of it, where a reading has more or fewer decimals than the column
ALIKE = {"0": "8", "1": "7", "3": "8", "5": "6", "6": "58", "7": "1", "8": "0369", "9": "8"}  # in bad print [prac]

Readings = Mapping[str, float]  # what a cell may say, and the share of the readings that says so, at most 1 together


def tidy(text: str) -> str:
    """A reading as a figure with a point, or "" where it is none.

    Shapes: one text.
    Units:  none.
    Errors: none.
    Source: common practice: a comma is a decimal point but before three digits of a figure that goes on.
    >>> tidy("135,,3"), tidy("1,204.5"), tidy("12.x"), tidy("524.")
    ('135.3', '1204.5', '', '524')
    """
    text = re.sub(r"[,.]{2,}", ".", text.replace(" ", "")).strip(".,")
    if "," in text and "." in text:
        text = text.replace(",", "") if text.rindex(".") > text.rindex(",") else text.replace(".", "")
    text = text.replace(",", ".")
    return text if FIGURE.match(text) else ""


def readings(found: Iterable[tuple[str, float]]) -> dict[str, float]:
    """Shares of what several attempts at one cell read, by their confidence; what none could read is missing in them.

    Shapes: one (text, confidence) for each attempt.
    Units:  confidence and shares 0 to 1.
    Errors: none.
    Source: attempts at different sizes go wrong in different ways [prac].
    >>> readings([("12.5", 0.9), ("12.5", 0.9), ("125", 0.2), ("", 0.0)])
    {'12.5': 0.45, '125': 0.0625}
    """
    attempts = list(found)
    weights: dict[str, float] = {}
    for text, confidence in attempts:
        if figure := tidy(text):
            weights[figure] = weights.get(figure, 0.0) + max(confidence, LEAST_CONFIDENCE) / len(attempts)
    return dict(sorted(weights.items(), key=lambda one: -one[1]))


def decimals(text: str) -> int:
    """How many digits stand behind the point.

    Shapes: one text.
    Units:  none.
    Errors: none.
    Source: none.
    >>> decimals("12.5"), decimals("125")
    (1, 0)
    """
    return len(text.partition(".")[2])


def whole(text: str) -> str:
    """A speed: print of engines parts thousands, never tenths of a revolution.

    Shapes: one text.
    Units:  rpm.
    Errors: none.
    Source: common practice.
    >>> whole("5.200"), whole("5200.0"), whole("5200")
    ('5200', '5200', '5200')
    """
    before, _, after = text.partition(".")
    if len(after) == 3:
        return before + after
    return before


def usual_decimals(column: Sequence[Readings]) -> int:
    """How many decimals a column is printed with: what most cells have, or fewer cells where the rest are ten or a
    hundred times as large as these and have lost their points.

    Shapes: a column of readings.
    Units:  digits.
    Errors: none.
    Source: a printed column has one form, and figures of one size [prac].
    >>> usual_decimals([{"174.9": 0.9}, {"1830": 0.9}, {"1903": 0.9}, {"198.5": 0.9}, {"2071": 0.9}])
    1
    """
    best = [max(cell, key=lambda text: cell[text]) for cell in column if cell]
    if not best:
        return 0
    votes = Counter(map(decimals, best))
    usual = votes.most_common(1)[0][0]
    plain = sorted(float(text) for text in best if decimals(text) == 0)
    for places, times in votes.items():
        pointed = sorted(float(text) for text in best if decimals(text) == places)
        if usual == 0 and places and times >= FEW * len(best):
            larger = plain[len(plain) // 2] / max(pointed[len(pointed) // 2], 1e-9)
            if 0.5 < larger / 10**places < 2:
                return places
    return usual


def of_one_form(column: Sequence[Readings]) -> list[dict[str, float]]:
    """A column's readings, weighed by the decimals that most of its cells have; a point that was not seen is set.

    Shapes: a column of readings, the same as result.
    Units:  shares.
    Errors: none.
    Source: a printed column has one form [prac].
    >>> of_one_form([{"12.5": 0.9}, {"13.1": 0.9}, {"128": 0.9}])[2]
    {'128': 0.27, '12.8': 0.45}
    """
    usual = usual_decimals(column)
    weighed = []
    for cell in column:
        mine: dict[str, float] = {}
        for text, weight in cell.items():
            like = decimals(text) == usual
            mine[text] = mine.get(text, 0.0) + weight * (1.0 if like else OTHER_FORM)
            if usual and not like and "." not in text and len(text) > usual:
                pointed = f"{text[:-usual]}.{text[-usual:]}"
                mine[pointed] = mine.get(pointed, 0.0) + weight * INSERTED
        weighed.append(mine)
    return weighed


def look_alikes(text: str) -> list[str]:
    """What a figure was, if one of its digits was taken for another that looks like it in bad print.

    Shapes: one text.
    Units:  none.
    Errors: none.
    Source: common practice.
    >>> look_alikes("176")
    ['776', '116', '175', '178']
    """
    return [text[:at] + other + text[at + 1 :] for at, digit in enumerate(text) for other in ALIKE.get(digit, "")]
