"""Programmes as a list, and the standard in force."""

from __future__ import annotations

from django.db.models import Prefetch
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router, Status
from torvix_core.engine.dimensions import STACK_ORDER

from engines.models import Build
from engines.parts.service import readable_parts, stack_of
from engines.stacks.schemas import stacks_out
from programmes.expectations import service as expectations
from programmes.listing.access import readable
from programmes.listing.schemas import (
    BuildIn,
    ExpectationIn,
    ProgrammeOut,
    StackPartOut,
    Stacks,
    StackSetup,
    StackSlot,
    StandardIn,
    StandardOut,
    programme_out,
    standard_out,
)
from programmes.models import STANDARDS, Expectation, Programme, Setup
from programmes.plan import criteria, saving
from shop.permissions import person_of, units_of
from shop.refusals import Invalid

router = Router(tags=["programmes"])


@router.get("/standards", response=list[StandardOut], operation_id="standards")
def list_standards(request: HttpRequest) -> list[StandardOut]:
    """The standards that a programme can be judged by."""
    return [standard_out(str(standard)) for standard in STANDARDS]


@router.get("/programmes/{programme_id}", response=ProgrammeOut, operation_id="programme")
def read_programme(request: HttpRequest, programme_id: int) -> ProgrammeOut:
    return programme_out(get_object_or_404(readable(person_of(request)), pk=programme_id))


@router.put("/programmes/{programme_id}/standard", response=ProgrammeOut, operation_id="choose_standard")
def choose_standard(request: HttpRequest, programme_id: int, chosen: StandardIn) -> ProgrammeOut:
    person = person_of(request)
    return programme_out(
        saving.choose_standard(
            person, get_object_or_404(readable(person), pk=programme_id), chosen.standard, timezone.now()
        )
    )


@router.post("/programmes/{programme_id}/expectations", response={204: None}, operation_id="expect")
def expect(request: HttpRequest, programme_id: int, given: ExpectationIn) -> Status[None]:
    """Write down what one expects of a setup."""
    person = person_of(request)
    programme = get_object_or_404(Programme.objects.visible_to(person), pk=programme_id)
    setup = get_object_or_404(Setup, pk=given.setup_id, programme=programme)
    expectations.expect(person, setup, given.measure, given.text, given.sentence, timezone.now())
    return Status(204, None)


@router.delete("/expectations/{expectation_id}", response={204: None}, operation_id="take_expectation_back")
def take_expectation_back(request: HttpRequest, expectation_id: int) -> Status[None]:
    """Withdraw what one expected oneself, before the setup is armed."""
    person = person_of(request)
    seen = Expectation.objects.filter(setup__programme__in=Programme.objects.visible_to(person))
    expectations.take_back(person, get_object_or_404(seen, pk=expectation_id))
    return Status(204, None)


@router.put("/programmes/{programme_id}/build", response=ProgrammeOut, operation_id="choose_build")
def choose_build(request: HttpRequest, programme_id: int, chosen: BuildIn) -> ProgrammeOut:
    person = person_of(request)
    programme = get_object_or_404(readable(person), pk=programme_id)
    build = get_object_or_404(Build.objects.select_related("engine"), pk=chosen.build_id)
    return programme_out(saving.choose_build(person, programme, build))


@router.get("/programmes/{programme_id}/stacks", response=Stacks, operation_id="stacks")
def read_stacks(request: HttpRequest, programme_id: int, baseline: int | None = None) -> Stacks:
    """The setups as stacks, held against the baseline or against any other setup of the programme."""
    person = person_of(request)
    parts = Prefetch("setups__parts", queryset=readable_parts(person))
    programmes = Programme.objects.visible_to(person).select_related("build").prefetch_related(parts)
    programme = get_object_or_404(programmes, pk=programme_id)
    units, limits = (
        units_of(person),
        criteria.stack_limits(programme.height_limit, programme.must_look_stock, programme.build),
    )
    stacks = {setup.pk: stack_of(list(setup.parts.all())) for setup in programme.setups.all()}
    against = baseline or next((setup.pk for setup in programme.setups.all() if setup.is_baseline), None)
    if baseline is not None and baseline not in stacks:
        raise Invalid("This setup belongs to another test.", fields={"baseline": "choose one of this test"})

    def setup_out(setup: Setup) -> StackSetup:
        found = stacks_out(stacks[against or setup.pk], stacks[setup.pk], limits, units)
        placed: dict[str, list[StackPartOut]] = {}
        for part in setup.parts.all():
            placed.setdefault(part.slot, []).append(StackPartOut(id=part.pk, name=part.name))
        return StackSetup(
            setup_id=setup.pk, parts=placed, fit=found.fit[1], differences=found.differences, changes=found.changes,
            fairness=found.fairness,
        )  # fmt: skip

    rows = [setup_out(setup) for setup in programme.setups.all()]
    return Stacks(
        baseline_id=against,
        slots=[
            StackSlot(slot=slot, label=slot.label, varies=len({_names(row, slot) for row in rows}) > 1)
            for slot in STACK_ORDER
            if any(slot in row.parts for row in rows)
        ],
        setups=rows,
    )


def _names(row: StackSetup, slot: str) -> tuple[str, ...]:
    return tuple(sorted(part.name for part in row.parts.get(slot, [])))
