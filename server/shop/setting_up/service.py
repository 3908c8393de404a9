"""A new shop: the link that its terminal prints, once, and what is asked behind it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from django.core import signing
from django.db import transaction
from torvix_core.units.quantity_parser import NotUnderstood, read_quantity

from shop import audit
from shop.models import CURRENCIES, UNIT_SYSTEMS, Person, Role, Shop, time_zones, units_of_system
from shop.people import service as people
from shop.permissions import require_owner
from shop.refusals import Invalid, Refusal

SALT = "first run"
GOOD_FOR = timedelta(days=7)
LOWEST_M, HIGHEST_M = -430.0, 5000.0


@dataclass(frozen=True)
class ShopFacts:
    """As typed. `units` is a key of UNIT_SYSTEMS; an empty elevation is one that nobody knows."""

    name: str
    currency: str
    time_zone: str
    units: str = ""
    elevation: str = ""


def is_new() -> bool:
    """Nobody can sign in yet."""
    return not Person.objects.exists()


def first_link() -> str:
    """Path of the page on which the owner is made. It leads nowhere as soon as there is one."""
    return f"/first-run/{signing.dumps('owner', salt=SALT)}"


@transaction.atomic
def set_up(key: str, facts: ShopFacts, username: str, name: str, password: str, at: datetime) -> Person:
    """The shop and its first owner. Refusal where the link is not the terminal's, or somebody was here before."""
    try:
        signing.loads(key, salt=SALT, max_age=GOOD_FOR)
    except signing.BadSignature as bad:
        raise Refusal("This link is not good any more. Start the server again: it prints a new one.",
                      code="link_over") from bad  # fmt: skip
    if not is_new():
        raise Refusal("This shop has an owner already. Sign in.", code="has_owner")
    wrong: dict[str, str] = {}
    shop = _read(Shop.here(), facts, wrong)
    try:
        people.checked_name(username, name)
    except Invalid as invalid:
        wrong |= invalid.fields
    if wrong:
        raise Invalid("The shop cannot be set up yet: see the fields.", fields=wrong)
    shop.save(force_insert=shop._state.adding)  # a second one at the same moment fails here, before it makes an owner
    owner = people.add(None, username, name, Role.OWNER, at)
    people.set_password(owner, password)
    audit.note(owner, f"set up {shop}", at)
    return owner


@transaction.atomic
def change_shop(by: Person, facts: ShopFacts, at: datetime) -> Shop:
    require_owner(by)
    wrong: dict[str, str] = {}
    shop = _read(Shop.here(), facts, wrong)
    if wrong:
        raise Invalid("This cannot be saved yet: see the fields.", fields=wrong)
    shop.save()
    audit.note(by, f"changed the shop: {shop}, {shop.currency}, {shop.time_zone}", at)
    return shop


def _read(shop: Shop, facts: ShopFacts, wrong: dict[str, str]) -> Shop:
    shop.name = " ".join(facts.name.split())
    if not shop.name or len(shop.name) > 80:
        wrong["shop_name"] = "write the name of the shop, 80 letters at most"
    shop.currency = facts.currency
    if facts.currency not in CURRENCIES:
        wrong["currency"] = "choose one of the list"
    shop.time_zone = facts.time_zone
    if facts.time_zone not in time_zones():
        wrong["time_zone"] = "choose one of the list"
    if facts.units:
        if facts.units in UNIT_SYSTEMS:
            shop.units = units_of_system(facts.units)
        else:
            wrong["units"] = f"choose one of {', '.join(UNIT_SYSTEMS)}"
    try:
        shop.elevation = read_elevation(facts.elevation, shop.units)
    except NotUnderstood as reason:
        wrong["elevation"] = str(reason)
    return shop


def read_elevation(text: str, units: dict[str, str]) -> float | None:
    """m above sea level; None where nothing is written. NotUnderstood says why not."""
    if not text.strip():
        return None
    return read_quantity(text, "length", units.get("elevation", "m"), LOWEST_M, HIGHEST_M).value
