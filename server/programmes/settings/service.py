"""Settings that are no parts: read as they are typed, and adjusted between pulls."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from torvix_core.engine.dimensions import Measure
from torvix_core.engine.settings import IDLE_ITEMS, SETTINGS, TUNE_ITEMS, contradicting
from torvix_core.units.quantity_parser import NotUnderstood, read_number, read_quantity

from programmes.models import Adjustment, Setup
from programmes.plan.plans import OWN, SETTING, SettingValue
from shop.models import Person
from shop.permissions import require_operator, units_of
from shop.refusals import Invalid
from shop.texts import optional

# What may be changed between two pulls without the list of a change being due: a camshaft's advance, another fuel or
# another drive are setups of their own, because clearance, vapor and blower speed are checked first.
ADJUSTABLE = [
    f"{SETTING}{key}" for key in (
        "spark_advance", *(item.key for item in TUNE_ITEMS), "rod_hanger", "jets", "fuel_table", "fuel_trim",
        "spark_table", "mixture_target", "boost_target", *sorted(IDLE_ITEMS),
    )
]  # fmt: skip
KNOWN_SETTINGS = {f"{SETTING}{dimension.key}": dimension for dimension in SETTINGS}


def read_setting(key: str, text: str, units: Mapping[str, str]) -> SettingValue:
    """A setting as it is kept. NotUnderstood says what is wrong."""
    known = KNOWN_SETTINGS.get(key)
    if known is None:
        if not key.startswith(OWN):
            raise NotUnderstood("There is no such setting.")
        return SettingValue(text)
    if known.is_quantity:
        unit = units.get(known.figure, "") or known.unit
        read = read_quantity(text, known.measure, unit, known.low, known.high)
        return SettingValue(read.understood, read.value)
    if known.measure == Measure.NUMBER:
        number = read_number(text, known.low, known.high)
        return SettingValue(f"{number:g}", number)
    if known.measure == Measure.CHOICE:
        label = dict(known.choices).get(text) or next((told for _, told in known.choices if told == text), "")
        if not label:
            raise NotUnderstood(f"choose one of {', '.join(dict(known.choices))}")
        return SettingValue(label)
    return SettingValue(text)


def at_full_throttle(settings: Mapping[str, str]) -> dict[str, str]:
    """Settings without those of the idle: two pulls that differ in these alone were made with one tune."""
    return {key: value for key, value in settings.items() if key.removeprefix(SETTING) not in IDLE_ITEMS}


def in_force(setup: Setup) -> dict[str, SettingValue]:
    """What a setup is set to for its next pull: as planned, or as it was adjusted last."""
    planned = {setting.key: SettingValue(setting.text, setting.value) for setting in setup.settings.all()}
    return planned | {
        adjustment.key: SettingValue(adjustment.text, adjustment.value) for adjustment in setup.adjustments.all()
    }


def adjust(person: Person, setup: Setup, key: str, text: str, at: datetime) -> Adjustment:
    """Another value of a setting from the next pull on. The plan, and pulls that were made, keep theirs."""
    require_operator(person)
    if key in KNOWN_SETTINGS and key not in ADJUSTABLE:
        label = KNOWN_SETTINGS[key].label
        raise Invalid(f"{label} is not adjusted between pulls: plan a setup for it, so that its checks are due.",
                      fields={"key": "plan another setup"})  # fmt: skip
    plain = optional(text, "text", 80)
    if not plain:
        raise Invalid("Type the new value.", fields={"text": "what it is set to now"})
    try:
        value = read_setting(key, plain, units_of(person))
    except NotUnderstood as reason:
        raise Invalid("The value cannot be used.", fields={"text": str(reason)}) from reason
    given = {one.removeprefix(SETTING): one for one in {**in_force(setup), key: value}}
    if other := contradicting(given).get(key.removeprefix(SETTING)):
        said = contradiction_words(key.removeprefix(SETTING), other)
        raise Invalid("The positions contradict each other.", fields={"key": said})
    return Adjustment.objects.create(setup=setup, key=key, text=value.text, value=value.value, at=at, by=person)


def contradiction_words(key: str, other: str) -> str:
    """What is wrong with two positions of one kind, by the keys of the core."""
    labels = [KNOWN_SETTINGS[f"{SETTING}{one}"].label for one in (key, other)]
    return f"{labels[0]} and {labels[1].lower()} contradict each other: an engine has one set of positions."
