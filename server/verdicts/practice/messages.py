"""What a practice test hid, in plain sentences, once it is revealed."""

from __future__ import annotations

from collections.abc import Sequence

from torvix_core.judging.sentences import signed_percent
from torvix_core.units.grammar import listed

from programmes.models import PracticeTest, PracticeTrait, Setup
from verdicts.practice.truth import Truth


def lessons(practice: PracticeTest, setups: Sequence[Setup], truth: Truth) -> list[str]:
    """One sentence for each thing that made it hard, with what would have met it."""
    habits, traits = truth.habits, set(practice.traits)
    lines = [
        f"Each pull scattered by {habits.scatter * 100:.2f} %, and each further one moved the engine by "
        f"{signed_percent(habits.drift_per_pull)}."
    ]
    if PracticeTrait.DRIFT in traits:
        lines.append("Returns to one setup tell that drift from the parts. Without one, the last setup carries it.")
    if PracticeTrait.CURVED_DRIFT in traits:
        lines.append(
            f"It lost {habits.warming * 100:.1f} % while it warmed through, most of it in the first "
            f"{habits.warming_pulls:.0f} pulls. Conditioning pulls take that away; no straight drift describes it."
        )
    if PracticeTrait.COLD_STARTS in traits:
        lines.append(
            f"Oil and coolant lost {truth.cools * 100:.0f} % of their warmth with each change. A pull below its window "
            "reads low."
        )
    if PracticeTrait.WASH in traits:
        lines.append("Two parts are worth the same: neither is ahead, and either may be taken.")
    if PracticeTrait.CONFOUNDED in traits:
        lines.append(f"The last setup had two new parts: {_parts(setups[-1], truth)}. One of each alone tells which.")
    if PracticeTrait.BOOST_MISS in traits:
        missed = [(name, one["boost_miss_kpa"]) for name, one in truth.parts.items() if one["boost_miss_kpa"]]
        name, kpa = missed[0]
        lines.append(f"With {name} the boost came {kpa:.0f} kPa over its target: that is no gain of the part.")
    return lines


def _parts(setup: Setup, truth: Truth) -> str:
    worth = [
        f"{part} {signed_percent(truth.parts[part.name]['level'] - 1)} of the filling" for part in setup.parts.all()
    ]
    return listed(worth)
