"""People: the owner's list, the link to choose a password, one's own password, and who arranged what."""

from __future__ import annotations

from datetime import datetime

from axes.models import AccessFailureLog

from shop.models import AuditEntry, Person
from shop.schema import Schema


class PersonOut(Schema):
    id: int
    username: str
    name: str
    role: str
    role_label: str
    active: bool
    has_password: bool
    last_sign_in: datetime | None
    wrong_tries: int  # since the last time it went well
    is_me: bool


class RoleOut(Schema):
    value: str
    label: str
    may: str


class PeopleOut(Schema):
    people: list[PersonOut]
    roles: list[RoleOut]


class PersonIn(Schema):
    username: str
    name: str
    role: str


class InvitedOut(Schema):
    """`way_in` is a path that is good once."""

    person: PersonOut
    way_in: str


class PersonChangeIn(Schema):
    """What is left out stays."""

    role: str | None = None
    active: bool | None = None


class WayIn(Schema):
    username: str
    name: str


class PasswordIn(Schema):
    password: str


class ChangePasswordIn(Schema):
    old: str
    password: str


class AuditOut(Schema):
    id: int
    at: datetime
    by: str
    what: str


class AuditPage(Schema):
    rows: list[AuditOut]
    total: int


def audit_out(entry: AuditEntry) -> AuditOut:
    return AuditOut(id=entry.pk, at=entry.at, by=str(entry.by) if entry.by else "at the terminal", what=entry.what)


def person_out(person: Person, asking: Person) -> PersonOut:
    tries = AccessFailureLog.objects.filter(username=person.username)
    if person.last_login:
        tries = tries.filter(attempt_time__gt=person.last_login)
    return PersonOut(
        id=person.pk,
        username=person.username,
        name=str(person),
        role=person.role,
        role_label=person.get_role_display(),
        active=person.is_active,
        has_password=person.has_usable_password(),
        last_sign_in=person.last_login,
        wrong_tries=tries.count(),
        is_me=person.pk == asking.pk,
    )
