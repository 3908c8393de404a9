"""Estimates that were kept, each with what was measured of it since."""

from __future__ import annotations

from datetime import datetime

import numpy as np
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema, Status
from torvix_core.judging.sentences import signed_percent
from torvix_core.units.checked import Array

from programmes.models import Programme
from shop.models import Person
from shop.permissions import may_operate, person_of
from verdicts.access import programme_of
from verdicts.estimates import service
from verdicts.estimates.service import Outcome
from verdicts.models import Estimate

router = Router(tags=["estimates"])


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


@router.get("/programmes/{programme_id}/estimates", response=list[EstimateOut], operation_id="estimates")
def read_estimates(request: HttpRequest, programme_id: int) -> list[EstimateOut]:
    """What was kept of this test, the newest first."""
    person = person_of(request)
    held = programme_of(person, programme_id).estimates.select_related("part", "setup", "build", "by")
    held = held.select_related("programme__build__engine")
    rows = ("curves__against__parts", "curves__against__settings", "setup__parts", "setup__settings")
    return [estimate_out(person, one) for one in held.prefetch_related(*rows)]


@router.delete("/estimates/{estimate_id}", response={204: None}, operation_id="withdraw_estimate")
def withdraw_estimate(request: HttpRequest, estimate_id: int) -> Status[None]:
    """Take one back, by whoever kept it, while nothing was measured of it."""
    person = person_of(request)
    seen = Estimate.objects.filter(programme__in=Programme.objects.visible_to(person))
    service.withdraw(person, get_object_or_404(seen.select_related("programme__build", "by"), pk=estimate_id))
    return Status(204, None)


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


def _sentence(found: Outcome) -> str:
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
