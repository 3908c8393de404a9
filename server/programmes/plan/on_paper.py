"""The engine on paper with each setup of a plan: what its parts and settings change against the baseline."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from django.db.models import Prefetch, Q
from torvix_core.engine.dimensions import SHEET
from torvix_core.engine.setup_overlay import SETTINGS, OverlaidSheet, overlay
from torvix_core.engine.stack import StackPart
from torvix_core.units.grammar import listed

from engines.models import Build, Part
from engines.parts.service import stack_part
from engines.sheet import sheets
from engines.sheet.moved import figure_text, moved_words
from engines.sheet.sheets import WorkedSheet
from programmes.models import Programme, Setup
from programmes.plan.plans import SETTING, Plan, SettingValue
from programmes.settings.service import in_force

FLOW_TABLES = {"intake_flow_table": "Intake flow table", "exhaust_flow_table": "Exhaust flow table"}


@dataclass(frozen=True)
class SetupOnPaper:
    """Against another setup, usually the baseline: `differs` are parts and settings, `moved` figures and findings that
    read otherwise; `cautions` are the findings that call for care and that the other does not raise. `unknown` is to be
    measured anew: what the build sheet says of it belongs to a part of the baseline that comes off."""

    place: int
    differs: list[str]
    moved: list[str]
    unknown: list[str]
    cautions: list[str]


@dataclass(frozen=True)
class PaperFigureRow:
    """A figure that is not the same for all setups, in a reader's unit by setup; empty where it is not known."""

    label: str
    texts: list[str]


@dataclass(frozen=True)
class EngineOnPaper:
    rows: list[PaperFigureRow]
    setups: list[SetupOnPaper]  # every setup but the one that they are held against


def _worked_sheets(
    build: Build, stacks: Sequence[Sequence[StackPart]], settings: Sequence[Mapping[str, SettingValue]]
) -> list[tuple[WorkedSheet, OverlaidSheet]]:
    """The sheet of each setup; the first is the baseline, whose parts the build sheet describes.

    The build needs readings and flow tables.
    """
    sheet = sheets.sheet_of(build)
    laid = [overlay(sheet, stacks[0], stack, sheet_settings(own)) for stack, own in zip(stacks, settings, strict=True)]
    return [(sheets.work_out(one.sheet), one) for one in laid]


def on_paper(plan: Plan, build: Build, units: Mapping[str, str], against: int = 0) -> EngineOnPaper:
    """Figures and findings of every setup, old and new against one of them by its place.

    The build needs readings and flow tables; IndexError if the plan has no such place.
    """
    if not plan.setups:
        return EngineOnPaper([], [])
    worked = _of_plan(plan, build)
    before, levels = worked[against][0], [setup.levels() for setup in plan.setups]
    found = [
        SetupOnPaper(
            place, _differs(plan, levels[against], levels[place]), moved_words(before, after, units), _unknown(laid),
            _cautions(before, after),
        )
        for place, (after, laid) in enumerate(worked) if place != against
    ]  # fmt: skip
    rows = []
    for figures in zip(*(one.figures for one, _ in worked), strict=False):
        texts = [figure_text(figure, units) for figure in figures]
        if len(set(texts)) > 1:
            rows.append(PaperFigureRow(figures[0].rule.label, texts))
    return EngineOnPaper(rows, found)


def planned_sheets(plan: Plan, build: Build) -> list[tuple[WorkedSheet, frozenset[str]]]:
    """The sheet of each setup, with the dimensions that are to be measured anew for it.

    The build needs readings and flow tables.
    """
    return [(worked, frozenset(laid.unknown)) for worked, laid in _of_plan(plan, build)] if plan.setups else []


def _of_plan(plan: Plan, build: Build) -> list[tuple[WorkedSheet, OverlaidSheet]]:
    ids = {part.pk for setup in plan.setups for part in setup.parts}
    written = Part.objects.filter(pk__in=ids).select_related("parent", "matched_to").prefetch_related("readings")
    parts = {part.pk: stack_part(part) for part in written}
    stacks = [[parts[part.pk] for part in setup.parts] for setup in plan.setups]
    return _worked_sheets(build, stacks, [setup.settings for setup in plan.setups])


def of_setup(programme: Programme, setup: Setup) -> list[str]:
    """What must be checked before a setup is run because of its parts and its tune, against the baseline as planned."""
    if setup.is_baseline:
        return []
    rows = programme.setups.filter(Q(is_baseline=True) | Q(pk=setup.pk)).order_by("-is_baseline")
    pair = list(rows.prefetch_related(
        Prefetch("parts", Part.objects.select_related("parent", "matched_to").prefetch_related("readings")),
        "settings", "adjustments",
    ))  # fmt: skip
    if len(pair) < 2:
        return []
    build = Build.objects.prefetch_related("readings", "flow_tables").get(pk=programme.build_id)
    stacks = [[stack_part(part) for part in row.parts.all()] for row in pair]
    (before, _), (after, laid) = _worked_sheets(build, stacks, [in_force(row) for row in pair])
    lines, unknown = _cautions(before, after), _unknown(laid)
    return [*lines, f"Not known with these parts, measure it: {listed(unknown).lower()}."] if unknown else lines


def _differs(plan: Plan, before: Mapping[str, str], after: Mapping[str, str]) -> list[str]:
    """Every part and setting that is another one."""
    return [
        f"{plan.label(key)}: {before.get(key) or 'none'} → {after.get(key) or 'none'}"
        for key in dict.fromkeys([*before, *after])
        if before.get(key) != after.get(key)
    ]


def _cautions(before: WorkedSheet, after: WorkedSheet) -> list[str]:
    """Findings that call for care, and that the sheet before does not raise."""
    raised = {finding.text for finding in before.findings}
    return [finding.text for finding in after.findings if finding.caution and finding.text not in raised]


def _unknown(laid: OverlaidSheet) -> list[str]:
    return [FLOW_TABLES.get(key) or SHEET[key].label for key in laid.unknown]


def sheet_settings(given: Mapping[str, SettingValue]) -> dict[str, float | str]:
    """Those that the build sheet knows as well, SI; a choice by its key there."""
    found: dict[str, float | str] = {}
    for key in SETTINGS:
        if (setting := given.get(f"{SETTING}{key}")) is None:
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
