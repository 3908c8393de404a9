"""A guideline in plain sentences: what it is about, what the tests say, and what that does not say."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from torvix_core.engine.dimensions import Dimension, Slot
from torvix_core.guidelines.pooling import Pooled
from torvix_core.guidelines.standing import Bearing, Claimed, GuidelineState
from torvix_core.judging.sentences import signed_percent
from torvix_core.units import quantities
from torvix_core.units.grammar import counted, listed

from shop.units import unit_for
from verdicts.guidelines.evidence import Gathered
from verdicts.guidelines.one_test import TestSays
from verdicts.guidelines.service import variable_of
from verdicts.models import Guideline, GuidelineMeasure

STATES = {
    GuidelineState.UNTESTED: "No test speaks of it yet",
    GuidelineState.ONE_ENGINE: "One engine, which says nothing of another",
    GuidelineState.HOLDS: "Holds, for the next engine too",
    GuidelineState.ON_AVERAGE: "Holds on average, and the next engine may differ",
    GuidelineState.OPEN: "Open",
    GuidelineState.REFUTED: "The tests speak against it",
}  # fmt: skip
CLAIMS = {Claimed.MORE: "more", Claimed.LESS: "less", Claimed.NOTHING: "the same"}
MOST = 0.99
DIFFER = 0.05  # chance below which results lie further apart than their own errors explain


def amount(guideline: Guideline, value: float, units: Mapping[str, str]) -> str:
    """A value of the guideline's variable in the reader's unit."""
    dimension = variable_of(guideline)
    if not dimension.is_quantity:
        return f"{value:g}"
    return quantities.words(value, unit_for(dimension.figure, dimension.unit, units))


def about(guideline: Guideline, units: Mapping[str, str]) -> str:
    """What more of what is said to do what, where."""
    dimension = variable_of(guideline)
    claim = CLAIMS[Claimed(guideline.claimed)]
    if guideline.measure == GuidelineMeasure.PEAK_SPEED:
        what = {"more": "torque peaks at a higher speed", "less": "torque peaks at a lower speed",
                "the same": "torque peaks at the same speed"}[claim]  # fmt: skip
    else:
        what = f"{claim} torque on average"
        if guideline.low_rpm is not None:
            what += f" from {guideline.low_rpm:.0f} to {guideline.high_rpm:.0f} rpm"
    engines = f" Engines named “{guideline.engine_words}”." if guideline.engine_words else ""
    step = amount(guideline, guideline.step, units)
    return f"{Slot(guideline.slot).label}, {dimension.label.lower()} + {step}: {what}.{engines}"


def effect(guideline: Guideline, value: float) -> str:
    """An effect of one step as it is written."""
    if guideline.measure == GuidelineMeasure.PEAK_SPEED:
        return f"{value:+.0f} rpm".replace("-", "−")
    return signed_percent(float(np.expm1(value)))


def summary(found: Gathered, units: Mapping[str, str]) -> str:
    """What the measured tests say together."""
    guideline, pooled = found.guideline, found.pooled
    if pooled is None:
        wait = f" {counted(found.waiting, 'test')} still being worked out." if found.waiting else ""
        return f"No measured test has setups that differ in this alone.{wait}"
    step = amount(guideline, guideline.step, units)
    tests = counted(len(found.counted), "test")
    mean = f"{effect(guideline, pooled.mean)} for {step} ({_interval(guideline, pooled.low, pooled.high)})"
    if pooled.count == 1:
        return f"One engine, {tests}: {mean}. One engine says nothing of another."
    lines = [f"{counted(pooled.count, 'engine')}, {tests}: {mean} on average."]
    if pooled.next_low is None or pooled.next_high is None:
        lines.append("Two engines do not say how far engines differ: nothing is expected of the next.")
    else:
        either = " It can go either way there." if pooled.next_low < 0 < pooled.next_high else ""
        lines.append(f"The next engine: {_interval(guideline, pooled.next_low, pooled.next_high)}.{either}")
    if pooled.chance_alike < DIFFER:
        share = pooled.share_of_heterogeneity
        most = "nearly all" if share > MOST else f"{share * 100:.0f} %"
        lines.append(f"Engines differ: {most} of how far they lie apart is more than their own scatter explains.")
    return " ".join(lines)


def counts(found: Gathered) -> str:
    """How many tests speak for it, against it, and neither."""
    numbers = [found.bearing(which) for which in (Bearing.FOR, Bearing.AGAINST, Bearing.NEITHER)]
    return f"{numbers[0]} for, {numbers[1]} against, {numbers[2]} undecided"


def notes(said: TestSays) -> list[str]:
    """What is to be known of one test's figure."""
    found = []
    if said.double_of is not None:
        found.append(f"Holds the same recordings as “{said.double_of.question}”, so it counts once, there.")
    if said.along:
        found.append(f"These parts differ in {listed(said.along)}, too.")
    if said.is_bent:
        found.append("Not on a straight line: an average between the ends.")
    if said.across_days:
        found.append("Some were run on different days, linked by others.")
    return found


def _interval(guideline: Guideline, low: float, high: float) -> str:
    return f"{effect(guideline, low)} to {effect(guideline, high)}"


def dimension_unit(dimension: Dimension, units: Mapping[str, str]) -> str:
    """In which a step is typed."""
    return unit_for(dimension.figure, dimension.unit, units) if dimension.is_quantity else ""


def pooled_words(guideline: Guideline, pooled: Pooled) -> str:
    return f"{effect(guideline, pooled.mean)} ({_interval(guideline, pooled.low, pooled.high)})"
