"""Links for people without an account: signed, to one sheet, for a while, and taken back at any time."""

from __future__ import annotations

from datetime import datetime, timedelta

from django.core import signing
from django.db.models import F

from engines.models import Engine
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Invalid, Refusal
from shop.texts import optional
from verdicts.models import Sheet, SheetLink

SALT = "torvix.sheet-link"
MOST_DAYS = 366


class LinkClosed(Refusal):
    """A link that leads nowhere any more, or never did."""

    code = "link_closed"
    status = 410


def token_of(link: SheetLink) -> str:
    return signing.Signer(salt=SALT).sign(str(link.pk))


def give(person: Person, sheet: Sheet, days: int, recipient: str, at: datetime) -> SheetLink:
    """Make a link that lasts so many days."""
    require_operator(person)
    if not 1 <= days <= MOST_DAYS:
        raise Invalid("The link cannot last so long.", fields={"days": f"from 1 to {MOST_DAYS}"})
    return SheetLink.objects.create(
        sheet=sheet,
        recipient=optional(recipient, "recipient", 120),
        by=person,
        made_at=at,
        expires_at=at + timedelta(days=days),
    )


def revoke(person: Person, link: SheetLink, at: datetime) -> SheetLink:
    """Close a link for good. Its row stays, with how often it was opened."""
    require_operator(person)
    if link.revoked_at is None:
        link.revoked_at = at
        link.save(update_fields=["revoked_at"])
    return link


def close_those_of(engine: Engine, at: datetime) -> int:
    """An engine has become confidential: what was given away of it leads nowhere any more. How many there were."""
    given = SheetLink.objects.filter(sheet__programme__build__engine=engine, revoked_at=None)
    return given.update(revoked_at=at)


def open_with(token: str, at: datetime) -> Sheet:
    """The sheet of a token. LinkClosed says in words why there is none; nothing else is given away."""
    try:
        key = int(signing.Signer(salt=SALT).unsign(token))
    except (signing.BadSignature, ValueError) as error:
        raise LinkClosed("This link is not complete. Copy it once more, from its first letter to its last.") from error
    link = SheetLink.objects.select_related("sheet__programme").filter(pk=key).first()
    if link is None or link.revoked_at is not None:
        raise LinkClosed("This link was taken back. Ask the engine builder for another.")
    if link.expires_at <= at:
        raise LinkClosed("This link has expired. Ask the engine builder for another.")
    SheetLink.objects.filter(pk=link.pk).update(opened=F("opened") + 1, last_opened_at=at)
    return link.sheet
