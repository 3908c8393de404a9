"""Plan a programme, and change what is in force in it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from django.db import transaction
from torvix_core.standards import DEFINITIONS, Standard

from engines import sheets
from engines.models import Build, Part
from programmes.models import STANDARDS, Programme, Setup, Step, Window
from shop.models import Person
from shop.refusals import Invalid
from shop.services import require_operator


@dataclass(frozen=True)
class PlannedSetup:
    name: str
    parts: Sequence[Part]


@dataclass(frozen=True)
class Sweep:
    start_rpm: float
    end_rpm: float
    rate_rpm_s: float


@transaction.atomic
def plan_programme(
    person: Person,
    at: datetime,
    *,
    question: str,
    build: Build,
    setups: Sequence[PlannedSetup],
    order: Sequence[tuple[int, int]],
    sweep: Sweep,
    range_rpm: tuple[float, float],
    windows: dict[str, tuple[float, float]],
    standard: Standard = Standard.ISO_1585_SI,
    held_constant: str = "",
) -> Programme:
    """A new programme. The first setup is the baseline; `order` holds (setup index, counted pulls); windows in SI."""
    require_operator(person)
    _within_redline(sweep.end_rpm, build)
    programme = Programme.objects.create(
        question=question,
        build=build,
        standard=standard,
        low_rpm=range_rpm[0],
        high_rpm=range_rpm[1],
        sweep_start_rpm=sweep.start_rpm,
        sweep_end_rpm=sweep.end_rpm,
        sweep_rate_rpm_s=sweep.rate_rpm_s,
        held_constant=held_constant,
        created_at=at,
        created_by=person,
    )
    made = []
    for position, planned in enumerate(setups):
        setup = Setup.objects.create(
            programme=programme, position=position, name=planned.name, is_baseline=position == 0
        )
        setup.parts.set(planned.parts)
        made.append(setup)
    Step.objects.bulk_create(
        Step(programme=programme, position=position, setup=made[setup], pulls=pulls)
        for position, (setup, pulls) in enumerate(order)
    )
    Window.objects.bulk_create(
        Window(programme=programme, channel=channel, low=low, high=high) for channel, (low, high) in windows.items()
    )
    return programme


def _within_redline(end_rpm: float, build: Build) -> None:
    redline = sheets.value(build, "redline")
    if redline is not None and end_rpm > redline:
        raise Invalid(
            f"The sweep ends at {end_rpm:.0f} rpm, above the redline of {redline:.0f}.",
            fields={"sweep_end_rpm": "must not be above the redline"},
        )


def choose_build(person: Person, programme: Programme, build: Build) -> Programme:
    """Go on with another revision of the same engine. Pulls that were made stay with theirs."""
    require_operator(person)
    if build.engine_id != programme.build.engine_id:
        raise Invalid("A programme stays with its engine.", fields={"build_id": "choose a revision of the same engine"})
    _within_redline(programme.sweep_end_rpm, build)
    programme.build = build
    programme.save(update_fields=["build"])
    return programme


def choose_standard(person: Person, programme: Programme, standard: str) -> Programme:
    """Put a standard in force for everybody who reads this programme."""
    require_operator(person)
    if standard not in STANDARDS:
        raise Invalid(
            "This standard cannot be used here.", fields={"standard": f"choose one of {', '.join(map(str, STANDARDS))}"}
        )
    programme.standard = Standard(standard)
    programme.save(update_fields=["standard"])
    return programme


def standard_label(standard: str) -> str:
    return DEFINITIONS[Standard(standard)].label
