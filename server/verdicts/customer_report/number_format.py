"""Numbers as they are printed: the digits that the screens give them, so that paper and screen never differ."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import ROUND_HALF_UP, Decimal

NOTHING = "–"


def figure(value: float | None, digits: int = 1) -> str:
    """As `figure` of web/src/ui/figures.ts: so many decimals, halves away from zero, a true minus, no minus zero."""
    if value is None:
        return NOTHING
    text = str(Decimal(value).quantize(Decimal(1).scaleb(-digits), rounding=ROUND_HALF_UP))
    if not Decimal(text):
        text = text.lstrip("-")
    return text.replace("-", "−")


def signed(value: float | None, digits: int = 1) -> str:
    """With its sign, for differences."""
    text = figure(value, digits)
    return f"+{text}" if value is not None and value > 0 and any(one in "123456789" for one in text) else text


def plus_minus(value: float, low: float, high: float, digits: int = 1) -> str:
    """A difference and half its interval."""
    return f"{signed(value, digits)} ± {figure((high - low) / 2, digits)}"


def span(values: Sequence[float], digits: int = 1) -> str:
    """One value, or from the lowest to the highest."""
    low, high = figure(min(values), digits), figure(max(values), digits)
    return low if low == high else f"{low} to {high}"
