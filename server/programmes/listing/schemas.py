"""Programmes as a list, and the standard in force."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from torvix_core.air.standards import DEFINITIONS

from engines.builds.service import displacement
from engines.stacks.schemas import CheckOut
from programmes.models import STANDARDS, Programme, Setup
from shop.schema import Schema


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
    is_practice: bool
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


def standard_out(standard: str) -> StandardOut:
    found = next(known for known in STANDARDS if known == standard)
    definition = DEFINITIONS[found]
    return StandardOut(
        id=standard,
        label=definition.label,
        note=definition.note,
        source=definition.source,
        valid=list(definition.valid) if definition.valid else None,
    )


def programme_row(programme: Programme) -> dict[str, Any]:
    return {
        "id": programme.pk,
        "question": programme.question,
        "engine": programme.build.engine.name,
        "setups": [setup_out(setup) for setup in programme.setups.all()],
        "created_at": programme.created_at,
        "created_by": str(programme.created_by),
        "archived": programme.archived_at is not None,
    }


def programme_out(programme: Programme) -> ProgrammeOut:
    return ProgrammeOut(
        **programme_row(programme),
        build=f"rev {programme.build.revision}",
        build_id=programme.build_id,
        displacement_l=None if (volume := displacement(programme.build)) is None else volume * 1000,
        standard=standard_out(programme.standard),
        standards=[standard_out(str(standard)) for standard in STANDARDS],
        low_rpm=programme.low_rpm,
        high_rpm=programme.high_rpm,
        sweep_start_rpm=programme.sweep_start_rpm,
        sweep_end_rpm=programme.sweep_end_rpm,
        sweep_rate_rpm_s=programme.sweep_rate_rpm_s,
        smallest_difference_percent=programme.smallest_difference * 100,
        held_constant=programme.held_constant,
        stand_in=programme.stand_in,
        is_practice=hasattr(programme, "practice"),
        from_file_at=programme.from_file_at,
    )
