"""What a part changes beside what it is compared for: new heads also move the ratio, and that alone is worth power."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from torvix_core.engine.compression import ratio_worth
from torvix_core.engine.dimensions import Slot
from torvix_core.engine.setup_overlay import overlay
from torvix_core.engine.sheet import BuildSheet
from torvix_core.engine.stack import StackPart

from engines.models import Build
from engines.sheet import sheets
from programmes.plan.plans import Plan, PlannedSetup

LEAST_CHANGE = 0.05  # of the static ratio; less is within how well a chamber is measured [prac]


@dataclass(frozen=True)
class RatioChange:
    """The static ratio of the baseline and of a setup by its place, and what the difference alone is worth: shares."""

    place: int
    before: float
    after: float
    low: float
    high: float


def ratio_changes(plan: Plan, build: Build) -> list[RatioChange]:
    """Of every setup with other heads than the baseline whose chambers are known. Reads the build's sheet only then."""
    heads = [{part.pk for part in setup.parts if part.slot == Slot.CYLINDER_HEAD} for setup in plan.setups]
    if all(one == heads[0] for one in heads[1:]):
        return []
    sheet = sheets.sheet_of(build)
    ratios = [_ratio(sheet, plan.setups[0], setup) for setup in plan.setups]
    found = []
    for place, ratio in enumerate(ratios):
        if ratio is not None and ratios[0] is not None and abs(ratio - ratios[0]) >= LEAST_CHANGE:
            low, high = (float(one) for one in ratio_worth(ratios[0], ratio))
            found.append(RatioChange(place, ratios[0], ratio, low, high))
    return found


def sentence(plan: Plan, change: RatioChange) -> str:
    """As it stands among what the setups of a plan can tell."""
    verb = "raises" if change.after > change.before else "lowers"
    return (
        f"{plan.setups[change.place].letter} also {verb} the static ratio, {change.before:.1f}:1 to "
        f"{change.after:.1f}:1. That alone is worth about {signed_span(change.low, change.high)} of power where spark "
        "and fuel allow it, whatever the heads flow."
    )


def signed_span(low: float, high: float) -> str:
    """A span of shares in per cent, the smaller size first."""
    ends = sorted((low, high), key=abs)
    sign = "+" if ends[0] >= 0 else "−"
    return f"{sign}{abs(ends[0]) * 100:.1f} to {sign}{abs(ends[1]) * 100:.1f} %"


def _ratio(sheet: BuildSheet, baseline: PlannedSetup, setup: PlannedSetup) -> float | None:
    described, own = (_stack(one) for one in (baseline, setup))
    laid = sheets.work_out(overlay(sheet, described, own).sheet)
    figure = next(one for one in laid.figures if one.rule.key == "static_ratio")
    return figure.amount.value if figure.amount else None


def _stack(setup: PlannedSetup) -> Sequence[StackPart]:
    return [StackPart(Slot(part.slot), part.name, sheets.values(part.readings.all())) for part in setup.parts]
