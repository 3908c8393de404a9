"""Tests leave the list and come back; one that was never run can be deleted; customers are given what is theirs."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from django.db import transaction

from engines.archive.service import delete_unused
from programmes.models import Programme
from shop import audit
from shop.models import Person, Role
from shop.permissions import require_operator
from shop.refusals import Invalid, Refusal


def archive(person: Person, programme: Programme, at: datetime | None) -> Programme:
    """Out of the list since `at`; None brings it back. Its records, links and sheets stay as they are."""
    require_operator(person)
    if at and programme.sessions.filter(closed_at=None).exists():
        raise Refusal("A session of it is open. Close the session, then archive it.", code="session_open")
    programme.archived_at = at
    programme.save(update_fields=["archived_at"])
    return programme


def delete(person: Person, programme: Programme) -> None:
    """Only one that was never on a stand: what was recorded stays."""
    require_operator(person)
    if programme.sessions.exists():
        raise Refusal("It has sessions, and they stay. Archive it: it leaves the list.", code="programme_used")
    delete_unused(programme, "Other records belong to it. Archive it: it leaves the list.")


@transaction.atomic
def give_to(person: Person, programme: Programme, people: Sequence[int], at: datetime) -> Programme:
    """These customers, and no others, read it from now on."""
    require_operator(person)
    customers = list(Person.objects.filter(pk__in=people, role=Role.CUSTOMER, is_active=True))
    if len(customers) != len(set(people)):
        raise Invalid("Only people with the role of a customer are given a test.",
                      fields={"people": "choose customers"})  # fmt: skip
    before, after = set(programme.given_to.values_list("pk", flat=True)), {customer.pk for customer in customers}
    programme.given_to.set(customers)
    if before != after:
        names = ", ".join(sorted(str(customer) for customer in customers)) or "nobody"
        audit.note(person, f"gave “{programme.question}” to {names}", at)
    return programme
