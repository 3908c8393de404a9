"""How one version of a plan differs from the one before, a sentence each, for whoever reads it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime, tzinfo
from decimal import Decimal
from typing import Any
from zoneinfo import ZoneInfo

from torvix_core.units import grammar, quantities

from shop.models import Person, Shop
from shop.moments import moment
from shop.permissions import units_of

TEXTS: tuple[tuple[str, str], ...] = (
    ("question", "Question"),
    ("answers_change", "Decision this test will settle"),
    ("kind", "Kind of test"),
    ("standard", "Standard"),
    ("boost_school", "Boost correction"),
    ("mixture_policy", "Mixture"),
    ("tune_rule", "Tune that counts"),
    ("boost_policy", "Boost"),
    ("stand_in", "Substitute test for"),
    ("held_constant", "Held constant"),
    ("sweep", "Sweep"),
    ("range", "Range compared"),
    ("extension_rpm", "Sweep extension"),
    ("smallest_difference_percent", "Smallest difference that matters"),
    ("duty", "Duty"),
    ("height_limit_m", "Height limit"),
    ("must_look_stock", "Must look stock"),
    ("cost_ceiling", "Cost ceiling"),
    ("fixed_slots", "Parts the customer keeps"),
)
TIMES = {
    "warm_up_min": "Warm-up",
    "pull_min": "Time per pull",
    "cool_down_min": "Cool-down",
    "conditioning_pulls": "Warm-up pulls per visit",
    "return_every": "Visits between returns",
    "return_pulls": "Pulls per return",
    "fuel_available": "Fuel on hand",
    "fuel_pull": "Fuel per pull",
    "fuel_warm_up": "Fuel per warm-up",
    "hour_price": "Dyno time",
    "tuning_min": "Tuning of a setup",
    "check_pass_first": "Check pass after a change",
}
# Where an older version has no such line
UNSAID: dict[str, object] = {"tuning_min": 0.0, "check_pass_first": False, "fixed_slots": []}

SETUP = (("pulls", "pulls"), ("visits", "visits"), ("place", "place in the order"), ("based_on", "built on"),
         ("available_at", "parts due"), ("protected", "protected"))  # fmt: skip


@dataclass(frozen=True)
class Reader:
    """In whose words: units of length and fuel, the shop's money and clock."""

    length: str
    fuel: str
    currency: str
    clock: tzinfo


def reader_of(person: Person) -> Reader:
    units, shop = units_of(person), Shop.here()
    return Reader(units["length"], units["fuel"], shop.currency, ZoneInfo(shop.time_zone))


def differences(before: Mapping[str, Any], after: Mapping[str, Any], reader: Reader) -> list[str]:
    """Between the documents of two versions."""
    return [*_of_texts(before, after, reader), *_of_setups(before, after, reader), *_of_day(before, after, reader)]


def _of_texts(before: Mapping[str, Any], after: Mapping[str, Any], reader: Reader) -> Iterator[str]:
    for key, label in TEXTS:
        one, other = (each.get(key, UNSAID.get(key)) for each in (before, after))
        yield from _change(label, key, one, other, reader)


def _of_setups(before: Mapping[str, Any], after: Mapping[str, Any], reader: Reader) -> Iterator[str]:
    olds, news = ({setup["letter"]: setup for setup in each["setups"]} for each in (before, after))
    for letter, new in news.items():
        old = olds.get(letter)
        if old is None:
            yield f"{letter} {new['name']} added: {grammar.listed(list(new['has'].values())) or 'no part or setting'}."
            continue
        yield from _change(f"{letter}, name", "name", old["name"], new["name"], reader)
        for label in [*old["has"], *(key for key in new["has"] if key not in old["has"])]:
            yield from _change(f"{letter}, {label.lower()}", "", old["has"].get(label), new["has"].get(label), reader)
        for key, label in SETUP:
            yield from _change(f"{letter}, {label}", key, old.get(key, False), new.get(key, False), reader)
        if (old["candidate"], old["reason"]) != (new["candidate"], new["reason"]):
            why = f": {new['reason']}" if new["reason"] else ""
            yield f"{letter}: {new['candidate'].lower()}{why}."
    for letter, old in olds.items():
        if letter not in news:
            yield f"{letter} {old['name']} removed."


def _of_day(before: Mapping[str, Any], after: Mapping[str, Any], reader: Reader) -> Iterator[str]:
    orders = [", ".join(f"{visit[0]} {visit[1]}×" for visit in each["order"]) for each in (before, after)]
    yield from _change("Running order", "", orders[0], orders[1], reader)
    for place in range(max(len(before["sessions"]), len(after["sessions"]))):
        one, other = (each["sessions"][place : place + 1] for each in (before, after))
        yield from _change(f"Session {place + 1}", "session", one, other, reader)
    for key, label in TIMES.items():
        yield from _change(label, key, _time(before, key), _time(after, key), reader)
    for label in [*before["works"], *(key for key in after["works"] if key not in before["works"])]:
        one, other = before["works"].get(label), after["works"].get(label)
        if one and other:
            yield from _change(f"Work on the {label.lower()}", "work", one[:2], other[:2], reader)


def _time(version: Mapping[str, Any], key: str) -> object:
    return version["times"].get(key, UNSAID.get(key))


def _change(label: str, key: str, one: object, other: object, reader: Reader) -> Iterator[str]:
    if one != other:
        yield f"{label}: {_shown(key, one, reader)} → {_shown(key, other, reader)}."


def _shown(key: str, value: Any, reader: Reader) -> str:
    """A value of the document with its unit; how each is written follows from its key."""
    if value is None or value in ("", []):
        return "none"
    if isinstance(value, bool):
        return "yes" if value else "no"
    match key:
        case "height_limit_m":
            return quantities.words(value, reader.length)
        case "fuel_available" | "fuel_pull" | "fuel_warm_up":
            return quantities.words(value, reader.fuel)
        case "extension_rpm":
            return f"{value:g} rpm"
        case "smallest_difference_percent":
            return f"{value:g} %"
        case "cost_ceiling" | "hour_price":
            return f"{Decimal(value).normalize():f} {reader.currency}{' per hour' if key == 'hour_price' else ''}"
        case "available_at":
            return moment(datetime.fromisoformat(value), reader.clock)
        case "fixed_slots":
            return grammar.listed(value).lower()
        case "session":
            ((starts_at, paid_min),) = value
            paid = "" if paid_min is None else f", {paid_min:g} min paid"
            return f"{moment(datetime.fromisoformat(starts_at), reader.clock)}{paid}"
        case "work":
            return f"{value[0]:g} min off, {value[1]:g} min on"
        case _ if key.endswith("_min"):
            return f"{value:g} min"
    return f"{value:g}" if isinstance(value, float) else str(value)
