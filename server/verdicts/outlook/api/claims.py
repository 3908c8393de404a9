"""A claim in words, checked against the pulls that count."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router
from torvix_core.units import quantities

from curves.reduction.standard import standard_asked
from shop.permissions import is_person, units_of
from shop.schema import Schema
from verdicts.access import programme_of
from verdicts.outlook import claims

router = Router(tags=["claims"])


class ClaimOut(Schema):
    """How a claim was read and what the pulls say; value and interval in `unit`."""

    sentences: list[str]
    state: str
    setup_id: int
    against_id: int | None
    is_gain: bool
    thing: str
    where: str
    unit: str
    claimed: float
    value: float
    low: float
    high: float
    pulls: list[int]


@router.get("/programmes/{programme_id}/claim", response=ClaimOut, operation_id="check_claim")
def read_claim(
    request: HttpRequest, programme_id: int, text: str, setup_id: int | None = None, standard: str = ""
) -> ClaimOut:
    """Hold a claim against the pulls; nothing of it is kept."""
    assert is_person(request.user)
    programme = programme_of(request.user, programme_id)
    found = claims.check(programme, standard_asked(programme, standard), units_of(request.user), text, setup_id)
    unit = found.claim.unit

    def shown(value: float) -> float:
        return float(quantities.difference_from_si(value, unit))

    return ClaimOut(
        sentences=claims.sentences(found), state=found.state, setup_id=found.setup.pk,
        against_id=found.against.pk if found.against else None, is_gain=found.claim.is_gain,
        thing=str(found.claim.thing), where=found.figure.words, unit=unit, claimed=shown(found.claim.value),
        value=shown(found.value), low=shown(found.low), high=shown(found.high), pulls=list(found.pulls),
    )  # fmt: skip
