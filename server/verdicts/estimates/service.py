"""Estimates are kept as they stood, and held against the test that is run later."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import numpy as np
from django.db import transaction
from django.db.models import Exists, OuterRef, QuerySet
from torvix_core.units.checked import Array

from curves.reduction.nature import Nature
from curves.reduction.standard import standard_asked
from engines.models import Build, Part
from programmes.models import Programme, Setup
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Invalid, Refusal
from stand.models import Pull, Standing
from verdicts.comparison.aligned_pulls import NothingKept, compare
from verdicts.estimates.gains import GainCurve, change_of, gain_of
from verdicts.judging.choice import Choice
from verdicts.models import Estimate, EstimatedGain

FEWEST_BINS = 3


class NotYours(Refusal):
    """Somebody else kept it."""

    code = "not_yours"


@dataclass(frozen=True)
class GainOver:
    """Shares of torque over a setup that was run, (bins,) each."""

    against: Setup
    change: Array
    low: Array
    high: Array


@dataclass(frozen=True)
class MeasuredSince:
    """What a later test measured of what an estimate said, over the speeds that both have.

    `inside` is the share of them at which the measured gain lies in the band, its own interval counted in; `missed` the
    root mean square of the difference. Both on the log scale.
    """

    gain: GainCurve
    said: GainOver
    inside: float
    missed: float


@transaction.atomic
def keep(
    person: Person, programme: Programme, nature: Nature, standard: str, sentence: str, made_from: Mapping[str, Any],
    speed_rpm: Array, gains: Sequence[GainOver], at: datetime, part: Part | None = None, setup: Setup | None = None,
    build: Build | None = None,
) -> Estimate:  # fmt: skip
    """Keep an estimate of a part, or of a setup on another engine."""
    require_operator(person)
    held = Estimate.objects.create(
        programme=programme, nature=nature, part=part, setup=setup, build=build, standard=standard, sentence=sentence,
        made_from=dict(made_from), speed_rpm=speed_rpm.tolist(), by=person, at=at,
    )  # fmt: skip
    EstimatedGain.objects.bulk_create(
        EstimatedGain(
            estimate=held, against=one.against, change=one.change.tolist(), low=one.low.tolist(), high=one.high.tolist()
        )
        for one in gains
    )
    return held


def withdraw(person: Person, estimate: Estimate) -> None:
    """Take one back, by whoever kept it, while nothing was measured of it."""
    require_operator(person)
    if estimate.by_id != person.pk:
        raise NotYours(f"{estimate.by} kept this estimate, and nobody else takes it back.")
    if outcome_of(person, estimate) is not None:
        raise Invalid("It was tested since, so it stays.", fields={"estimate": "tested"})
    estimate.delete()


def outcome_of(person: Person, estimate: Estimate) -> MeasuredSince | None:
    """What was measured of it since; None while nothing was, or where the person may not see that test."""
    for test in _tests(person, estimate):
        for curve, one, other in _pairs(test, estimate):
            if not _later(other, estimate.at):
                continue
            choice = Choice(standard_asked(test, estimate.standard))
            try:
                gain = gain_of(compare(test, choice.standard), choice, one, other)
            except (Invalid, NothingKept):
                continue
            speed = np.array(estimate.speed_rpm)
            said = GainOver(curve.against, *(np.array(each) for each in (curve.change, curve.low, curve.high)))
            if ((gain.speed_rpm >= speed[0]) & (gain.speed_rpm <= speed[-1])).sum() >= FEWEST_BINS:
                return _held_against(gain, speed, said)
    return None


def _tests(person: Person, estimate: Estimate) -> QuerySet[Programme]:
    """Tests with pulls since, of the engine and the part, or of the engine that the gain was carried to."""
    accepted = Pull.objects.filter(session__programme=OuterRef("pk"), standing=Standing.ACCEPTED)
    seen = Programme.objects.visible_to(person).filter(Exists(accepted.filter(armed_at__gt=estimate.at)))
    if estimate.part is not None:
        seen = seen.filter(build__engine=estimate.programme.build.engine_id, setups__parts=estimate.part)
    elif estimate.build is not None:
        seen = seen.filter(build__engine=estimate.build.engine_id)
    else:
        return seen.none()
    rows = ("setups__parts", "setups__settings", "build__readings")
    return seen.select_related("build__engine").prefetch_related(*rows).distinct().order_by("created_at")


def _pairs(test: Programme, estimate: Estimate) -> Iterator[tuple[EstimatedGain, Setup, Setup]]:
    """What was estimated, and the two setups of a test that show it."""
    setups = list(test.setups.all())
    for curve in estimate.curves.all():
        for one in setups:
            for other in setups:
                if one.pk != other.pk and _shows(estimate, curve.against, one, other):
                    yield curve, one, other


def _shows(estimate: Estimate, against: Setup, one: Setup, other: Setup) -> bool:
    change = change_of(one, other)
    if estimate.setup is not None:
        return change == change_of(against, estimate.setup)
    assert estimate.part is not None
    in_the_slot = {row for row, _ in change} == {estimate.part.slot}
    return in_the_slot and estimate.part in other.parts.all() and not change_of(against, one)


def _later(setup: Setup, at: datetime) -> bool:
    """Whether nothing of a setup was pulled when the estimate was kept: after that it is no estimate."""
    first = Pull.objects.filter(setup=setup, standing=Standing.ACCEPTED).order_by("armed_at").first()
    return first is not None and first.armed_at is not None and first.armed_at > at


def _held_against(gain: GainCurve, speed: Array, said: GainOver) -> MeasuredSince:
    """On the speeds of the later test."""
    shared = (gain.speed_rpm >= speed[0]) & (gain.speed_rpm <= speed[-1])
    measured = GainCurve(
        gain.programme, gain.nature, *(each[shared] for each in (gain.speed_rpm, gain.change, gain.low, gain.high))
    )
    change, low, high = (
        np.interp(measured.speed_rpm, speed, np.log1p(each)) for each in (said.change, said.low, said.high)
    )
    apart = np.log1p(measured.change) - change
    own = (np.log1p(measured.high) - np.log1p(measured.low)) / 2
    room = np.where(apart > 0, high - change, change - low)
    return MeasuredSince(
        measured, GainOver(said.against, *(np.expm1(each) for each in (change, low, high))),
        float(np.mean(np.abs(apart) <= np.hypot(room, own))), float(np.sqrt(np.mean(apart**2))),
    )  # fmt: skip
