"""Figures that somebody searches by, as they are typed: “runner length 10–14 in”, “boost > 1 bar”."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from torvix_core.units import quantities
from torvix_core.units.quantity_parser import NotUnderstood, read_quantity

NEAR = 0.005  # a single value finds what lies so close: sheets are rounded [prac]
MOST_WORDS = 5  # of a label
_NUMBER = r"[+-]?(?:\d+(?:\.\d*)?|\.\d+)"
_UNIT = r"(?:[^\W\d_][\w·/²³]*|[°%\"″'])"
_RANGE = re.compile(
    rf"({_NUMBER})\s*({_UNIT})?\s*(?:–|-|…|\.\.|\bto\b)\s*({_NUMBER})\s*({_UNIT})?(?!\w)", re.IGNORECASE
)
_BOUND = re.compile(
    r"(>=|<=|>|<|≥|≤|=|\babove\b|\bover\b|\bat least\b|\bbelow\b|\bunder\b|\bat most\b)"
    rf"\s*({_NUMBER})\s*({_UNIT})?(?!\w)",
    re.IGNORECASE,
)
_PLAIN = re.compile(rf"({_NUMBER})\s*({_UNIT})(?!\w)", re.IGNORECASE)
_LOWER, _UPPER = {">", ">=", "≥", "above", "over", "at least"}, {"<", "<=", "≤", "below", "under", "at most"}


@dataclass(frozen=True)
class SoughtFigure:
    """One line that can be searched by. `measure` and `unit` as `read_quantity` has them."""

    key: str
    label: str
    measure: str
    unit: str


@dataclass(frozen=True)
class SoughtValue:
    """By key the lowest and the highest value sought, SI, None for an open end; `words` as it is said again."""

    bounds: Mapping[str, tuple[float | None, float | None]]
    words: str


def take_values(text: str, figures: Sequence[SoughtFigure]) -> tuple[str, list[SoughtValue]]:
    """The text without the figures that it searches by, and those.

    A figure is named by words of its label just before a range, a bound, or a number with a unit; what names none stays
    in the text, so that “cam 235” is looked for as it stands.

    Shapes: one text; results in their order.
    Units:  those of the text, else each figure's own; bounds in SI.
    Errors: ValueError if a range does not rise.
    Source: house rule.
    >>> runner = SoughtFigure("runner_length", "Runner length", "length", "mm")
    >>> rest, (found,) = take_values("tunnel runner length 10–14 in", [runner])
    >>> rest, [round(end, 4) for end in found.bounds["runner_length"]], found.words
    ('tunnel', [0.254, 0.3556], 'runner length from 10 to 14 in')
    """
    for pattern in (_RANGE, _BOUND, _PLAIN):
        for found in pattern.finditer(text):
            sought = _read(text[: found.start()], found, figures)
            if sought is None:
                continue
            before, value = sought
            last = found.re.groups  # a word after the number that is no unit stays in the text
            end = found.end() if found[last] is None or _unit(found, last) else found.start(last)
            rest, more = take_values(f"{before} {text[end:]}", figures)
            return rest, [value, *more]
    return " ".join(text.split()), []


def _read(before: str, found: re.Match[str], figures: Sequence[SoughtFigure]) -> tuple[str, SoughtValue] | None:
    """What stands before the label, and the value; None where no label stands there."""
    words = before.split()
    for count in range(min(MOST_WORDS, len(words)), 0, -1):
        named = [word.casefold() for word in words[-count:]]
        meant = [figure for figure in figures if _names(named, figure.label)]
        bounds = {figure.key: ends for figure in meant if (ends := _ends(found, figure)) is not None}
        if bounds:
            return " ".join(words[:-count]), SoughtValue(bounds, f"{' '.join(words[-count:])} {_said(found)}")
    return None


def _unit(found: re.Match[str], group: int) -> str:
    """Empty where there is none, or a word that is no unit."""
    try:
        return quantities.canonical(found[group]) and found[group] if found[group] else ""
    except ValueError:
        return ""


def _names(words: Sequence[str], label: str) -> bool:
    return set(words) <= set(re.findall(r"[\w.]+", label.casefold()))


def _ends(found: re.Match[str], figure: SoughtFigure) -> tuple[float | None, float | None] | None:
    """Lowest and highest value sought of a figure, SI; None where it is not in such a unit."""

    def value(number: str, unit: str) -> float:
        return read_quantity(f"{number} {unit}".strip(), figure.measure, figure.unit).value

    try:
        if found.re is _RANGE:
            units = _unit(found, 2) or _unit(found, 4), _unit(found, 4) or _unit(found, 2)
            low, high = value(found[1], units[0]), value(found[3], units[1])
            if low > high:
                raise ValueError("write the lower value first")
            return low, high
        if found.re is _BOUND:
            end, sign = value(found[2], _unit(found, 3)), found[1].lower()
            return (end, None) if sign in _LOWER else (None, end) if sign in _UPPER else _near(end)
        unit = _unit(found, 2)
        return _near(value(found[1], unit)) if unit else None
    except NotUnderstood:
        return None


def _near(value: float) -> tuple[float, float]:
    return value - abs(value) * NEAR, value + abs(value) * NEAR


def _said(found: re.Match[str]) -> str:
    if found.re is _RANGE:
        own, last = _unit(found, 2), _unit(found, 4)
        first = f"{found[1]} {own}" if own and last and own != last else found[1]
        return f"from {first} to {found[3]} {last or own}".strip()
    if found.re is _BOUND:
        sign = found[1].lower()
        how = "above" if sign in _LOWER else "below" if sign in _UPPER else "about"
        return f"{how} {found[2]} {_unit(found, 3)}".strip()
    return f"about {found[1]} {found[2]}"
