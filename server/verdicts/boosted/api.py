"""Boosted setups by both schools: equal boost with its allowances, equal drive with its breathing, and exhaust cost."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Query, Router

from programmes.plan.saving import plan_in_force
from shop.permissions import is_person, units_of
from shop.refusals import Refusal
from verdicts.access import programme_of
from verdicts.boosted.schemas import BoostedOut, boosted_out
from verdicts.boosted.service import boosted
from verdicts.comparison.aligned_pulls import compare
from verdicts.judging.schemas import ChoiceIn

router = Router(tags=["boosted setups"])


@router.get("/programmes/{programme_id}/boosted", response=BoostedOut, operation_id="boosted")
def read_boosted(request: HttpRequest, programme_id: int, given: Query[ChoiceIn]) -> BoostedOut:
    """How boost was held and what it did. Refusal `no_boost` where a pull that counts did not record it."""
    assert is_person(request.user)
    programme = programme_of(request.user, programme_id)
    choice = given.read(programme)
    found = boosted(compare(programme, choice.standard, choice.counting), plan_in_force(programme), choice)
    if found is None:
        raise Refusal("Not every accepted pull recorded boost, so nothing is said of it.", code="no_boost")
    return boosted_out(found, units_of(request.user))
