"""A value as somebody typed it, with or without its unit, to SI. What is not understood is refused in words.

The text is kept beside the value, so that a figure shown in the unit in which it was typed is shown as it was typed.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

from torvix_core.units import quantities
from torvix_core.units.grammar import listed

LONGEST = 40  # characters; a number with its unit is shorter
NUMBER = re.compile(r"([+-]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?)\s*(.*)", re.DOTALL | re.ASCII)


class NotUnderstood(ValueError):
    """What was typed is not usable here; the message says what was understood and what to write."""


@dataclass(frozen=True)
class TypedQuantity:
    """`value` in SI; `unit` is the unit that was meant, `text` the number before it as it was typed."""

    value: float
    text: str
    unit: str

    @property
    def understood(self) -> str:
        return f"{self.text} {self.unit}".strip()


def read_quantity(text: str, measure: str, unit: str, low: float = -math.inf, high: float = math.inf) -> TypedQuantity:
    """The value somebody typed, in SI.

    Shapes: one text.
    Units:  the text's own unit, or `unit` where it names none; `low`, `high` and the result in SI.
    Errors: NotUnderstood if it is no number, has a decimal comma, a unit of something else, or lies outside.
    Source: pint's factors, by way of `quantities`.
    >>> round(read_quantity("1.5 in", "length", "mm").value, 6)
    0.0381
    """
    written, named = split(text)
    number, meant = float(written), unit
    if named:
        try:
            meant = quantities.canonical(named)
        except ValueError:
            raise NotUnderstood(
                f"“{named}” is not a unit known here. Write {_listed(quantities.units_of(measure))}."
            ) from None
        # A bare degree sign or C belongs to whatever is asked for; anything else must measure the same thing.
        if quantities.measures(meant) != measure:
            raise NotUnderstood(
                f"{number:g} {meant} is a {quantities.measures(meant)}; a {measure} is wanted here, "
                f"for example in {_listed(quantities.units_of(measure))}."
            )
    value = float(quantities.to_si(number, meant))
    if not math.isfinite(value):
        raise NotUnderstood("That number is too large to be meant.")
    if not low <= value <= high:
        raise NotUnderstood(_outside(number, meant, measure, low, high, guess=not named))
    return TypedQuantity(value, written, meant)


def read_count(text: str, low: int, high: int) -> int:
    """A whole number that somebody typed.

    Shapes: one text.
    Units:  none.
    Errors: NotUnderstood if it is not a whole number from `low` to `high`.
    Source: house rule.
    >>> read_count(" 6 ", 1, 16)
    6
    """
    written, named = split(text)
    number = float(written)
    if named or number != int(number):
        raise NotUnderstood(f"“{text.strip()}” is not a whole number.")
    if not low <= number <= high:
        raise NotUnderstood(f"Understood {number:.0f}; it lies between {low} and {high}.")
    return int(number)


def read_number(text: str, low: float, high: float) -> float:
    """A number that is stamped on something and has no unit, as somebody typed it.

    Shapes: one text.
    Units:  none.
    Errors: NotUnderstood if it is no number from `low` to `high`, or has words beside it.
    Source: house rule.
    >>> read_number(" 6.5 ", 1, 15)
    6.5
    """
    plain = text.strip()
    found = NUMBER.fullmatch(plain)
    if plain and "," not in plain and (not found or found[2].strip()):
        raise NotUnderstood(f"“{plain}” is not a number alone. Type the number that is stamped on it.")
    number = float(split(text)[0])
    if not low <= number <= high:
        raise NotUnderstood(f"Understood {number:g}; it lies between {low:g} and {high:g}.")
    return number


def split(text: str) -> tuple[str, str]:
    """Number and unit of a typed text, both as written; the unit is empty where there is none.

    Shapes: one text.
    Units:  as typed.
    Errors: NotUnderstood if there is no number, or a comma stands in it.
    Source: house rule.
    >>> split("29.92 inHg")
    ('29.92', 'inHg')
    """
    plain = text.strip().replace("−", "-").replace("\u00a0", " ")
    if not plain:
        raise NotUnderstood("Type a number.")
    if len(plain) > LONGEST:
        raise NotUnderstood(f"{len(plain)} characters are too long for a number with its unit.")
    if "," in plain:
        raise NotUnderstood(
            f"“{plain}” has a comma, which can mean two things. Write a point: {plain.replace(',', '.')}."
        )
    found = NUMBER.fullmatch(plain)
    if not found:
        raise NotUnderstood(f"“{plain}” is not a number. Write it like 38.1, with a unit if you like: 38.1 mm.")
    if not math.isfinite(float(found[1])):
        raise NotUnderstood("That number is too large to be meant.")
    return found[1], found[2].strip()


def _outside(number: float, unit: str, measure: str, low: float, high: float, *, guess: bool) -> str:
    """What was understood, where it must lie, and in which other unit the same number would fit."""
    told = f"Understood {number:.6g} {unit}; it lies {_window(low, high, unit)}."
    others = [
        other
        for other in quantities.units_of(measure)
        if other != unit and low <= float(quantities.to_si(number, other)) <= high
    ]
    if guess and others:
        told += f" If you meant {_listed([f'{number:.6g} {other}' for other in others[:2]])}, write the unit."
    return told


def _window(low: float, high: float, unit: str) -> str:
    shown_low, shown_high = (_short(float(quantities.from_si(end, unit))) for end in (low, high))
    if math.isinf(high):
        return f"at or above {shown_low} {unit}"
    return f"between {shown_low} and {shown_high} {unit}"


def _short(value: float) -> str:
    return f"{value:.4g}" if abs(value) < 10_000 else f"{value:.0f}"


def _listed(words: tuple[str, ...] | list[str]) -> str:
    return listed(words, last="or")
