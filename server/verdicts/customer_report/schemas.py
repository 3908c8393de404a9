"""Sheets: how one would look, issuing it, its files, and the links to it."""

from __future__ import annotations

from datetime import datetime

from shop.schema import Schema
from verdicts.customer_report import links
from verdicts.judging.schemas import ChoiceIn
from verdicts.models import SheetLink


class SheetIn(ChoiceIn):
    """The verdict that it tells, and what it shows beside it."""

    show_owner: bool = False
    show_prices: bool = False
    show_estimates: bool = False
    interests: str = ""
    remark: str = ""
    change: str = ""


class SheetHtml(Schema):
    html: str


class SheetLinkIn(Schema):
    days: int = 30
    recipient: str = ""


class SheetLinkOut(Schema):
    id: int
    address: str
    recipient: str
    by: str
    made_at: datetime
    expires_at: datetime
    revoked_at: datetime | None
    opened: int
    open: bool


class SheetOut(Schema):
    id: int
    number: int
    by: str
    at: datetime
    change: str
    links: list[SheetLinkOut]


def link_out(link: SheetLink, at: datetime, mine: bool) -> SheetLinkOut:
    """Whoever may only read does not get the address: it opens the sheet for anybody."""
    return SheetLinkOut(
        id=link.pk,
        address=f"/shared/{links.token_of(link)}" if mine else "",
        recipient=link.recipient,
        by=str(link.by),
        made_at=link.made_at,
        expires_at=link.expires_at,
        revoked_at=link.revoked_at,
        opened=link.opened,
        open=link.revoked_at is None and link.expires_at > at,
    )
