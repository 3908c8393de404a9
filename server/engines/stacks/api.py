"""The parts library over the API, and two stacks of parts held against each other."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router
from torvix_core.engine.stack import Limits

from engines.builds.access import readable_builds
from engines.parts import service as parts
from engines.sheet import sheets
from engines.stacks.schemas import StacksIn, StacksOut, stacks_out
from shop.permissions import person_of, units_of
from shop.refusals import Invalid

router = Router(tags=["engines"])
STACK_AT_MOST = 40


@router.post("/stacks/compare", response=StacksOut, operation_id="compare_stacks")
def compare_stacks(request: HttpRequest, given: StacksIn) -> StacksOut:
    """Any two stacks of parts, before anything is bolted on. A build brings the height that it allows."""
    person = person_of(request)
    if len(given.one) > STACK_AT_MOST or len(given.other) > STACK_AT_MOST:
        raise Invalid(f"A stack holds at most {STACK_AT_MOST} parts.", fields={"one": "too many parts"})
    limits = Limits()
    if given.build_id is not None:
        limits = sheets.limits(get_object_or_404(readable_builds(person), pk=given.build_id))
    found = {part.pk: part for part in parts.readable_parts(person).filter(pk__in={*given.one, *given.other})}
    missing = {*given.one, *given.other} - found.keys()
    if missing:
        raise Invalid("A part of the stack is not in the library.", fields={"one": f"no part {min(missing)}"})
    stacks = [parts.stack_of([found[pk] for pk in chosen]) for chosen in (given.one, given.other)]
    return stacks_out(stacks[0], stacks[1], limits, units_of(person))
