"""Claims in words, “12 hp from the spacer” or “430 at 5800”, held against the pulls that count."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from django.db.models import prefetch_related_objects
from torvix_core.air.standards import DEFINITIONS, Standard
from torvix_core.engine import geometry
from torvix_core.engine.dimensions import Slot
from torvix_core.judging.effects import NotEnoughPulls, fit
from torvix_core.planning.claim import Claim, ClaimedThing, ClaimState, ClaimUnclear, check_claim, read_claim
from torvix_core.pull.curve import OutsideTheCurve
from torvix_core.units import quantities
from torvix_core.units.speed_region import SpeedRegion

from programmes.models import STANDARDS, Programme, Setup
from shop.refusals import Invalid, Refusal
from verdicts.comparison.aligned_pulls import Comparison, compare
from verdicts.comparison.pull_figures import PullFigure, of_each_pull

# A reading this far below what was measured is a gain that was not said to be one; so is a gain this large a reading.
SURELY_A_GAIN, SURELY_A_READING = 0.4, 0.5
AGAINST = re.compile(r"\b(?:than|over|against|vs\.?)\s+(.*)$", re.IGNORECASE)
SHORTEST_NAME = 4  # letters of a word that can name a part


@dataclass(frozen=True)
class CheckedClaim:
    """A claim as it was read, and what was measured, in the claim's own unit with its 95 % interval."""

    claim: Claim
    setup: Setup
    against: Setup | None
    figure: PullFigure
    standard: Standard
    value: float
    low: float
    high: float
    state: ClaimState
    also_under: tuple[str, ...]
    most: tuple[float, float, float] | None  # greatest gain of the sign claimed: half width and speed with it
    guessed_unit: bool
    pulls: tuple[int, ...]  # numbers of the pulls that it rests on


def check(
    programme: Programme, standard: Standard, units: Mapping[str, str], text: str, setup_id: int | None
) -> CheckedClaim:  # fmt: skip
    """Read the words and hold them against the pulls. Invalid says at the field what is unclear or was not measured."""
    try:
        claim = read_claim(text)
    except ClaimUnclear as reason:
        raise Invalid("The claim is not understood.", fields={"text": str(reason)}) from reason
    prefetch_related_objects([programme], "setups__parts")
    comparison = compare(programme, standard)
    subject, reference = _whose(comparison, claim, setup_id)
    guessed = not claim.unit
    if guessed:
        claim = _with_a_unit(comparison, claim, subject, units)
    if claim.unit == "%" and claim.thing is None:
        claim = replace(claim, thing=ClaimedThing.TORQUE)
    figure = _figure(claim)
    value, low, high = _measured(comparison, claim, figure, subject, reference)
    _gain_or_reading(comparison, claim, figure, reference if claim.is_gain else subject)
    state = check_claim(claim, low, high)
    also: tuple[str, ...] = ()
    if state is not ClaimState.AGREES and not claim.is_gain:
        also = _also_under(programme, standard, claim, figure, comparison.setups[subject])
    setups = (subject, reference) if claim.is_gain else (subject,)
    return CheckedClaim(
        claim, comparison.setups[subject], comparison.setups[reference] if claim.is_gain else None, figure, standard,
        value, low, high, state, also,
        _most(comparison, claim, subject, reference) if claim.is_gain and state is not ClaimState.AGREES else None,
        guessed, tuple(one.pull.number for place, one in zip(comparison.layout.setup, comparison.kept, strict=True)
                       if place in setups),
    )  # fmt: skip


def sentences(found: CheckedClaim) -> list[str]:
    """What the pulls say to the claim, in plain sentences and the claim's own unit."""
    claim, shown = found.claim, found.claim.unit
    where = found.figure.words
    subject, standard = found.setup.letter, DEFINITIONS[found.standard].label
    value, low, high = (_words(end, shown, signed=claim.is_gain) for end in (found.value, found.low, found.high))
    claimed = _words(claim.value, shown, signed=claim.is_gain)
    held = f" against {found.against.letter}" if found.against else ""
    said = [f"{subject}{held}, {claim.thing} {where}, {standard}: {value}, 95 % from {low} to {high}."]
    said.append({
        ClaimState.AGREES: f"The claim of {claimed} agrees with these pulls.",
        ClaimState.NOT_SHOWN: f"The claim of {claimed} agrees with these pulls, and so does no difference at all: "
                              "they do not show it.",
        ClaimState.TOO_HIGH: f"The claim of {claimed} is more than these pulls allow.",
        ClaimState.TOO_LOW: f"The claim of {claimed} is less than these pulls allow.",
    }[found.state])  # fmt: skip
    if found.also_under:
        said.append(f"It agrees under {' and '.join(found.also_under)}: ask by which standard it was read.")
    if found.most is not None:
        gain, half, at = found.most
        most, by = _words(gain, shown, signed=True), _words(half, shown)
        said.append(f"Of that sign the pulls show most at {at:.0f} rpm: {most} ± {by}.")
    if found.guessed_unit:
        said.append(f"Read as {shown}, as it fits better so. Write the unit to have it read otherwise.")
    return said


def _words(value: float, unit: str, *, signed: bool = False) -> str:
    number = f"{float(quantities.difference_from_si(value, unit)):{'+' if signed else ''}.1f}".replace("-", "−")
    return f"{number} {unit}"


def _whose(comparison: Comparison, claim: Claim, setup_id: int | None) -> tuple[int, int]:
    """Places of the setup that the claim is of, and of the one that a gain is held against."""
    places = {setup.pk: place for place, setup in enumerate(comparison.setups)}
    about, reference = claim.rest, comparison.baseline
    against = AGAINST.search(about)
    if claim.is_gain and against:
        named = _named(comparison, against[1], set())
        if len(named) == 1:
            reference, about = named.pop(), about[: against.start()]
    if setup_id is not None:
        if setup_id not in places:
            raise Invalid("This setup has no counted pull.", fields={"setup_id": "choose a setup that was pulled"})
        subject = places[setup_id]
    else:
        named = _named(comparison, about, {reference} if claim.is_gain else set())
        if not named and claim.is_gain and len(places) == 2:
            named = set(places.values()) - {reference}
        if len(named) != 1:
            letters = ", ".join(comparison.setups[place].letter for place in sorted(named))
            message = f"the words fit {letters}: choose one" if named else "choose whose it is"
            raise Invalid("Whose figure is it?", fields={"setup_id": message})
        subject = named.pop()
    if claim.is_gain and subject == reference:
        raise Invalid("A setup gains nothing over itself.", fields={"setup_id": "choose the setup that is to gain"})
    return subject, reference


def _named(comparison: Comparison, text: str, without: set[int]) -> set[int]:
    """Places of the setups that the words name: by a part or name that the others have not, else by letter."""
    words = _name_words(text)
    by_name: dict[int, int] = {}
    for place, setup in enumerate(comparison.setups):
        if place not in without:
            parts = [f"{part.name} {Slot(part.slot).label}" for part in setup.parts.all()]
            by_name[place] = len(words & _name_words(f"{setup.name} {' '.join(parts)}"))
    most = max(by_name.values(), default=0)
    if most:
        return {place for place, count in by_name.items() if count == most}
    letters = set(re.findall(r"\b[A-Z]{1,2}\b", text))
    return {place for place in by_name if comparison.setups[place].letter in letters}


def _name_words(text: str) -> set[str]:
    """Words and numbers that can name a part, without the s of a plural."""
    found = re.findall(r"[^\W_]+", text.lower())
    return {word.removesuffix("s") for word in found if len(word) >= SHORTEST_NAME or word.isdecimal()}


def _with_a_unit(comparison: Comparison, claim: Claim, subject: int, units: Mapping[str, str]) -> Claim:
    """A bare number as torque or power, whichever the words say or, of a reading, lies nearer to what was measured."""
    things = [claim.thing] if claim.thing else list(ClaimedThing)
    tried = [claim.as_thing(thing, units[thing]) for thing in things]
    if len(tried) > 1 and claim.is_gain:
        raise Invalid("The claim is not understood.", fields={
            "text": f"write the unit: {units['power']} or {units['torque']}"})  # fmt: skip

    def off(one: Claim) -> float:
        measured, _, _ = _measured(comparison, one, _figure(one), subject, comparison.baseline)
        return abs(float(np.log(max(one.value, 1e-9) / measured)))

    return min(tried, key=off)


def _figure(claim: Claim) -> PullFigure:
    is_peak = claim.region is None and not claim.is_average
    return PullFigure(claim.thing is ClaimedThing.POWER, is_peak, claim.region or SpeedRegion())


def _measured(
    comparison: Comparison, claim: Claim, figure: PullFigure, subject: int, reference: int
) -> tuple[float, float, float]:
    """The figure with its 95 % interval: SI, or a share where the claim is in per cent."""
    try:
        fitted = fit(of_each_pull(comparison, figure), comparison.layout, comparison.history)
    except OutsideTheCurve as reason:
        raise Invalid("This was not measured.", fields={"text": str(reason)}) from reason
    except NotEnoughPulls as reason:
        raise Refusal(f"The claim cannot be checked yet: {reason}.", code="not_enough_pulls") from reason
    if not claim.is_gain:
        mean, half = float(fitted.mean[subject]), float(fitted.own_half_widths[subject])
        return mean, mean * float(np.exp(-half)), mean * float(np.exp(half))
    if not fitted.linked(subject, reference):
        one, other = comparison.setups[subject].letter, comparison.setups[reference].letter
        raise Refusal(f"{one} and {other} were never run on one day, so no gain can be checked.", code="not_linked")
    gain = fitted.difference(subject, reference)
    unit = 1.0 if claim.unit == "%" else float(fitted.mean[reference])
    return float(gain.change) * unit, float(gain.low) * unit, float(gain.high) * unit


def _gain_or_reading(comparison: Comparison, claim: Claim, figure: PullFigure, setup: int) -> None:
    """Refuse a gain that can only be a reading, and the other way round: the words do not say which."""
    if claim.unit == "%":
        return
    makes = float(of_each_pull(comparison, figure)[comparison.layout.setup == setup].mean())
    wrong = ""
    if claim.is_gain and abs(claim.value) > SURELY_A_READING * makes:
        wrong = "a gain of so much on {} cannot be meant; a reading is written “made 430 hp”"
    if not claim.is_gain and claim.value < SURELY_A_GAIN * makes:
        wrong = "a reading of so little beside {} cannot be meant; a gain is written “12 hp more”"
    if wrong:
        raise Invalid("The claim is not understood.", fields={"text": wrong.format(_words(makes, claim.unit))})


def _also_under(
    programme: Programme, standard: Standard, claim: Claim, figure: PullFigure, setup: Setup
) -> tuple[str, ...]:
    """The other standards under which a reading agrees."""
    found = []
    for other in STANDARDS:
        if other == standard:
            continue
        try:
            comparison = compare(programme, Standard(other))
            places = [one.pk for one in comparison.setups]
            if setup.pk not in places:
                continue
            _, low, high = _measured(comparison, claim, figure, places.index(setup.pk), comparison.baseline)
        except Refusal:
            continue
        if check_claim(claim, low, high) is ClaimState.AGREES:
            found.append(DEFINITIONS[Standard(other)].label)
    return tuple(found)


def _most(comparison: Comparison, claim: Claim, subject: int, reference: int) -> tuple[float, float, float] | None:
    """The greatest gain of the claim's sign at any one speed, half its interval, which holds for all speeds together,
    and the speed."""
    curves = comparison.curves()
    if curves is None or not claim.value:
        return None
    gain = curves.difference(subject, reference)
    unit = np.ones_like(comparison.speed_rpm)
    if claim.unit != "%":
        unit = curves.mean[reference]
        if claim.thing is ClaimedThing.POWER:
            unit = geometry.power(unit, comparison.speed_rpm)
    sized = gain.change * unit * np.sign(claim.value)
    at = int(sized.argmax())
    if sized[at] <= 0:
        return None
    return float(gain.change[at] * unit[at]), float(gain.half_width[at] * unit[at]), float(comparison.speed_rpm[at])
