"""What a plan says of itself while it is written and when it is read: one answer for the editor and for the page."""

from __future__ import annotations

from torvix_core.engine.settings import SETTINGS
from torvix_core.judging import duty
from torvix_core.judging.duty import PRESETS, Preset
from torvix_core.units.grammar import listed

from engines.models import Build
from engines.sheet import sheets
from programmes.models import BoostPolicy, ProgrammeKind
from programmes.order import orders
from programmes.plan import confounding, criteria, derived_changes, grids, plans
from programmes.plan.plans import SETTING, Plan
from programmes.plan.schemas import (
    AnswerOut,
    CostOut,
    DayPlanOut,
    EmptyCellOut,
    FailingOut,
    HeldOut,
    PlanGridOut,
    PlanSummary,
    day_out,
)
from shop.models import Person

LONG_LADDER = 2  # steps built on each other, from which the order they are tried in begins to matter


def plan_summary(plan: Plan, build: Build, person: Person, wrong: dict[str, str]) -> PlanSummary:
    asked = confounding.ask(plan)
    day, day_problem = _day(plan, build, person)
    return PlanSummary(
        fields=wrong,
        letters=[setup.letter for setup in plan.setups],
        labels={key: plan.label(key) for key in plan.used_rows()},
        answers=[
            AnswerOut(question=answer.question, standing=answer.standing, answer=answer.answer)
            for answer in asked.answers
        ],
        addition=asked.addition,
        added=dict(asked.added) if asked.added else None,
        copies=list(asked.copies),
        derived=[derived_changes.sentence(plan, one) for one in derived_changes.ratio_changes(plan, build)],
        grid=_grid(plan),
        held=[HeldOut(label=label, level=level) for label, level in plan.held()],
        failing=[
            FailingOut(setup=place, reasons=reasons) for place, reasons in criteria.failing(plan, build, person).items()
        ],
        costs=[
            CostOut(setup=place, price=float(cost.visible), unknown=[*cost.unknown, *cost.hidden])
            for place, cost in criteria.costs(plan, person).items()
        ],
        warnings=_warnings(plan, build),
        duty_points=_duty_points(plan),
        day=day,
        day_problem=day_problem,
        live=len(plan.active) <= orders.LIVE_SETUPS,
    )


def _grid(plan: Plan) -> PlanGridOut | None:
    """What the setups cross, and the cells that are still empty."""
    found = grids.plan_grid(plan)
    if found is None:
        return None
    grid = found.grid
    baseline = plan.setups[0].levels()
    parts = listed([plan.label(slot) for slot in grid.part_slots]).lower()
    return PlanGridOut(
        sentence=(
            f"This test crosses {parts} with {plan.label(grid.level_slot).lower()}: {len(grid.parts)} by "
            f"{len(grid.levels)}. Each level gets a ranking of its own."
        ),
        empty=[
            EmptyCellOut(
                name=f"{found.part_name(part)} at {grid.levels[level]}",
                levels={**baseline, **found.missing(part, level)},
            )
            for part, level in grid.empty()
        ],
    )


def _day(plan: Plan, build: Build, person: Person) -> tuple[DayPlanOut | None, str]:
    if not plan.order:
        return None, ""
    try:
        laid = orders.lay_out(plan, build)
    except ValueError as reason:
        return None, f"The day cannot be laid out: {reason}."
    need, _ = plans.fuel_need(plan.times, plan.sweep, build)
    return day_out(plan, laid, need.pull if need else None, person), ""


def _duty_points(plan: Plan) -> list[list[float]]:
    low, high = plan.range_rpm
    if plan.objective.preset == Preset.DRAWN:
        return [list(point) for point in plan.objective.points]
    if plan.objective.preset not in list(Preset) or low >= high:
        return []
    return [list(point) for point in duty.preset(Preset(plan.objective.preset), low, high).points]


def _warnings(plan: Plan, build: Build) -> list[str]:
    """What a reader of the plan must keep in mind; practice and limits of what it can show."""
    lines = []
    if (kept := sheets.word(build, "fixed_parts")) and not plan.objective.fixed_slots:
        lines.append(f"The build sheet says that the customer keeps: {kept}. Mark them, so that no setup changes them.")
    if plan.stand_in:
        lines.append(f"A stand-in test: {plan.stand_in}. What it shows holds for the engine as it is tested.")
    if plan.kind == ProgrammeKind.STEPWISE and _longest_ladder(plan) >= LONG_LADDER:
        lines.append(
            "A stepwise build: a part tested early may be worth more, or less, once the later ones are on. Repeat an "
            "early step at the end to see it."
        )
    boost = SETTING + "boost_target"
    targets = {setup.levels().get(boost, "") for setup in plan.setups if setup.is_in}
    crossed = grids.plan_grid(plan)
    if plan.boost_policy == BoostPolicy.EQUAL_BOOST and len(targets) > 1 and not (crossed and crossed.is_boost):
        lines.append("Equal boost is agreed, but the boost targets of the setups differ.")
    if plan.boost_policy == BoostPolicy.NONE and any(targets):
        lines.append("A setup has a boost target, but whether boost or drive is held equal is not agreed.")
    last = [setup.letter for setup in plan.setups if setup.place == "last" and setup.is_in]
    if last:
        lines.append(f"{last[0]} ends the day after the last return: drift during its pulls cannot be seen.")
    return lines


def _longest_ladder(plan: Plan) -> int:
    longest = 0
    for setup in plan.setups:
        steps, base = 0, setup.based_on
        while base is not None:
            steps, base = steps + 1, plan.setups[base].based_on if base else None
        longest = max(longest, steps)
    return longest


def settings_known() -> list[tuple[str, str, str]]:
    """Settings that a matrix can have as rows: key, label, hint with the unit."""
    return [(SETTING + known.key, known.label, known.hint or known.unit) for known in SETTINGS]


def duties_known() -> list[tuple[str, str, str]]:
    return [(which.value, facts.label, facts.meaning) for which, facts in PRESETS.items()]
