"""The road in plain sentences: who is quickest, where to shift, and by which rules a time was worked out."""

from __future__ import annotations

from torvix_core.judging.difference import DifferenceState
from torvix_core.road.shifts import SAME_TIME
from torvix_core.units.grammar import listed

from verdicts.road.service import EIGHTH, LABELS, QUARTER, Road, RoadMeasure
from verdicts.road.vehicle_of import GRIPS, INERTIAS, TORQUES, RoadVehicle

WORDS = {
    DifferenceState.EQUAL: "equal", DifferenceState.SMALL: "a wash", DifferenceState.UNDECIDED: "not decided",
}  # fmt: skip


def measure_sentence(found: Road, measure: RoadMeasure) -> str:
    """Such as "Quarter mile: B is quickest, 0.08 s (0.05 to 0.11 s) before A"; empty where nothing is known."""
    letters = [setup.letter for setup in found.comparison.setups]
    label, baseline = LABELS[measure.key], found.comparison.baseline
    if not measure.leading:
        return ""
    if len(measure.leading) > 1 or measure.state is not None:
        names = listed([letters[setup] for setup in measure.leading])
        assert measure.state is not None
        return f"{label}: {names} lead together, {WORDS[measure.state]}, within {max(measure.widest, SAME_TIME):.2f} s."
    (best,) = measure.leading
    gap = measure.to_baseline[best]
    if gap is None:
        behind = [setup for setup, one in enumerate(measure.to_baseline) if one is not None and setup not in found.out]
        second = min(behind, key=lambda setup: measure.to_baseline[setup].seconds, default=None)  # type: ignore[union-attr]
        if second is None:
            return f"{label}: nothing is held against {letters[best]}."
        gap, other = measure.to_baseline[second], letters[second]
        assert gap is not None
        return f"{label}: {letters[best]} is quickest, {_span(gap.seconds, gap.low, gap.high)} before {other}."
    return (
        f"{label}: {letters[best]} is quickest, {_span(-gap.seconds, -gap.high, -gap.low)} before {letters[baseline]}."
    )


def _span(seconds: float, low: float, high: float) -> str:
    return f"{seconds:.2f} s ({low:.2f} to {high:.2f} s)".replace("-", "−")


def shift_words(best: float, low: float, high: float, open_above: bool, reached: bool, searched: bool) -> str:
    """One shift: a range over which the time is the same within 0.01 s."""
    if not reached:
        return "not reached"
    if not searched:
        return f"{best:.0f} rpm, as typed"
    if open_above:
        return f"from {low:.0f} rpm, open above"
    return f"{low:.0f} to {high:.0f} rpm" if low < high else f"{best:.0f} rpm"


def conventions(of: RoadVehicle, density: float) -> list[str]:
    """The rules that weigh more than the numerics, as they were chosen."""
    rules = of.vehicle.conventions
    rollout = "the clock starts after a rollout of 1 ft" if rules.rollout else "the clock starts at the first movement"
    return [
        GRIPS[rules.grip], INERTIAS[rules.inertia], f"Torque {TORQUES[rules.torque].lower()}",
        f"{rollout[:1].upper()}{rollout[1:]}", f"Drag in air of {density:.3f} kg/m³",
        "Speed at the line is the mean over the last 66 ft",
    ]  # fmt: skip


def notes(found: Road, of: RoadVehicle, labels: dict[str, str]) -> list[str]:
    """What a reader of the times must know."""
    assumed = [labels[line.key].lower() for line in of.lines if line.source == "assumed"]
    lines = [
        "A time is as good as the vehicle that it is worked out for. What setups differ in is surer than any time."
    ]
    if assumed:
        lines.append(f"Assumed, common practice: {listed(assumed)}.")
    if any(measure.key in (EIGHTH, QUARTER) and not measure.leading for measure in found.measures):
        lines.append("Where no setup is said to be quickest, a run is not known, or nothing tells the scatter yet.")
    if found.shifts.open_above.any():
        ends = f"{found.comparison.speed_rpm[-1]:.0f} rpm"
        lines.append(
            f"Open above: the best shift is the end of the sweep, {ends}. Sweep further to see whether later is better."
        )
    return lines
