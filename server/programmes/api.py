"""Programmes as a list, and the standard in force."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.db.models import QuerySet
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema
from torvix_core.standards import DEFINITIONS

from engines.services import displacement
from programmes import services
from programmes.models import STANDARDS, Programme, Setup
from shop.services import is_person

router = Router(tags=["programmes"])


class SetupOut(Schema):
    id: int
    letter: str
    position: int
    name: str
    is_baseline: bool
    parts: list[str]


class ProgrammeRow(Schema):
    id: int
    question: str
    engine: str
    setups: list[SetupOut]
    created_at: datetime
    created_by: str


class StandardOut(Schema):
    id: str
    label: str
    note: str
    source: str
    valid: list[float] | None


class StandardIn(Schema):
    standard: str


class ProgrammeOut(ProgrammeRow):
    build: str
    displacement_l: float
    standard: StandardOut
    standards: list[StandardOut]
    low_rpm: float
    high_rpm: float
    sweep_start_rpm: float
    sweep_end_rpm: float
    sweep_rate_rpm_s: float
    smallest_difference_percent: float
    held_constant: str


def setup_out(setup: Setup) -> SetupOut:
    return SetupOut(
        id=setup.pk,
        letter=setup.letter,
        position=setup.position,
        name=setup.name,
        is_baseline=setup.is_baseline,
        parts=[part.name for part in setup.parts.all()],
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
    }


def _readable() -> QuerySet[Programme]:
    return Programme.objects.select_related("build__engine", "created_by").prefetch_related("setups__parts")


def programme_out(programme: Programme) -> ProgrammeOut:
    return ProgrammeOut(
        **_row(programme),
        build=f"rev {programme.build.revision}",
        displacement_l=displacement(programme.build) * 1000,
        standard=_standard(programme.standard),
        standards=[_standard(str(standard)) for standard in STANDARDS],
        low_rpm=programme.low_rpm,
        high_rpm=programme.high_rpm,
        sweep_start_rpm=programme.sweep_start_rpm,
        sweep_end_rpm=programme.sweep_end_rpm,
        sweep_rate_rpm_s=programme.sweep_rate_rpm_s,
        smallest_difference_percent=programme.smallest_difference * 100,
        held_constant=programme.held_constant,
    )


@router.get("/programmes", response=list[ProgrammeRow], operation_id="programmes")
def list_programmes(request: HttpRequest):
    return [_row(programme) for programme in _readable()[:200]]


@router.get("/programmes/{programme_id}", response=ProgrammeOut, operation_id="programme")
def read_programme(request: HttpRequest, programme_id: int):
    return programme_out(get_object_or_404(_readable(), pk=programme_id))


@router.put("/programmes/{programme_id}/standard", response=ProgrammeOut, operation_id="choose_standard")
def choose_standard(request: HttpRequest, programme_id: int, chosen: StandardIn):
    assert is_person(request.user)
    return programme_out(
        services.choose_standard(request.user, get_object_or_404(_readable(), pk=programme_id), chosen.standard)
    )
