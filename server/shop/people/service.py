"""Who belongs to the shop: added, given a role, let go and taken back by an owner; a password is its person's alone.

A link to choose a password is good once and for three days: the library's token is made of the password before
(settings.PASSWORD_RESET_TIMEOUT). Nobody is ever deleted who has signed a record; who leaves is deactivated.
"""

from __future__ import annotations

import re
from datetime import datetime

from axes.utils import reset
from django.contrib.auth import password_validation
from django.contrib.auth.tokens import default_token_generator
from django.core.exceptions import ValidationError
from django.db import transaction
from django.db.models import F
from django.utils.encoding import force_bytes, force_str
from django.utils.http import urlsafe_base64_decode, urlsafe_base64_encode

from shop import audit
from shop.models import Person, Role, Shop
from shop.permissions import require_owner
from shop.refusals import Invalid, Refusal

USERNAME = re.compile(r"[\w.@+-]{1,60}")


def add(by: Person | None, username: str, name: str, role: str, at: datetime) -> Person:
    """Somebody who has no password yet: `way_in` makes the link to choose one. `by` is None at the terminal."""
    _require(by)
    first, _, last = checked_name(username, name, role).rpartition(" ")
    with transaction.atomic():
        if Person.objects.filter(username__iexact=username).exists():
            raise Invalid("This name to sign in with is taken.", fields={"username": "somebody has it already"})
        person = Person.objects.create_user(
            username=username, role=role, first_name=first, last_name=last, units=Shop.here().units
        )
        audit.note(by, f"added {person} ({person.username}) as {person.get_role_display().lower()}", at)
    return person


def checked_name(username: str, name: str, role: str = Role.VIEWER) -> str:
    """The full name without what is too much; Invalid names the fields that cannot be used."""
    wrong: dict[str, str] = {}
    if not USERNAME.fullmatch(username):
        wrong["username"] = "letters, digits and . @ + - _ alone, 60 at most"
    plain = " ".join(name.split())
    if not plain or len(plain) > 120:
        wrong["name"] = "write the full name, 120 letters at most"
    if role not in Role.values:
        wrong["role"] = f"choose one of {', '.join(Role.values)}"
    if wrong:
        raise Invalid("This person cannot be added yet: see the fields.", fields=wrong)
    return plain


def way_in(person: Person) -> str:
    """Path of the page where the person chooses a password."""
    return f"/welcome/{urlsafe_base64_encode(force_bytes(person.pk))}/{default_token_generator.make_token(person)}"


def invited(coded: str, token: str) -> Person:
    """Whose link it is; Refusal where it was used, is too old or was cut short."""
    try:
        person = Person.objects.filter(pk=int(force_str(urlsafe_base64_decode(coded)))).first()
    except (ValueError, OverflowError):
        person = None
    if person is None or not person.is_active or not default_token_generator.check_token(person, token):
        raise Refusal("This link is not good any more. Ask the owner for a new one.", code="link_over")
    return person


@transaction.atomic
def choose_password(coded: str, token: str, password: str) -> Person:
    """By the link; it is used up with it."""
    person = invited(coded, token)
    set_password(person, password)
    return person


def set_password(person: Person, password: str) -> None:
    """Invalid says what a password needs. Other sessions of the person end."""
    try:
        password_validation.validate_password(password, person)
    except ValidationError as weak:
        raise Invalid("Choose another password.", fields={"password": " ".join(weak.messages)}) from weak
    person.set_password(password)
    person.save(update_fields=["password"])


def change_password(person: Person, old: str, new: str) -> None:
    if not person.check_password(old):
        raise Invalid("The present password is not this one.", fields={"old": "this is not your password"})
    set_password(person, new)


def sign_out_everywhere(person: Person) -> None:
    """Every browser in which the person is signed in asks for the password again."""
    Person.objects.filter(pk=person.pk).update(session_round=F("session_round") + 1)


@transaction.atomic
def reset_password(by: Person | None, person: Person, at: datetime) -> str:
    """The old password and every session end now; the path of the page where the person chooses a new one."""
    _require(by)
    _require_active(person)
    person.set_unusable_password()
    person.save(update_fields=["password"])
    audit.note(by, f"reset the password of {person} ({person.username})", at)
    return way_in(person)


@transaction.atomic
def change_role(by: Person | None, person: Person, role: str, at: datetime) -> Person:
    _require(by)
    if role not in Role.values:
        raise Invalid("There is no such role.", fields={"role": f"choose one of {', '.join(Role.values)}"})
    if role != Role.OWNER:
        _keep_an_owner(person)
    before = person.get_role_display().lower()
    person.role = role
    person.save(update_fields=["role"])
    audit.note(by, f"made {person} ({person.username}) {person.get_role_display().lower()}, was {before}", at)
    return person


@transaction.atomic
def set_active(by: Person | None, person: Person, active: bool, at: datetime) -> Person:
    """Who is deactivated is signed out at once, everywhere; what he recorded stays his."""
    _require(by)
    if not active:
        _keep_an_owner(person)
    person.is_active = active
    person.save(update_fields=["is_active"])
    audit.note(by, f"{'took back' if active else 'deactivated'} {person} ({person.username})", at)
    return person


def unlock(by: Person | None, person: Person, at: datetime) -> None:
    """Wrong passwords before now are forgotten."""
    _require(by)
    reset(username=person.username)
    audit.note(by, f"unlocked {person} ({person.username})", at)


def _require(by: Person | None) -> None:
    if by is not None:
        require_owner(by)


def _require_active(person: Person) -> None:
    if not person.is_active:
        raise Refusal(f"{person} is deactivated. Take them back first.", code="deactivated")


def _keep_an_owner(leaving: Person) -> None:
    """Two owners who remove each other at the same moment wait for one another here."""
    owners = Person.objects.select_for_update().filter(role=Role.OWNER, is_active=True).order_by("pk")
    if list(owners) == [leaving]:
        why = f"{leaving} is the last owner: nobody could arrange the shop any more. Make somebody else an owner first."
        raise Refusal(why, code="last_owner")
