"""What a person types into a line of a sheet, to what is kept of it; and what is kept, to how it is shown."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from torvix_core.engine.dimensions import Dimension, Measure
from torvix_core.units import quantities
from torvix_core.units.quantity_parser import NotUnderstood, read_count, read_quantity

from engines.models import Reading
from shop.refusals import Invalid
from shop.units import unit_for

LONGEST_WORDS = 200


@dataclass(frozen=True)
class DimensionValue:
    """One value as the database keeps it: a number in SI with the text it came from, or words."""

    value: float | None
    words: str
    typed: str
    unit: str

    @property
    def content(self) -> float | str:
        return self.words if self.value is None else self.value


def read_entry(dimension: Dimension, text: str, units: Mapping[str, str]) -> DimensionValue:
    """What was typed for a dimension. NotUnderstood says what is wrong with it."""
    plain = text.strip()
    if dimension.measure == Measure.CHOICE:
        if plain not in dict(dimension.choices):
            raise NotUnderstood(f"Choose one of {', '.join(label for _, label in dimension.choices)}.")
        return DimensionValue(None, plain, "", "")
    if dimension.measure == Measure.WORDS:
        if not plain:
            raise NotUnderstood("Write a few words.")
        if "\x00" in plain:
            raise NotUnderstood("The text holds a character that cannot be kept.")
        if len(plain) > LONGEST_WORDS:
            raise NotUnderstood(f"{len(plain)} characters, {LONGEST_WORDS} fit: shorten it.")
        return DimensionValue(None, plain, "", "")
    if dimension.measure == Measure.COUNT:
        count = read_count(plain, int(dimension.low), int(dimension.high))
        return DimensionValue(float(count), "", str(count), "")
    unit = unit_for(dimension.figure, dimension.unit, units)
    typed = read_quantity(plain, dimension.measure, unit, dimension.low, dimension.high)
    return DimensionValue(typed.value, "", typed.text, typed.unit)


def read_entries(
    dimensions: Mapping[str, Dimension], texts: Mapping[str, str], units: Mapping[str, str]
) -> tuple[dict[str, DimensionValue], dict[str, str]]:
    """Everything typed: what was understood, and by dimension what was not. Unknown dimensions are not understood."""
    entries, wrong = {}, {}
    for key, text in texts.items():
        if key not in dimensions:
            wrong[key] = "There is no such line."
            continue
        try:
            entries[key] = read_entry(dimensions[key], text, units)
        except NotUnderstood as reason:
            wrong[key] = str(reason)
    return entries, wrong


def refuse_wrong(wrong: Mapping[str, str]) -> None:
    """Stop here if anything typed was not understood, with a message for each field."""
    if wrong:
        raise Invalid("Some of what was typed is not understood: see the fields.", fields=dict(wrong))


def text_of(reading: Reading | DimensionValue, dimension: Dimension, units: Mapping[str, str]) -> str:
    """A kept value as it stands in its field: as typed where the unit is the same, else converted."""
    if reading.value is None:
        return reading.words
    if dimension.measure == Measure.COUNT:
        return f"{reading.value:.0f}"
    unit = unit_for(dimension.figure, dimension.unit, units)
    if reading.unit == unit and reading.typed:
        return reading.typed
    return f"{float(quantities.from_si(reading.value, unit)):.6g}"


def show(units: Mapping[str, str], dimension: Dimension, value: float | str) -> str:
    """A value in a sentence, in the person's unit."""
    if isinstance(value, str):
        return dict(dimension.choices).get(value, value)
    if dimension.measure == Measure.COUNT:
        return f"{value:.0f}"
    return quantities.words(value, unit_for(dimension.figure, dimension.unit, units))
