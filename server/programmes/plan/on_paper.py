"""The engine on paper with each setup of a plan: what its parts and settings change against the baseline."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from torvix_core.engine.dimensions import SHEET
from torvix_core.engine.setup_overlay import SETTINGS, overlay

from engines.models import Build, Part
from engines.parts.service import stack_part
from engines.sheet import sheets
from engines.sheet.moved import moved_words
from programmes.plan.plans import SETTING, Plan, PlannedSetup

FLOW_TABLES = {"intake_flow_table": "Intake flow table", "exhaust_flow_table": "Exhaust flow table"}


@dataclass(frozen=True)
class SetupOnPaper:
    """`moved` are figures and findings that read otherwise than with the baseline; `unknown` is to be measured anew:
    what the build sheet says of it belongs to the part that comes off."""

    place: int
    moved: list[str]
    unknown: list[str]


def on_paper(plan: Plan, build: Build, units: Mapping[str, str]) -> list[SetupOnPaper]:
    """Every setup but the baseline, whose parts the build sheet describes. The build needs readings and flow tables."""
    if not plan.setups:
        return []
    sheet, base = sheets.sheet_of(build), plan.setups[0]
    ids = {part.pk for setup in plan.setups for part in setup.parts}
    written = Part.objects.filter(pk__in=ids).select_related("parent", "matched_to").prefetch_related("readings")
    parts = {part.pk: stack_part(part) for part in written}
    described, *stacks = ([parts[part.pk] for part in setup.parts] for setup in plan.setups)
    before = sheets.work_out(overlay(sheet, described, described, _settings(base)).sheet)
    found = []
    for place, setup in enumerate(plan.setups[1:], 1):
        laid = overlay(sheet, described, stacks[place - 1], _settings(setup))
        unknown = [FLOW_TABLES.get(key) or SHEET[key].label for key in laid.unknown]
        found.append(SetupOnPaper(place, moved_words(before, sheets.work_out(laid.sheet), units), unknown))
    return found


def _settings(setup: PlannedSetup) -> dict[str, float | str]:
    """Those that the build sheet knows as well, SI; a choice by its key there."""
    found: dict[str, float | str] = {}
    for key in SETTINGS:
        if (setting := setup.settings.get(f"{SETTING}{key}")) is None:
            continue
        if setting.value is not None:
            found[key] = setting.value
        elif (chosen := _choice(key, setting.text)) is not None:
            found[key] = chosen
    return found


def _choice(key: str, text: str) -> str | None:
    """None where a file of somebody else's has words that are no choice."""
    choices = dict(SHEET[key].choices)
    return text if text in choices else next((one for one, label in choices.items() if label == text), None)
