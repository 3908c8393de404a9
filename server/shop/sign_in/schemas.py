"""Signing in and out, and what a person sets."""

from __future__ import annotations

from shop import permissions
from shop.models import UNIT_CHOICES, Person, Role, Shop
from shop.schema import Schema


class SignIn(Schema):
    username: str
    password: str


class Me(Schema):
    username: str
    name: str
    role: str
    role_may: str
    may_operate: bool
    is_owner: bool
    shop: str
    currency: str
    time_zone: str
    units: dict[str, str]
    unit_choices: dict[str, list[str]]


def me_out(person: Person) -> Me:
    shop = Shop.here()
    return Me(
        username=person.username,
        name=str(person),
        role=person.get_role_display(),
        role_may=permissions.MAY[Role(person.role)],
        may_operate=permissions.may_operate(person),
        is_owner=person.role == Role.OWNER,
        shop=shop.name,
        currency=shop.currency,
        time_zone=shop.time_zone,
        units=permissions.units_of(person),
        unit_choices={kind: list(choices) for kind, choices in UNIT_CHOICES.items()},
    )
