"""Grids of parts and levels: rankings at each level, regimes along it, and the map of level and speed."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Query, Router

from programmes.plan.saving import plan_in_force
from shop.permissions import is_person, units_of
from shop.refusals import Refusal
from verdicts.access import programme_of
from verdicts.comparison.aligned_pulls import compare
from verdicts.judging import selection_criteria
from verdicts.judging.schemas import ChoiceIn
from verdicts.regimes.schemas import RegimesOut, regimes_out
from verdicts.regimes.service import by_duty, regime_map, regimes

router = Router(tags=["regimes"])


@router.get("/programmes/{programme_id}/regimes", response=RegimesOut, operation_id="regimes")
def read_regimes(request: HttpRequest, programme_id: int, given: Query[ChoiceIn]) -> RegimesOut:
    """Who leads at each level of a test that crosses parts with one. Refusal `no_grid` for any other test."""
    assert is_person(request.user)
    programme = programme_of(request.user, programme_id)
    choice, plan = given.read(programme), plan_in_force(programme)
    compared = compare(programme, choice.standard, choice.counting)
    beside = selection_criteria.of_setups(plan, programme, request.user)
    out = selection_criteria.out_of_the_choice(compared.setups, beside)
    found = regimes(request.user, compared, plan, choice, out)
    if found is None:
        raise Refusal(
            "The setups of this test do not cross a part with a level such as boost, a pulley, spark or a spacer. "
            "Add setups in the plan so that two parts share two levels.",
            code="no_grid",
        )
    return regimes_out(found, plan, beside, regime_map(found.along), list(by_duty(found.along)), units_of(request.user))
