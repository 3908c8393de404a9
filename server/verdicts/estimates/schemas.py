"""Gains by speed as they are drawn, and estimates that were kept with what was measured of them since."""

from __future__ import annotations

from datetime import datetime

import numpy as np
from torvix_core.judging.sentences import signed_percent
from torvix_core.units.checked import Array

from curves.reduction.nature import Nature
from shop.models import Person
from shop.permissions import may_operate
from shop.schema import Schema
from verdicts.estimates import service
from verdicts.estimates.gains import GainCurve
from verdicts.estimates.service import MeasuredSince
from verdicts.models import Estimate


class GainOut(Schema):
    """A curve of a gain; `nature` as its pulls have it, or inferred or transferred. `setup_id` of this test, if any."""

    nature: str
    label: str
    setup_id: int | None
    speed_rpm: list[float]
    percent: list[float]
    low_percent: list[float]
    high_percent: list[float]


def gain_out(label: str, gain: GainCurve, setup_id: int | None = None) -> GainOut:
    drawn = estimated_out(gain.nature, label, gain.speed_rpm, gain.change, gain.low, gain.high)
    return drawn.model_copy(update={"setup_id": setup_id})


def estimated_out(nature: Nature, label: str, speed_rpm: Array, change: Array, low: Array, high: Array) -> GainOut:
    percent, low_percent, high_percent = ((each * 100).tolist() for each in (change, low, high))
    return GainOut(
        nature=nature, label=label, setup_id=None, speed_rpm=speed_rpm.tolist(), percent=percent,
        low_percent=low_percent, high_percent=high_percent,
    )  # fmt: skip


class EstimateOut(Schema):
    """`outcome` is what a later test measured, empty while there is none; `inside` the share of its speeds at which
    the band holds that, null then."""

    id: int
    nature: str
    sentence: str
    made_from: list[str]
    by: str
    at: datetime
    outcome: str
    inside: float | None
    test_id: int | None
    may_withdraw: bool


def estimate_out(person: Person, estimate: Estimate) -> EstimateOut:
    found = service.outcome_of(person, estimate)
    basis = estimate.made_from.get("basis")
    return EstimateOut(
        id=estimate.pk, nature=estimate.nature, sentence=estimate.sentence,
        made_from=[str(line) for line in basis] if isinstance(basis, list) else [], by=str(estimate.by), at=estimate.at,
        outcome=_sentence(found) if found else "", inside=found.inside if found else None,
        test_id=found.gain.programme.pk if found else None,
        may_withdraw=found is None and may_operate(person) and estimate.by_id == person.pk,
    )  # fmt: skip


def _sentence(found: MeasuredSince) -> str:
    where = "at every speed" if found.inside == 1 else f"at {found.inside * 100:.0f} % of the speeds"
    speed = found.gain.speed_rpm
    return (
        f'Tested since, in "{found.gain.programme.question}": {_mean(found.gain.change)} '
        f"({_mean(found.gain.low)} to {_mean(found.gain.high)}) {found.gain.nature} on the mean from {speed[0]:.0f} to "
        f"{speed[-1]:.0f} rpm; the estimate said {_mean(found.said.change)} there. Inside its band {where}, missed by "
        f"{found.missed * 100:.1f} % of torque."
    )


def _mean(shares: Array) -> str:
    return signed_percent(float(np.mean(shares)))
