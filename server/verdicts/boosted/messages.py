"""What boosted setups say of each other, in plain sentences."""

from __future__ import annotations

from collections.abc import Mapping

from torvix_core.judging.difference import Difference
from torvix_core.judging.sentences import signed_percent
from torvix_core.regimes.boosted import ExhaustCost
from torvix_core.units import quantities

from verdicts.boosted.service import Boosted, DrivenSetup, HeldPull, SameBoostPair, only_camshaft


def _of(found: Difference) -> str:
    change, low, high = (signed_percent(float(share)) for share in (found.change, found.low, found.high))
    return f"{change} ({low} to {high})"


def held_words(found: HeldPull, units: Mapping[str, str]) -> str:
    """Where a pull left its window, and what its miss is worth: an allowance beside the result, never in it."""
    if found.held is None or found.worth is None or found.by is None:
        return "no target was set"
    value, low, high = found.worth
    basis = "by the same part at other boost" if found.by.learned else "by the pressure ratio alone, so roughly"
    where = "; ".join(
        f"{quantities.words(abs(one.miss), units['boost'])} {'over' if one.miss > 0 else 'short'} from "
        f"{one.low_rpm:.0f} to {one.high_rpm:.0f} rpm"
        for one in found.misses
    )
    worth = f"worth {signed_percent(value)} ({signed_percent(low)} to {signed_percent(high)}) of power, {basis}"
    return f"{where + ': ' if where else 'inside its window; '}{worth}"


def driven_words(found: Boosted, one: DrivenSetup) -> str:
    """What made a setup's power against the baseline's, with the drive as it is."""
    if one.split is None:
        return ""
    letters = [found.comparison.setups[place].letter for place in (one.setup, found.comparison.baseline)]
    smallest = found.comparison.programme.smallest_difference
    power, pressure, breathing = one.split.power, one.split.pressure, one.split.breathing
    by_boost = signed_percent(float(pressure.change))
    text = f"{letters[0]} against {letters[1]}: power {_of(power)}, of it boost {by_boost}, breathing {_of(breathing)}."
    if float(breathing.low) > 0 and float(breathing.change) > smallest:
        if float(pressure.change) < 0 and float(power.low) > 0:
            return f"{text} Less boost with more power: the engine swallows more, so this is progress, no fault."
        return f"{text} It breathes better at the same pressure."
    if float(breathing.high) < 0 and float(breathing.change) < -smallest:
        return f"{text} At the same pressure it makes less: worse breathing, a hotter charge, or what the drive takes."
    return f"{text} Its breathing is not separated from that of {letters[1]}."


def pair_sentence(found: Boosted, pair: SameBoostPair, units: Mapping[str, str]) -> str:
    """Such as "same boost, +0.9 bar back pressure, +9000 rpm, −6 % power: too much overlap for this turbo"."""
    setups, at = found.comparison.setups, pair.found
    names = f"{setups[pair.other].letter} against {setups[pair.one].letter}"
    unit = units["boost"]
    apart = round(float(quantities.difference_from_si(at.boost, unit)), 2)
    boost = f"{apart:+.2f} {unit}".replace("-", "−") if apart else f"0.00 {unit}"
    if at.cost is ExhaustCost.OTHER_BOOST:
        return f"{names}: not the same boost ({boost}), so back pressure and power are not held against each other."
    back, low, high = (float(quantities.difference_from_si(each, unit)) for each in at.back_pressure)
    parts = [f"same boost ({boost})", f"back pressure {_span(back, low, high, 2)} {unit}"]
    if at.turbine is not None:
        parts.append(f"turbine {_span(*at.turbine, 0)} rpm")
    parts.append(f"power {_of(at.power)}")
    text = f"{names}: {', '.join(parts)}"
    match at.cost:
        case ExhaustCost.DEARER if only_camshaft(pair):
            end = ". That points at too much overlap for this turbo."
        case ExhaustCost.DEARER:
            end = ". More is asked of the turbine, and the engine gives no more for it."
        case ExhaustCost.UNPAID:
            end = ". More is asked of the turbine, and no gain in power is separated from scatter."
        case ExhaustCost.PAID:
            end = ". More is asked of the turbine, and the engine pays for it."
        case ExhaustCost.FREE:
            end = ". More power for no more back pressure."
        case ExhaustCost.CHEAPER:
            end = ". Less is asked of the turbine for as much power or more."
        case ExhaustCost.WEAKER:
            end = ". The loss does not show on the exhaust side."
        case _:
            end = ". No difference that is separated from scatter."
    return text + end


def _span(value: float, low: float, high: float, digits: int) -> str:
    return f"{value:+.{digits}f} ± {(high - low) / 2:.{digits}f}".replace("-", "−")


def notes(found: Boosted) -> list[str]:
    lines = [
        "An allowance says what a miss is worth; it is never merged into the ranking at equal boost. The regimes place "
        "pulls at the boost that they reached, which is that merge, and say so."
    ]
    if found.exhaust is None:
        lines.append("Not every pull recorded the exhaust pressure: what boost costs on that side is not known.")
    elif found.turbine is None:
        lines.append("Not every pull recorded the turbine speed.")
    return lines
