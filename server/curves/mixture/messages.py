"""What the mixture adviser says, a sentence each, and why it says nothing."""

from __future__ import annotations

from torvix_core.engine.settings import MAIN_JET, TUNE_KINDS
from torvix_core.pull.trace import BANKS
from torvix_core.tuning.mixture_advice import JetAdvice, Withheld
from torvix_core.units.grammar import counted, listed

from curves.mixture.service import MixtureWork, ScoredCase

MISSING = {
    "channel": "No mixture was measured in this pull, so no jets are advised.",
    "lambda_left": "Mixture was read on the left bank alone. The right bank may be leaner, so no jets are advised.",
    "lambda_right": "Mixture was read on the right bank alone. The left bank may be leaner, so no jets are advised.",
    "target": "No mixture target: set one for the setup or on the build sheet, then jets can be advised.",
    "factor": "The mixture is part of the question of this test, so no jets are advised.",
    "delivered": "Every setup runs as delivered in this test, so no jets are advised.",
    "positions": "The jets of this pull are written down for one carburetor and for two, or by bank as well: nobody "
    "knows which are in. Take the others out of the plan, then jets can be advised.",
    "table": "A jet of this pull is not in the shop's table of sizes, so no jets are advised. Add its size under "
    "Parts, Jet sizes.",
    "jets": "The jets of this pull are not written down by position. Adjust “Main jet, primary” and the others to what "
    "is in, then jets can be advised.",
}
WITHHELD = {
    Withheld.IN_BAND: "In the band: leave the jets.",
    Withheld.LEAN_END: "No gain is expected from leaner jets: leave them.",
    Withheld.LEAN_LIMIT: "A leaner step might pass the lean limit. Pull smaller steps by hand, one number at a time.",
    Withheld.FIRST_PULL: "First pull after a change: pull once more before going leaner.",
    Withheld.KNOCK: "It knocked: no leaner jets. Take spark out or go richer first.",
    Withheld.EXHAUST: "The exhaust is at its limit or close to it: no leaner jets. Check the ignition timing first; "
    "late timing heats the exhaust too.",
    Withheld.NO_STEP: "No whole number of jets comes nearer to the target.",
}
WITHHELD_FUEL = {
    Withheld.LEAN_LIMIT: "Less fuel might bring one bank past the lean limit: leave the fuel table.",
    Withheld.IN_BAND: "In the band: leave the fuel table.",
    Withheld.LEAN_END: "No gain is expected from less fuel: leave it.",
    Withheld.KNOCK: "It knocked: no less fuel. Take spark out or add fuel first.",
    Withheld.EXHAUST: "The exhaust is at its limit or close to it: no less fuel. Check the ignition timing first; "
    "late timing heats the exhaust too.",
}


def reading_words(found: MixtureWork) -> str:
    """Where the mixture lies against its band, both ends named."""
    if found.reading is None or found.band is None:
        return ""
    read, band = found.reading, found.band
    return (
        f"Lambda {read.mean:.3f} on average, target {band.target:.3f} ± {band.tolerance:.3f}; richest "
        f"{read.richest:.2f} at {read.richest_rpm:.0f} rpm, leanest {read.leanest:.2f} at {read.leanest_rpm:.0f} rpm; "
        f"{read.share_in_band * 100:.0f} % of the range in the band."
    )


def bank_words(found: MixtureWork) -> str:
    """One bank against the other; "" where not both were read."""
    banks = found.banks
    if banks is None:
        return ""
    if banks.alike:
        return f"The banks agree: {abs(banks.mean):.3f} lambda apart on average."
    leaner, richer = ("left", "right") if banks.mean > 0 else ("right", "left")
    return (
        f"The {leaner} bank is {abs(banks.mean):.3f} lambda leaner than the {richer} one on average, "
        f"{abs(banks.most):.3f} apart at {banks.most_rpm:.0f} rpm. Look for a leak, a plug or the carburetor's own "
        "distribution before jetting both for one."
    )


def hazard_words(found: MixtureWork) -> str:
    """What comes before the next pull; "" where nothing does."""
    if found.reading is None or found.band is None:
        return ""
    bank = found.leanest_bank
    if not found.reading.past_limit:
        if bank is None or bank <= found.band.lean_limit:
            return ""
        return (
            f"One bank is lean under load: lambda {bank:.2f}, limit {found.band.lean_limit:.2f}. Make it richer before "
            "the next pull."
        )
    return (
        f"Lean under load: lambda {found.reading.leanest:.2f} at {found.reading.leanest_rpm:.0f} rpm, limit "
        f"{found.band.lean_limit:.2f}. Make it richer before the next pull."
    )


def advice_words(found: MixtureWork) -> str:
    """Which jets, what they should give, and what that should bring; or why none are advised."""
    if found.missing in ("channel", "target", *BANKS) and not found.jets:
        return ""  # nobody jets this engine by these pulls
    if found.missing:
        return MISSING[found.missing]
    if isinstance(found.advice, Withheld):
        return WITHHELD[found.advice]
    if isinstance(found.fuel, Withheld):
        return WITHHELD_FUEL.get(found.fuel, WITHHELD[found.fuel])
    if found.fuel:
        steps = listed([f"{step.share * 100:+.0f} % at {step.speed_rpm:.0f}" for step in found.fuel if step.share])
        return f"Change the fuel by {steps} rpm; where it is rich, half of the way at once."
    if found.advice is None:
        return ""
    advice = found.advice
    expected = f"lambda {advice.mean:.3f} expected, {advice.mean_low:.3f} to {advice.mean_high:.3f}"
    low, middle, high = (f"{share * 100:+.1f}" for share in (advice.gain_low, advice.gain, advice.gain_high))
    power = f"Power {middle} % expected, {low} to {high} %."
    if sum(advice.steps.values()) > 0 and advice.gain < 0:
        power = "Richer for safety first, whatever it costs in power."
    return f"Try {jets_words(advice)}: {expected}. {power}"


def jets_words(advice: JetAdvice) -> str:
    positions = TUNE_KINDS[MAIN_JET].positions
    return "main jet " + listed([
        f"{number:g} {positions[position]}{f' ({advice.steps[position]:+d})' if advice.steps[position] else ''}"
        for position, number in advice.jets.items()
    ])  # fmt: skip


def basis_words(found: MixtureWork) -> list[str]:
    """What the advice rests on."""
    if found.slope is None:
        return []
    positions, slope = TUNE_KINDS[MAIN_JET].positions, found.slope
    each = listed([f"{mean:.2f} ± {2 * deviation:.2f} {positions[one]}"
                   for one in slope.positions for mean, deviation in [slope.slope(one)]])  # fmt: skip
    own, shop = counted(slope.own_cases, "jet change"), counted(slope.shop_cases, "jet change")
    lines = [
        f"The mixture follows the jet area by {each} (1 is the area rule): from practice and {own} of this carburetor, "
        f"{shop} in all."
    ]
    if slope.together:
        names = listed([positions[one] for one in slope.together]).capitalize()
        lines.append(f"{names} always moved together, so what each of them does cannot be separated.")
    if found.power is not None:
        (best, spread), (bend, bend_spread) = found.power.best_lambda, found.power.curvature
        lines.append(
            f"Power is best at lambda {best:.3f} ± {2 * spread:.3f}, and 0.05 away from it costs "
            f"{bend * 0.25:.1f} ± {2 * bend_spread * 0.25:.1f} %: from practice and "
            f"{counted(found.power.cases, 'jet change')} of this engine."
        )
    return lines


def scored_words(one: ScoredCase) -> str:
    inside = "inside" if one.low <= one.came <= one.high else "outside"
    return (
        f"Pull {one.case.pull.number} of “{one.case.pull.session.programme.question}”: lambda {one.predicted:.3f} "
        f"predicted, {one.low:.3f} to {one.high:.3f}; {one.came:.3f} came, {inside}."
    )
