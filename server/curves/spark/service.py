"""The pulls of a setup that differ in ignition timing alone, read as a ladder."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from torvix_core.air.standards import Standard
from torvix_core.tuning.spark_ladder import SparkLadder, read_ladder

from curves.reduction.correct import CorrectedPull, corrected
from programmes.models import Programme
from programmes.plan.plans import SETTING
from shop.refusals import Refusal
from stand.models import Pull, PullState, Purpose, Standing

SPARK = f"{SETTING}spark_advance"


@dataclass(frozen=True)
class SparkWork:
    """The rungs (pull, degrees, mean corrected torque over the range, N·m) of one tune, and what they say."""

    rungs: Sequence[tuple[Pull, float, float]]
    ladder: SparkLadder | None
    knocked: Sequence[Pull]


def degrees_of(pull: Pull) -> float | None:
    found = re.match(r"-?\d+(?:\.\d+)?", pull.settings_in_force.get(SPARK, ""))
    return float(found[0]) if found else None


def work(programme: Programme, pull: Pull, pulls: Sequence[Pull]) -> SparkWork:
    """What the pulls of the last tune of this setup and session say of its ignition timing.

    `pulls` are those of the programme with curve and settings; the first after a change is no rung.
    """
    rungs, knocked = [], []
    for one in sorted(pulls, key=lambda each: each.number):
        if not _is_rung(one, pull) or (degrees := degrees_of(one)) is None:
            continue
        try:
            found = corrected(one, Standard(programme.standard))
        except Refusal:
            continue
        mean = _mean(programme, found)
        if mean is not None:
            rungs.append((one, degrees, mean))
            if any(odd.kind == "knock" for odd in one.reduced.anomalies.all()):
                knocked.append(one)
    several = len({degrees for _, degrees, _ in rungs}) > 1
    ladder = read_ladder(np.array([degrees for _, degrees, _ in rungs]), np.array([mean for _, _, mean in rungs]),
                         smallest=programme.smallest_difference) if several else None  # fmt: skip
    return SparkWork(rungs, ladder, knocked)


def _is_rung(one: Pull, pull: Pull) -> bool:
    same = (one.session_id, one.setup_id) == (pull.session_id, pull.setup_id) and one.number <= pull.number
    made = one.state == PullState.COMPLETE and one.purpose == Purpose.SWEEP and one.standing != Standing.EXCLUDED
    return same and made and _rest(one) == _rest(pull)


def _rest(pull: Pull) -> dict[str, str]:
    """Everything of the tune but the spark."""
    return {key: text for key, text in pull.settings_in_force.items() if key != SPARK}


def _mean(programme: Programme, found: CorrectedPull) -> float | None:
    inside = (found.speed_rpm >= programme.low_rpm - 1e-6) & (found.speed_rpm <= programme.high_rpm + 1e-6)
    return float(found.torque[inside].mean()) if inside.any() else None
