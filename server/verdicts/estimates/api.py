"""Estimates that were kept, each with what was measured of it since."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Status

from programmes.models import Programme
from shop.permissions import person_of
from verdicts.access import programme_of
from verdicts.estimates import service
from verdicts.estimates.schemas import EstimateOut, estimate_out
from verdicts.models import Estimate

router = Router(tags=["estimates"])


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
