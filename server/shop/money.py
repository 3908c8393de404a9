"""Money as it is written: the amount with the shop's currency."""

from __future__ import annotations

from decimal import Decimal

from shop.models import Shop


def currency() -> str:
    return Shop.here().currency


def money(amount: float | Decimal) -> str:
    """1450 EUR; whole units, as prices of parts and hours are compared."""
    return f"{amount:.0f} {currency()}"
