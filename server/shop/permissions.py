"""Who may do what, and what people set for themselves."""

from __future__ import annotations

from typing import TypeGuard

from django.contrib.auth.models import AnonymousUser
from django.db import transaction
from django.http import HttpRequest

from shop.models import UNIT_CHOICES, Person, Role
from shop.refusals import Invalid, NotAllowed

# What each role is for, in words.
MAY = {
    Role.OWNER: "arranges people, stands and limits, and does all that operators do",
    Role.OPERATOR: "plans, runs and judges",
    Role.VIEWER: "reads every test that is not confidential",
    Role.CUSTOMER: "reads the tests that were given to them, and nothing else",
}


def is_person(user: object) -> TypeGuard[Person]:
    return isinstance(user, Person) and not isinstance(user, AnonymousUser)


def person_of(request: HttpRequest) -> Person:
    """Who asks."""
    assert is_person(request.user)  # the router's authentication has seen to it
    return request.user


def may_operate(person: Person) -> bool:
    """Plan, run and judge."""
    return person.role in (Role.OWNER, Role.OPERATOR)


def require_operator(person: Person) -> None:
    """Refuse unless the person may plan, run and judge."""
    if not may_operate(person):
        raise NotAllowed(f"{person} may read here. Ask the owner for the operator role to plan, run or judge.")


def require_owner(person: Person) -> None:
    """Refuse unless the person arranges the shop: people, stands, limits."""
    if person.role != Role.OWNER:
        raise NotAllowed(f"{person} may not arrange the shop. Ask the owner.")


@transaction.atomic
def choose_units(person: Person, chosen: dict[str, str]) -> Person:
    """Set a person's units; what is not named stays, also what another request has just set."""
    wrong = {
        kind: f"choose one of {', '.join(UNIT_CHOICES[kind])}" if kind in UNIT_CHOICES else "there is no such figure"
        for kind, unit in chosen.items()
        if unit not in UNIT_CHOICES.get(kind, ())
    }
    if wrong:
        raise Invalid("Some units cannot be used here.", fields=wrong)
    person.units = units_of(Person.objects.select_for_update().get(pk=person.pk)) | chosen
    person.save(update_fields=["units"])
    return person


def units_of(person: Person) -> dict[str, str]:
    """A unit for every kind of figure, also for people saved before a kind was added."""
    return {kind: person.units.get(kind, choices[0]) for kind, choices in UNIT_CHOICES.items()}
