"""What a ladder of ignition timing says, a sentence each."""

from __future__ import annotations

from torvix_core.tuning.spark_ladder import NoBest, SparkStep, StepVerdict
from torvix_core.units.grammar import numbered

from curves.spark.service import SparkWork

NONE = {
    NoBest.FEW: "Pull a third setting to find the best one.",
    NoBest.FLAT: "No bend beyond scatter: these pulls do not show a best setting.",
    NoBest.OUTSIDE: "The best setting may lie past the tested ones, so no number is given.",
    NoBest.LIMIT: "The best setting may lie past the limit, so no number is given.",
}


def sentences(found: SparkWork) -> list[str]:
    """Knock first, then the last step, then the best."""
    lines = []
    if found.knocked:
        at = max(degrees for pull, degrees, _ in found.rungs if pull in found.knocked)
        lines.append(f"{numbered('pull', [pull.number for pull in found.knocked]).capitalize()} knocked at {at:g}°: "
                     "step back.")  # fmt: skip
    ladder = found.ladder
    if ladder is None:
        return lines
    lines.append(_step(ladder.steps[-1]))
    if ladder.best is None or ladder.low is None or ladder.high is None or ladder.flat is None:
        lines.append(NONE[ladder.none or NoBest.FLAT])
    else:
        lines.append(f"Best near {ladder.best:.0f}°, {ladder.low:.0f} to {ladder.high:.0f}° (95 %); flat within "
                     f"± {ladder.flat:.0f}°.")  # fmt: skip
    return lines


def _step(step: SparkStep) -> str:
    middle, low, high = (f"{share * 100:+.1f}" for share in (step.change, step.low, step.high))
    change = f"{step.before:g}° to {step.after:g}°: {middle} % torque, {low} to {high} %"
    return {
        StepVerdict.BETTER: f"{change}. Better beyond scatter: keep {step.after:g}°.",
        StepVerdict.WORSE: f"{change}. Worse beyond scatter: go back to {step.before:g}°.",
        StepVerdict.NOT_SEPARATED: f"{change}. Within scatter: not separated, keep the lesser advance.",
    }[step.verdict]
