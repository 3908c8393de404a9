"""A part that was not tested, between those that were: inferred, never ranked."""

from __future__ import annotations

from django.http import HttpRequest
from django.utils import timezone
from ninja import Query, Router, Status

from shop.permissions import person_of, units_of
from verdicts.access import programme_with_parts
from verdicts.comparison.aligned_pulls import compare
from verdicts.estimates.schemas import EstimateOut, estimate_out
from verdicts.slot_in.keeping import keep_between
from verdicts.slot_in.schemas import SlotInAsked, SlotInOut, nothing_out, slot_in_out
from verdicts.slot_in.service import place_between

router = Router(tags=["slot in"])


@router.get("/programmes/{programme_id}/slot-in", response=SlotInOut, operation_id="slot_in")
def read_slot_in(request: HttpRequest, programme_id: int, given: Query[SlotInAsked]) -> SlotInOut:
    """Torque of a part of the library between tested ones of its kind. It is inferred, and no measurement."""
    person = person_of(request)
    programme = programme_with_parts(person, programme_id)
    choice, asked = given.read(programme), given.asked()
    compared = compare(programme, choice.standard, choice.counting)
    found = place_between(person, compared, choice, asked)
    return nothing_out() if found is None else slot_in_out(found, compared, choice, units_of(person))


@router.post("/programmes/{programme_id}/slot-in", response={201: EstimateOut}, operation_id="keep_slot_in")
def keep_slot_in(request: HttpRequest, programme_id: int, given: SlotInAsked) -> Status[EstimateOut]:
    """Keep the curve as it stands, with what it was made from; a later test of the part is held against it."""
    person = person_of(request)
    programme = programme_with_parts(person, programme_id)
    choice = given.read(programme)
    held = keep_between(
        person, programme, choice, given.asked(), given.model_dump(exclude_defaults=True), timezone.now()
    )  # fmt: skip
    return Status(201, estimate_out(person, held))
