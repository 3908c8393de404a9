"""Money as it is written: the amount with the shop's currency."""

from __future__ import annotations

from decimal import Decimal

from shop.models import Shop


def currency() -> str:
    return Shop.here().currency


def money(amount: float | Decimal, unit: str) -> str:
    """1450 EUR; whole units, as prices are compared. `unit` is the shop's currency, asked for once for many."""
    return f"{amount:.0f} {unit}"
