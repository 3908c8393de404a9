"""The list of who arranged what: people, stands, limits, the shop itself."""

from __future__ import annotations

from datetime import datetime

from shop.models import AuditEntry, Person

LONGEST = 300


def note(by: Person | None, what: str, at: datetime) -> None:
    """`by` is None where it was done at the terminal, by somebody who has the machine."""
    AuditEntry.objects.create(by=by, what=what[:LONGEST], at=at)
