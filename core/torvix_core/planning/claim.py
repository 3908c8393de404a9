"""A figure that somebody says an engine or a part makes, read from words and held against what was measured."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from enum import StrEnum

from torvix_core.units import quantities
from torvix_core.units.speed_region import SpeedRegion, take_region

_NUMBER = re.compile(r"([+\-−]?)\s*(\d{1,3}(?:,\d{3})+|\d+(?:[.,]\d+)?)(?![\d.,]*\d)", re.ASCII)
# Words of the trade for a unit, longest first; what follows a number and is none of these is no unit.
_UNIT_WORDS = {
    "horsepower": "hp", "horses": "hp", "horse": "hp", "bhp": "hp", "hp": "hp", "kilowatts": "kW", "kw": "kW",
    "ps": "PS", "pound-feet": "lb-ft", "pound feet": "lb-ft", "foot-pounds": "lb-ft", "foot pounds": "lb-ft",
    "lb-ft": "lb-ft", "lb ft": "lb-ft", "lbft": "lb-ft", "ft-lb": "lb-ft", "ft lb": "lb-ft", "n·m": "N·m", "nm": "N·m",
    "percent": "%", "per cent": "%", "%": "%",
}  # fmt: skip
_UNIT = re.compile(
    "|".join(re.escape(word) + (r"s?\b" if word[-1].isalpha() else "") for word in sorted(_UNIT_WORDS, key=len)[::-1]),
    re.IGNORECASE,
)
_LOSES = re.compile(r"\b(?:los[et]s?|less|down|minus|costs?|drop(?:s|ped)?|soft(?:er)?)\b", re.IGNORECASE)
_GAINS = re.compile(
    r"\b(?:gain(?:s|ed)?|more|better|up|plus|pick(?:s|ed)?\s+up|f(?:ind|ound)s?|worth|adds?|added|over|than|against)\b",
    re.IGNORECASE,
)
_FROM = re.compile(r"\bfrom\b", re.IGNORECASE)
# “made 430 hp from the short runner” is a reading, though “12 hp from the spacer” is a gain.
_READS = re.compile(r"\b(?:made|makes?|making|reads?|shows?|showed|puts? out)\b", re.IGNORECASE)
_AVERAGE = re.compile(r"\b(?:averages?|averaged|on average|mean)\b", re.IGNORECASE)
_POWER, _TORQUE = re.compile(r"\bpower\b", re.IGNORECASE), re.compile(r"\btorque\b", re.IGNORECASE)


class ClaimUnclear(ValueError):
    """The words do not say one figure; the message says what to write."""


class ClaimedThing(StrEnum):
    TORQUE = "torque"
    POWER = "power"


class ClaimState(StrEnum):
    AGREES = "agrees"
    NOT_SHOWN = "not_shown"  # the pulls agree with the claim, and with no gain at all
    TOO_HIGH = "too_high"  # claimed above all that the interval holds
    TOO_LOW = "too_low"


@dataclass(frozen=True)
class Claim:
    """`value` and `half_step`, half of the last digit given, in SI; in % a share of the reference's figure.

    `thing` None: the words name neither torque nor power. `region` None: the peak, or the whole range for an `average`.
    `rest` is what the words say beside the figure: whose it is.
    """

    value: float
    half_step: float
    unit: str
    thing: ClaimedThing | None
    is_gain: bool
    is_average: bool
    region: SpeedRegion | None
    rest: str

    def as_thing(self, thing: ClaimedThing, unit: str) -> Claim:
        """The same figure, which named no unit, taken as of `thing` in `unit`."""
        scale = quantities.to_si_rule(unit).scale
        return replace(self, value=self.value * scale, half_step=self.half_step * scale, unit=unit, thing=thing)


def read_claim(text: str) -> Claim:
    """One figure from words such as “12 hp from the spacer”, “430 at 5800” or “lost 3 % below 3500”.

    Shapes: one text.
    Units:  as written, to SI; without a unit the number stays as it is and `unit` is empty.
    Errors: ClaimUnclear if there is no figure, or more than one.
    Source: house rule.
    >>> found = read_claim("12 hp from the spacer")
    >>> found.is_gain, found.thing.value, round(found.value), found.rest
    (True, 'power', 8948, 'from the spacer')
    """
    try:
        rest, region = take_region(text.strip())
    except ValueError as reason:
        raise ClaimUnclear(f"{reason}") from reason
    numbers = [(number, _UNIT.match(rest[number.end() :].lstrip())) for number in _NUMBER.finditer(rest)]
    # A number in the name of a part, “the 20 mm spacer”, is no figure of the claim.
    numbers = [one for one in numbers if one[1]] or numbers
    if len(numbers) != 1:
        wanted = "one figure at a time" if numbers else "a figure, such as 12 hp from the spacer, or 430 hp at 5800"
        raise ClaimUnclear(f"write {wanted}")
    number, named = numbers[0]
    sign, digits = number.groups()
    behind = rest[number.end() :].lstrip()
    rest = f"{rest[: number.start()]} {behind[named.end() :] if named else behind}"
    unit = "" if named is None else _unit_of(named[0])
    thing = _thing(unit, rest)
    loses = sign in ("-", "−") or _LOSES.search(rest) is not None
    is_from = _FROM.search(rest) is not None and _READS.search(rest) is None
    is_gain = bool(sign) or loses or unit == "%" or is_from or _GAINS.search(rest) is not None
    scale = quantities.to_si_rule(unit).scale if unit else 1.0
    plain = digits.replace(",", "") if re.fullmatch(r"\d{1,3}(,\d{3})+", digits) else digits.replace(",", ".")
    decimals, value = len(plain.partition(".")[2]), float(plain)
    return Claim(
        value=(-value if loses else value) * scale, half_step=0.5 * 10**-decimals * scale, unit=unit, thing=thing,
        is_gain=is_gain, is_average=_AVERAGE.search(rest) is not None, region=region, rest=" ".join(rest.split()),
    )  # fmt: skip


def check_claim(claim: Claim, low: float, high: float) -> ClaimState:
    """How a claim stands to a measured figure's 95 % interval.

    Shapes: scalars.
    Units:  those of the claim.
    Errors: ValueError if the interval does not rise.
    Source: a figure rounded to half a step of its own digits agrees where it meets the interval; house rule: a gain
            that the pulls do not separate from none is not shown by them, whatever it agrees with.
    >>> check_claim(read_claim("12 hp more"), 4 * 745.7, 20 * 745.7).value
    'agrees'
    """
    if low > high:
        raise ValueError("the interval must rise")
    if claim.value - claim.half_step > high:
        return ClaimState.TOO_HIGH
    if claim.value + claim.half_step < low:
        return ClaimState.TOO_LOW
    return ClaimState.NOT_SHOWN if claim.is_gain and claim.value and low <= 0 <= high else ClaimState.AGREES


def _unit_of(word: str) -> str:
    plain = word.lower()
    return _UNIT_WORDS.get(plain) or _UNIT_WORDS[plain.removesuffix("s")]


def _thing(unit: str, rest: str) -> ClaimedThing | None:
    if unit in ("", "%"):
        if _POWER.search(rest):
            return ClaimedThing.POWER
        return ClaimedThing.TORQUE if _TORQUE.search(rest) else None
    return ClaimedThing(quantities.measures(unit))
