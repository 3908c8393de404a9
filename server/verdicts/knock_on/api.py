"""What each setup asks for next, and its manners."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Query, Router

from programmes.plan.saving import plan_in_force
from shop.permissions import is_person, units_of
from shop.schema import Schema
from verdicts.access import programme_of
from verdicts.comparison.aligned_pulls import compare
from verdicts.judging.schemas import ChoiceIn
from verdicts.knock_on.service import knock_on

router = Router(tags=["knock-on needs"])


class KnockOnOut(Schema):
    setup_id: int
    needs: list[str]
    manners: list[str]


@router.get("/programmes/{programme_id}/knock-on", response=list[KnockOnOut], operation_id="knock_on")
def read_knock_on(request: HttpRequest, programme_id: int, given: Query[ChoiceIn]) -> list[KnockOnOut]:
    assert is_person(request.user)
    programme = programme_of(request.user, programme_id)
    choice = given.read(programme)
    compared = compare(programme, choice.standard, choice.counting)
    found = knock_on(compared, plan_in_force(programme), choice, units_of(request.user))
    return [
        KnockOnOut(setup_id=compared.setups[one.setup].pk, needs=list(one.needs), manners=list(one.manners))
        for one in found
    ]
