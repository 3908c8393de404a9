"""Days and moments as they are written in sentences: by the shop's clock."""

from __future__ import annotations

from datetime import datetime, tzinfo
from zoneinfo import ZoneInfo

from shop.models import Shop


def clock() -> tzinfo:
    """The shop's clock, asked for once for many moments."""
    return ZoneInfo(Shop.here().time_zone)


def day(at: datetime, by: tzinfo) -> str:
    """28 Nov"""
    return f"{at.astimezone(by):%-d %b}"


def moment(at: datetime, by: tzinfo, *, year: bool = False) -> str:
    """28 Nov 09:00, or 28 Nov 2026 09:00"""
    return f"{at.astimezone(by):{'%-d %b %Y %H:%M' if year else '%-d %b %H:%M'}}"
