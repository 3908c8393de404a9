"""Values in the units a person has chosen: one place for everything but the channels of a stand."""

from __future__ import annotations

from collections.abc import Mapping

from torvix_core.units import quantities

from shop.schema import Schema


class Shown(Schema):
    """A figure as it is shown: the value in its unit, and how many decimals are worth showing."""

    value: float
    unit: str
    digits: int


def shown(si: float, unit: str, digits: int | None = None) -> Shown:
    return Shown(
        value=float(quantities.from_si(si, unit)),
        unit=unit,
        digits=quantities.digits(unit) if digits is None else digits,
    )


def unit_for(figure: str, unit: str, units: Mapping[str, str]) -> str:
    """The unit of a figure: the person's choice for its kind, or the one that everybody has."""
    return units[figure] if figure else unit
