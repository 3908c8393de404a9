"""The engine on paper with each setup of a plan: what its parts and settings change against the baseline."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from torvix_core.engine.dimensions import SHEET
from torvix_core.engine.setup_overlay import SETTINGS, OverlaidSheet, overlay

from engines.models import Build, Part
from engines.parts.service import stack_part
from engines.sheet import sheets
from engines.sheet.moved import figure_text, moved_words
from engines.sheet.sheets import WorkedSheet
from programmes.plan.plans import SETTING, Plan, PlannedSetup

FLOW_TABLES = {"intake_flow_table": "Intake flow table", "exhaust_flow_table": "Exhaust flow table"}


@dataclass(frozen=True)
class SetupOnPaper:
    """`moved` are figures and findings that read otherwise than with the baseline; `unknown` is to be measured anew:
    what the build sheet says of it belongs to the part that comes off. `cautions` are the findings that call for care
    and that the baseline does not raise."""

    place: int
    moved: list[str]
    unknown: list[str]
    cautions: list[str]


@dataclass(frozen=True)
class FigureRow:
    """A figure that is not the same for all setups, in a reader's unit by setup; empty where it is not known."""

    label: str
    texts: list[str]


@dataclass(frozen=True)
class EngineOnPaper:
    rows: list[FigureRow]
    setups: list[SetupOnPaper]  # every setup but the baseline


def worked_sheets(plan: Plan, build: Build) -> list[tuple[WorkedSheet, OverlaidSheet]]:
    """The sheet of each setup; the first is the baseline, whose parts the build sheet describes.

    The build needs readings and flow tables.
    """
    sheet = sheets.sheet_of(build)
    ids = {part.pk for setup in plan.setups for part in setup.parts}
    written = Part.objects.filter(pk__in=ids).select_related("parent", "matched_to").prefetch_related("readings")
    parts = {part.pk: stack_part(part) for part in written}
    stacks = [[parts[part.pk] for part in setup.parts] for setup in plan.setups]
    laid = [overlay(sheet, stacks[0], stack, _settings(setup))
            for stack, setup in zip(stacks, plan.setups, strict=True)]  # fmt: skip
    return [(sheets.work_out(one.sheet), one) for one in laid]


def on_paper(plan: Plan, build: Build, units: Mapping[str, str]) -> EngineOnPaper:
    """Figures and findings of every setup, old and new against the baseline."""
    if not plan.setups:
        return EngineOnPaper([], [])
    worked = worked_sheets(plan, build)
    before, found = worked[0][0], []
    raised = {finding.text for finding in before.findings}
    for place, (after, laid) in enumerate(worked[1:], 1):
        unknown = [FLOW_TABLES.get(key) or SHEET[key].label for key in laid.unknown]
        cautions = [one.text for one in after.findings if one.caution and one.text not in raised]
        found.append(SetupOnPaper(place, moved_words(before, after, units), unknown, cautions))
    rows = []
    for figures in zip(*(one.figures for one, _ in worked), strict=False):
        texts = [figure_text(figure, units) for figure in figures]
        if len(set(texts)) > 1:
            rows.append(FigureRow(figures[0].rule.label, texts))
    return EngineOnPaper(rows, found)


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
