"""A transferred gain in plain sentences: what it says, by which rule, and what does not go along."""

from __future__ import annotations

import numpy as np
from torvix_core.beyond.transfer import LEVEL_SD, SHARE_SD, SPEED_SD, Demand
from torvix_core.engine.dimensions import Slot
from torvix_core.judging.sentences import signed_percent
from torvix_core.units.grammar import counted, listed

from verdicts.estimates.gains import GainCurve, crossings
from verdicts.transfer.service import Transfer

DEMANDS = {
    Demand.ENGINE: "The part feeds all cylinders", Demand.CYLINDER: "Each cylinder has its own",
}  # fmt: skip


def sentence(found: Transfer) -> str:
    """What the gain comes to on the other engine, over the speeds that it was tested at."""
    letters = f"{found.other.letter} over {found.one.letter}"
    if found.there is not None:
        return (
            f"Measured there: {letters} {_mean(found.there)} from {_span(found.there.speed_rpm)}, in "
            f'"{found.there.programme.question}". No rule is needed.'
        )
    carried = found.carried
    gain = signed_percent(float(carried.change.mean()))
    low, high = signed_percent(float(carried.low.mean())), signed_percent(float(carried.high.mean()))
    mean = f"{gain} ({low} to {high})"
    turns = crossings(found.own.speed_rpm, found.own.change)
    moved = [speed * carried.scale for speed in turns]
    crosses = ""
    if len(turns) == 1 and moved[0] <= carried.speed_rpm[-1]:
        crosses = f" Where they cross moves from {turns[0]:.0f} to about {moved[0]:.0f} rpm."
    return f"Transferred, not measured: {letters} {mean} on the mean from {_span(carried.speed_rpm)}.{crosses}"


def _mean(gain: GainCurve) -> str:
    low, high = signed_percent(float(np.mean(gain.low))), signed_percent(float(np.mean(gain.high)))
    return f"{signed_percent(float(np.mean(gain.change)))} ({low} to {high}) on the mean"


def _span(speed: np.typing.NDArray[np.float64]) -> str:
    return f"{speed[0]:.0f} to {speed[-1]:.0f} rpm"


def rule(found: Transfer) -> str:
    """By which rule, and how sure that is."""
    whose = "all of the engine's air" if found.demand is Demand.ENGINE else "the air of one cylinder"
    chosen = "" if found.demand_is_sure else " The parts that differ are of both kinds: choose which decides."
    return (
        f"The part is taken to see {whose}: the same air comes at {found.carried.scale:.2f} times the speed "
        f"(geometry). Percentages are kept (common practice, no source).{chosen}"
    )


def spread(found: Transfer) -> str:
    """Where the width of the band comes from."""
    known = found.spread
    older = f" Not read: {counted(found.unread, 'older test')} with these parts." if found.unread else ""
    if known.learned_from:
        return (
            f"How engines differ is learned from {known.learned_from} tests of the same parts on other engines: "
            f"{known.level * 100:.1f} % of torque.{older}"
        )
    return (
        f"How engines differ is a wide default, our own assumption: {SHARE_SD * 100:.0f} % of the gain, "
        f"{LEVEL_SD * 100:.1f} % of torque, {SPEED_SD * 100:.0f} % of the speed. Three tests of the same parts on "
        f"other engines replace it.{older}"
    )


def reminders(found: Transfer) -> list[str]:
    """What does not go along to another engine."""
    slots = {part.slot for setup in (found.one, found.other) for part in setup.parts.all()}
    off_and_on = [setup.parts.all() for setup in (found.one, found.other)]
    changed = {part.slot for part in {*off_and_on[0]} ^ {*off_and_on[1]}} or slots
    lines = []
    if changed & {Slot.CAMSHAFT, Slot.CYLINDER_HEAD}:
        lines.append("Piston-to-valve clearance is that engine's own: measure it before the engine is turned over.")
    if changed & {Slot.CAMSHAFT, Slot.INTAKE_MANIFOLD, Slot.CYLINDER_HEAD} and found.carried.scale > 1.02:
        lines.append("Torque comes later there: converter, axle and rev limit have to follow, or the gain is not used.")
    lines.append("Fuel and spark are found anew there: injectors or jets, mixture and timing do not go along.")
    if found.redline is not None and found.own.speed_rpm[-1] * found.carried.scale > found.redline:
        lines.append(f"Above its redline of {found.redline:.0f} rpm nothing is drawn.")
    kinds = listed(sorted(Slot(slot).label.lower() for slot in changed))
    return [
        *lines,
        f"A clearance, a port match or a swap elsewhere can undo it: what was tested is the {kinds}, there.",
    ]
