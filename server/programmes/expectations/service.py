"""Expectations: written before a setup is pulled, sealed when it is armed for the first time."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import datetime

from django.db import transaction
from torvix_core.units.quantity_parser import NotUnderstood, read_quantity
from torvix_core.units.speed_region import SpeedRegion, take_region

from programmes.models import Expectation, ExpectedMeasure, Programme, Setup
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Invalid, Refusal
from shop.texts import optional

BETWEEN = re.compile(r"\s+to\s+|\s*…\s*|\s*\.\.\s*")
AT_LEAST = re.compile(r"^(?:at least|more than|over|above)\s+", re.IGNORECASE)
AT_MOST = re.compile(r"^(?:at most|less than|no more than|under|below)\s+", re.IGNORECASE)
LESS = {"soft", "softer", "less", "down", "worse", "lower", "weaker", "loses"}
MORE = {"more", "up", "better", "stronger", "higher", "gains"}
LEAST, MOST = -0.5, 2.0  # shares of the baseline that a change of parts can cost or bring
AVERAGES = (ExpectedMeasure.AVERAGE_TORQUE, ExpectedMeasure.AVERAGE_POWER)


class Sealed(Refusal):
    """The setup has been armed: what was expected of it stays as it was."""

    code = "sealed"


@dataclass(frozen=True)
class ExpectedGain:
    """A typed expectation: shares of the baseline's figure, None an open end, and the speeds that it names."""

    low: float | None
    high: float | None
    region: SpeedRegion


@transaction.atomic
def expect(person: Person, setup: Setup, measure: str, text: str, sentence: str, at: datetime) -> Expectation:
    """Write down, or write anew, what a person expects. Only before the first pull."""
    require_operator(person)
    if measure not in ExpectedMeasure.values:
        raise Invalid("There is no such measure.", fields={"measure": f"one of {', '.join(ExpectedMeasure.labels)}"})
    if setup.is_baseline:
        raise Invalid("The baseline is what the others are held against.", fields={"setup_id": "choose another setup"})
    # Sealing is of the setup, not of one row: nobody expects with hindsight what others wrote down before.
    if Expectation.objects.filter(setup=setup, sealed_at__isnull=False).exists() or setup.pulled:
        raise Sealed(f"{setup.letter} has been armed already: what is expected of it is sealed.")
    gain = read_gain(text)
    region_fits(gain.region, measure in AVERAGES, setup.programme)
    held, _ = Expectation.objects.select_for_update().update_or_create(
        setup=setup, measure=measure, written_by=person, low_rpm=gain.region.low_rpm, high_rpm=gain.region.high_rpm,
        defaults={
            "low": gain.low, "high": gain.high, "sentence": optional(sentence, "sentence", 300), "written_at": at,
        },
    )  # fmt: skip
    return held


@transaction.atomic
def take_back(person: Person, expectation: Expectation) -> None:
    """Withdraw what one expected oneself, while nobody has armed the setup."""
    require_operator(person)
    held = Expectation.objects.select_for_update().select_related("setup").get(pk=expectation.pk)
    if held.sealed_at is not None or held.setup.pulled:
        raise Sealed(f"{held.setup.letter} has been armed already: what is expected of it is sealed.")
    if held.written_by_id != person.pk:
        raise Refusal(f"{held.written_by} wrote this down: only {held.written_by} takes it back.", code="not_yours")
    held.delete()


def read_gain(text: str) -> ExpectedGain:
    """“2 %”, “1 to 3 % above 5500”, “at least 2 %” or “soft below 4000”. Invalid says what is wrong."""
    try:
        rest, region = take_region(text.strip())
    except ValueError as reason:
        raise Invalid("The speeds are not understood.", fields={"text": str(reason)}) from reason
    named = region or SpeedRegion()
    plain = rest.lower().strip()
    if plain in LESS:
        return ExpectedGain(None, 0.0, named)
    if plain in MORE:
        return ExpectedGain(0.0, None, named)
    for pattern, lower in ((AT_LEAST, True), (AT_MOST, False)):
        if pattern.match(plain):
            (end,) = _shares([pattern.sub("", plain)])
            return ExpectedGain(end if lower else None, None if lower else end, named)
    return ExpectedGain(*read_range(rest), named)


def read_range(text: str) -> tuple[float, float]:
    """“2 %”, “1 to 3” or “-1 to 2 %” as shares. Invalid says what is wrong."""
    ends = BETWEEN.split(text.strip())
    if len(ends) > 2:
        raise Invalid("This is not a number or a range.", fields={"text": "write 2 % or 1 to 3 %"})
    shares = _shares(ends)
    if shares[0] > shares[-1]:
        raise Invalid("The range must rise.", fields={"text": "write the lower end first"})
    return shares[0], shares[-1]


def _shares(texts: list[str]) -> list[float]:
    try:
        return [read_quantity(end, "fraction", "%", LEAST, MOST).value for end in texts]
    except NotUnderstood as reason:
        raise Invalid("The expectation is not understood.", fields={"text": str(reason)}) from reason


def region_fits(region: SpeedRegion, takes_speeds: bool, programme: Programme) -> None:
    """Invalid where a figure has no speeds, or this test does not go there."""
    if not region.words:
        return
    if not takes_speeds:
        raise Invalid("A peak names no speeds.", fields={"measure": "choose an average where you name speeds"})
    lowest = programme.low_rpm if region.low_rpm is None else region.low_rpm
    highest = programme.high_rpm if region.high_rpm is None else region.high_rpm
    inside = programme.low_rpm <= lowest <= highest <= programme.high_rpm
    if not inside or (lowest == highest and not region.is_one_speed):
        there = f"{programme.low_rpm:.0f} to {programme.high_rpm:.0f} rpm"
        raise Invalid("These speeds are not tested.", fields={"text": f"this test compares from {there}"})


def region_of(expectation: Expectation) -> SpeedRegion:
    return SpeedRegion(expectation.low_rpm, expectation.high_rpm)


def words(expectation: Expectation) -> str:
    """What is expected, in words: “+1.0 to +3.0 % above 5500 rpm”, “less below 4000 rpm”."""
    low, high = ("" if end is None else f"{end * 100:+.1f}".replace("-", "−") for end in
                 (expectation.low, expectation.high))  # fmt: skip
    if expectation.low is None:
        gain = "less" if expectation.high == 0 else f"at most {high} %"
    elif expectation.high is None:
        gain = "more" if expectation.low == 0 else f"at least {low} %"
    else:
        gain = f"{low} %" if expectation.low == expectation.high else f"{low} to {high} %"
    return f"{gain} {region_of(expectation).words}".strip()


def seal(setup: Setup, at: datetime) -> None:
    """Close what is expected of a setup; the first arming counts."""
    Setup.objects.filter(pk=setup.pk, pulled=False).update(pulled=True)
    Expectation.objects.filter(setup=setup, sealed_at=None).update(sealed_at=at)
