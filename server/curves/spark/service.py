"""The pulls of a setup that differ in ignition timing alone, read as a ladder."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np
from torvix_core.air.standards import Standard
from torvix_core.tuning.spark_ladder import SparkBounds, SparkLadder, next_setting, read_ladder
from torvix_core.units.quantity_parser import NotUnderstood, read_quantity

from curves.models import SparkDecision, SparkRule
from curves.reduction.correct import CorrectedPull, corrected
from programmes.models import Programme, Setup
from programmes.plan.plans import SETTING
from programmes.settings.service import at_full_throttle
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Invalid, Refusal
from shop.texts import optional
from stand.models import Pull, PullState, Purpose, Standing

SPARK = f"{SETTING}spark_advance"


@dataclass(frozen=True)
class SparkWork:
    """The rungs (pull, degrees, mean corrected torque over the range, N·m) of one tune, and what they say."""

    rungs: Sequence[tuple[Pull, float, float]]
    ladder: SparkLadder | None
    knocked: Sequence[Pull]
    bounds: SparkBounds

    @property
    def knocked_at(self) -> float | None:
        """The least timing that knocked."""
        return min((degrees for pull, degrees, _ in self.rungs if pull in self.knocked), default=None)

    @property
    def next(self) -> float | None:
        """The timing to pull next."""
        return next_setting(self.ladder, self.rungs[-1][1], self.bounds, self.knocked_at) if self.ladder else None


def degrees_of(pull: Pull) -> float | None:
    found = re.match(r"-?\d+(?:\.\d+)?", pull.settings_in_force.get(SPARK, ""))
    return float(found[0]) if found else None


def work(programme: Programme, pull: Pull, pulls: Sequence[Pull]) -> SparkWork:
    """What the pulls of the last tune of this setup and session say of its ignition timing.

    `pulls` are those of the programme with curve and settings; the first after a change is no rung.
    """
    rungs, knocked, bounds = [], [], bounds_of(pull.setup)
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
                         bounds.limit, smallest=programme.smallest_difference) if several else None  # fmt: skip
    return SparkWork(rungs, ladder, knocked, bounds)


def bounds_of(setup: Setup) -> SparkBounds:
    """As they were set for the setup, else the usual ones."""
    rule = SparkRule.objects.filter(setup=setup).first()
    return SparkBounds(rule.step, rule.margin, rule.limit) if rule else SparkBounds()


def set_bounds(person: Person, setup: Setup, step: str, margin: str, limit: str, at: datetime) -> SparkRule:
    """How the timing of a setup is climbed. Invalid names the field."""
    require_operator(person)
    wrong: dict[str, str] = {}

    def typed(field: str, text: str, low: float, high: float) -> float | None:
        try:
            return read_quantity(text, "angle", "°", low, high).value if text.strip() else None
        except NotUnderstood as reason:
            wrong[field] = str(reason)
            return None

    usual = SparkBounds()
    found = typed("step", step, 0.5, 10.0), typed("margin", margin, 0.0, 20.0), typed("limit", limit, -10.0, 70.0)
    if wrong:
        raise Invalid("The ladder is not usable: see the fields.", fields=wrong)
    row, _ = SparkRule.objects.update_or_create(setup=setup, defaults={
        "step": usual.step if found[0] is None else found[0],
        "margin": usual.margin if found[1] is None else found[1], "limit": found[2], "by": person, "at": at,
    })  # fmt: skip
    return row


def read_degrees(text: str) -> float | None:
    """A timing as somebody typed it; None where it is none."""
    try:
        return read_quantity(text, "angle", "°", -10.0, 70.0).value
    except NotUnderstood:
        return None


def decide(person: Person, pull: Pull, held: str, reason: str, left: str, at: datetime) -> SparkDecision:
    """Hold a timing, with the reason; `left` is what the ladder says is left on the table."""
    require_operator(person)
    why = optional(reason, "reason", 200)
    wrong = {} if why else {"reason": "say why it stays there: fuel, season, a margin for the road"}
    degrees = 0.0
    try:
        degrees = read_quantity(held, "angle", "°", -10.0, 70.0).value
    except NotUnderstood as not_understood:
        wrong["held"] = str(not_understood)
    if wrong:
        raise Invalid("The decision is not complete: see the fields.", fields=wrong)
    return SparkDecision.objects.create(
        setup_id=pull.setup_id, pull=pull, held=degrees, left=left[:120], reason=why, by=person, at=at
    )


def _is_rung(one: Pull, pull: Pull) -> bool:
    same = (one.session_id, one.setup_id) == (pull.session_id, pull.setup_id) and one.number <= pull.number
    made = one.state == PullState.COMPLETE and one.purpose == Purpose.SWEEP and one.standing != Standing.EXCLUDED
    return same and made and _rest(one) == _rest(pull)


def _rest(pull: Pull) -> dict[str, str]:
    """Everything of the tune but the spark."""
    return {key: text for key, text in at_full_throttle(pull.settings_in_force).items() if key != SPARK}


def _mean(programme: Programme, found: CorrectedPull) -> float | None:
    inside = (found.speed_rpm >= programme.low_rpm - 1e-6) & (found.speed_rpm <= programme.high_rpm + 1e-6)
    return float(found.torque[inside].mean()) if inside.any() else None
