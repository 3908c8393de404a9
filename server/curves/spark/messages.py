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
    lines.append(_next(found))
    return lines


def left_on_the_table(found: SparkWork, held: float) -> str:
    """What the ladder says a held timing leaves; "" where it names no best."""
    ladder = found.ladder
    if ladder is None or ladder.best is None or ladder.low is None or ladder.high is None:
        return ""
    return (
        f"best near {ladder.best:.0f}°, {ladder.low:.0f} to {ladder.high:.0f}°; held {held - ladder.best:+.0f}° from it"
    )


def _next(found: SparkWork) -> str:
    wanted, limit = found.next, found.bounds.limit
    at = found.rungs[-1][1]
    if wanted is not None:
        return f"Next: {wanted:g}°."
    if limit is not None and at + found.bounds.step > limit:
        return f"The limit of {limit:g}° ends the ladder here."
    return "No further step is suggested."


def _step(step: SparkStep) -> str:
    middle, low, high = (f"{share * 100:+.1f}" for share in (step.change, step.low, step.high))
    change = f"{step.before:g}° to {step.after:g}°: {middle} % torque, {low} to {high} %"
    return {
        StepVerdict.BETTER: f"{change}. Better beyond scatter: keep {step.after:g}°.",
        StepVerdict.WORSE: f"{change}. Worse beyond scatter: go back to {step.before:g}°.",
        StepVerdict.NOT_SEPARATED: f"{change}. Within scatter: not separated, keep the lesser advance.",
    }[step.verdict]
