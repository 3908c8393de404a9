"""Programmes as a list, and the standard in force."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.db.models import Prefetch, QuerySet
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router, Schema, Status
from torvix_core.air.standards import DEFINITIONS
from torvix_core.engine.dimensions import STACK_ORDER

from engines.builds.service import displacement
from engines.models import Build
from engines.parts.api import CheckOut, stacks_out
from engines.parts.service import readable_parts, stack_of
from engines.sheet import sheets
from programmes.expectations import service as expectations
from programmes.models import STANDARDS, Programme, Setup
from programmes.plan import saving
from shop.models import Person
from shop.permissions import is_person, units_of
from shop.refusals import Invalid

router = Router(tags=["programmes"])


class SetupOut(Schema):
    id: int
    letter: str
    position: int
    name: str
    is_baseline: bool
    parts: list[str]
    candidate: str
    candidate_reason: str


class ProgrammeRow(Schema):
    id: int
    question: str
    engine: str
    setups: list[SetupOut]
    created_at: datetime
    created_by: str
    archived: bool


class StandardOut(Schema):
    id: str
    label: str
    note: str
    source: str
    valid: list[float] | None


class StandardIn(Schema):
    standard: str


class BuildIn(Schema):
    build_id: int


class ExpectationIn(Schema):
    setup_id: int
    measure: str
    text: str
    sentence: str = ""


class StackPartOut(Schema):
    id: int
    name: str


class StackSetup(Schema):
    """A setup as a stack: what is in each slot, whether it goes together, and how it differs from the baseline."""

    setup_id: int
    parts: dict[str, list[StackPartOut]]
    fit: list[CheckOut]
    differences: list[str]
    changes: int
    fairness: list[CheckOut]


class StackSlot(Schema):
    slot: str
    label: str
    varies: bool


class Stacks(Schema):
    baseline_id: int | None
    slots: list[StackSlot]
    setups: list[StackSetup]


class ProgrammeOut(ProgrammeRow):
    build: str
    build_id: int
    displacement_l: float | None
    standard: StandardOut
    standards: list[StandardOut]
    low_rpm: float
    high_rpm: float
    sweep_start_rpm: float
    sweep_end_rpm: float
    sweep_rate_rpm_s: float
    smallest_difference_percent: float
    held_constant: str
    stand_in: str
    from_file_at: datetime | None


def setup_out(setup: Setup) -> SetupOut:
    return SetupOut(
        id=setup.pk,
        letter=setup.letter,
        position=setup.position,
        name=setup.name,
        is_baseline=setup.is_baseline,
        parts=[part.name for part in setup.parts.all()],
        candidate=setup.candidate,
        candidate_reason=setup.candidate_reason,
    )


def _standard(standard: str) -> StandardOut:
    found = next(known for known in STANDARDS if known == standard)
    told = DEFINITIONS[found]
    return StandardOut(
        id=standard,
        label=told.label,
        note=told.note,
        source=told.source,
        valid=list(told.valid) if told.valid else None,
    )


def _row(programme: Programme) -> dict[str, Any]:
    return {
        "id": programme.pk,
        "question": programme.question,
        "engine": programme.build.engine.name,
        "setups": [setup_out(setup) for setup in programme.setups.all()],
        "created_at": programme.created_at,
        "created_by": str(programme.created_by),
        "archived": programme.archived_at is not None,
    }


def readable(person: Person) -> QuerySet[Programme]:
    seen = Programme.objects.visible_to(person).select_related("build__engine", "created_by")
    return seen.prefetch_related("setups__parts")


def _person(request: HttpRequest) -> Person:
    assert is_person(request.user)  # the router's authentication has seen to it
    return request.user


def programme_out(programme: Programme) -> ProgrammeOut:
    return ProgrammeOut(
        **_row(programme),
        build=f"rev {programme.build.revision}",
        build_id=programme.build_id,
        displacement_l=None if (volume := displacement(programme.build)) is None else volume * 1000,
        standard=_standard(programme.standard),
        standards=[_standard(str(standard)) for standard in STANDARDS],
        low_rpm=programme.low_rpm,
        high_rpm=programme.high_rpm,
        sweep_start_rpm=programme.sweep_start_rpm,
        sweep_end_rpm=programme.sweep_end_rpm,
        sweep_rate_rpm_s=programme.sweep_rate_rpm_s,
        smallest_difference_percent=programme.smallest_difference * 100,
        held_constant=programme.held_constant,
        stand_in=programme.stand_in,
        from_file_at=programme.from_file_at,
    )


@router.get("/programmes", response=list[ProgrammeRow], operation_id="programmes")
def list_programmes(request: HttpRequest, archived: bool = False):
    found = readable(_person(request)).filter(archived_at__isnull=not archived)
    return [_row(programme) for programme in found[:200]]


@router.get("/standards", response=list[StandardOut], operation_id="standards")
def list_standards(request: HttpRequest):
    """The standards that a programme can be judged by."""
    return [_standard(str(standard)) for standard in STANDARDS]


@router.get("/programmes/{programme_id}", response=ProgrammeOut, operation_id="programme")
def read_programme(request: HttpRequest, programme_id: int):
    return programme_out(get_object_or_404(readable(_person(request)), pk=programme_id))


@router.put("/programmes/{programme_id}/standard", response=ProgrammeOut, operation_id="choose_standard")
def choose_standard(request: HttpRequest, programme_id: int, chosen: StandardIn):
    person = _person(request)
    return programme_out(
        saving.choose_standard(
            person, get_object_or_404(readable(person), pk=programme_id), chosen.standard, timezone.now()
        )
    )


@router.post("/programmes/{programme_id}/expectations", response={204: None}, operation_id="expect")
def expect(request: HttpRequest, programme_id: int, given: ExpectationIn):
    """Write down what one expects of a setup; an empty text takes it back."""
    person = _person(request)
    programme = get_object_or_404(Programme.objects.visible_to(person), pk=programme_id)
    setup = get_object_or_404(Setup, pk=given.setup_id, programme=programme)
    expectations.expect(person, setup, given.measure, given.text, given.sentence, timezone.now())
    return Status(204, None)


@router.put("/programmes/{programme_id}/build", response=ProgrammeOut, operation_id="choose_build")
def choose_build(request: HttpRequest, programme_id: int, chosen: BuildIn):
    person = _person(request)
    programme = get_object_or_404(readable(person), pk=programme_id)
    build = get_object_or_404(Build.objects.select_related("engine"), pk=chosen.build_id)
    return programme_out(saving.choose_build(person, programme, build))


@router.get("/programmes/{programme_id}/stacks", response=Stacks, operation_id="stacks")
def read_stacks(request: HttpRequest, programme_id: int, baseline: int | None = None):
    """The setups as stacks, held against the baseline or against any other setup of the programme."""
    person = _person(request)
    parts = Prefetch("setups__parts", queryset=readable_parts(person))
    programmes = Programme.objects.visible_to(person).select_related("build").prefetch_related(parts)
    programme = get_object_or_404(programmes, pk=programme_id)
    units, limits = units_of(person), sheets.limits(programme.build)
    stacks = {setup.pk: stack_of(list(setup.parts.all())) for setup in programme.setups.all()}
    against = baseline or next((setup.pk for setup in programme.setups.all() if setup.is_baseline), None)
    if baseline is not None and baseline not in stacks:
        raise Invalid("This setup belongs to another programme.", fields={"baseline": "choose one of this programme"})

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
