"""The limits of a test, in one place: what a setup must keep beside its power. They never change a number.

Height, looks, cost, parts that the customer keeps, what the engine on paper may not pass (clearance, blower speed),
that the parts go together; and the redline, which holds for the sweep of the whole test. A plan's own limit goes before
that of the build sheet. A clearance that is measured at the stand holds the arming as well, by the same least value.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from functools import partial

from torvix_core.engine.dimensions import Slot
from torvix_core.engine.findings import passed_limits
from torvix_core.engine.setup_overlay import overlay
from torvix_core.engine.stack import Limits, StackLevel, StackPart, check_fit
from torvix_core.units.grammar import listed

from engines.models import Build
from engines.parts.service import may_see_price, stack_of
from engines.sheet import sheets
from engines.sheet.entries import show
from programmes.plan.on_paper import sheet_settings
from programmes.plan.plans import Plan, PlannedSetup
from shop.models import Person
from shop.money import currency, money
from shop.permissions import units_of
from shop.refusals import Invalid

LIMITED = ("intake_clearance", "exhaust_clearance", "blower_limit")  # without one of them nothing on paper is passed


def stack_limits(height_limit: float | None, must_look_stock: bool, build: Build) -> Limits:
    """What the owner allows a stack of parts: the plan's own limits, else those of the build sheet."""
    of_engine = sheets.limits(build)
    height = of_engine.height if height_limit is None else height_limit
    return Limits(height, must_look_stock or of_engine.must_look_stock)


def cost_ceiling(plan: Plan, build: Build) -> Decimal | None:
    """The plan's own ceiling for new parts, else the budget on the build sheet."""
    if plan.objective.cost_ceiling is not None:
        return plan.objective.cost_ceiling
    budget = sheets.value(build, "budget")
    return None if budget is None else Decimal(str(budget))


def within_redline(end_rpm: float, build: Build) -> None:
    """Invalid where a sweep ends above the redline of the build sheet."""
    redline = sheets.value(build, "redline")
    if redline is not None and end_rpm > redline:
        raise Invalid(
            f"The sweep ends at {end_rpm:.0f} rpm, above the redline of {redline:.0f}.",
            fields={"sweep_end_rpm": "must not be above the redline"},
        )


def failing(plan: Plan, build: Build, person: Person) -> dict[int, list[str]]:
    """By place of the setup, what it does not keep; only setups that fail something.

    The build needs readings and flow tables.
    """
    stacks = [stack_of(list(setup.parts)) for setup in plan.setups]
    units, ceiling = units_of(person), cost_ceiling(plan, build)
    limits = stack_limits(plan.objective.height_limit, plan.objective.must_look_stock, build)
    passed = _passed_on_paper(plan, build, stacks)
    found: dict[int, list[str]] = {}
    for place, (setup, stack) in enumerate(zip(plan.setups, stacks, strict=True)):
        checks = check_fit(stack, limits, partial(show, units))
        reasons = [check.text for check in checks if check.level is StackLevel.MISFIT]
        reasons += [*passed[place], *_changed_though_fixed(plan, place)]
        if place and (dear := _too_dear(plan, setup, ceiling, person)):
            reasons.append(dear)
        if reasons:
            found[place] = reasons
    return found


def _passed_on_paper(plan: Plan, build: Build, stacks: Sequence[Sequence[StackPart]]) -> list[list[str]]:
    """By setup, the limits of the build sheet that it passes with its parts and settings."""
    if not any(reading.dimension in LIMITED for reading in build.readings.all()):
        return [[] for _ in stacks]
    sheet = sheets.sheet_of(build)
    laid = [
        overlay(sheet, stacks[0], stack, sheet_settings(setup.settings)).sheet
        for setup, stack in zip(plan.setups, stacks, strict=True)
    ]
    return [[finding.text for finding in passed_limits(one)] for one in laid]


def _changed_though_fixed(plan: Plan, place: int) -> list[str]:
    """Slots whose parts the customer keeps, and that are not as in the baseline."""
    has = [
        {slot: {part.pk for part in plan.setups[at].parts if part.slot == slot} for slot in plan.objective.fixed_slots}
        for at in (0, place)
    ]
    changed = [Slot(slot).label.lower() for slot in plan.objective.fixed_slots if has[0][slot] != has[1][slot]]
    return [f"Changes the {listed(changed)}, which the customer keeps."] if changed else []


@dataclass(frozen=True)
class SetupCost:
    """What the parts cost that the baseline has not, all prices counted, also those that a reader may not see.

    `visible` is what this reader may see of it; `unknown` are the parts without a price, `hidden` those whose price
    this reader may not see.
    """

    total: Decimal
    visible: Decimal
    unknown: Sequence[str]
    hidden: Sequence[str]

    @property
    def known(self) -> float | None:
        """The whole cost; None while a price is missing."""
        return None if self.unknown else float(self.total)

    @property
    def shown(self) -> float | None:
        """The same for this reader; None where a price is missing or not shown."""
        return None if self.hidden else self.known


def cost(plan: Plan, setup: PlannedSetup, person: Person) -> SetupCost:
    """What a setup's new parts cost. The choice is the same for every reader; the figure may be hidden."""
    has = {part.pk for part in plan.setups[0].parts}
    new = [part for part in setup.parts if part.pk not in has]
    prices = {part.pk: part.price for part in new if part.price is not None}
    hidden = [part for part in new if part.pk in prices and not may_see_price(person, part)]
    total = sum(prices.values(), Decimal(0))
    return SetupCost(
        total, total - sum((prices[part.pk] for part in hidden), Decimal(0)),
        [part.name for part in new if part.price is None], [part.name for part in hidden],
    )  # fmt: skip


def _too_dear(plan: Plan, setup: PlannedSetup, ceiling: Decimal | None, person: Person) -> str:
    """What is known to cost more than the ceiling fails; where a price is missing it may yet."""
    if ceiling is None:
        return ""
    found = cost(plan, setup, person)
    if found.total <= ceiling:
        return ""
    of_shop = currency()
    if found.hidden:
        return f"Its parts cost more than the ceiling of {money(ceiling, of_shop)}."
    return f"Its parts cost {money(found.total, of_shop)}, above the ceiling of {money(ceiling, of_shop)}."


def unknown_against_ceiling(plan: Plan, build: Build, person: Person) -> list[str]:
    """Letters of the setups of which nobody knows whether they keep the cost ceiling, as a price is missing."""
    ceiling = cost_ceiling(plan, build)
    if ceiling is None:
        return []
    found = {setup.letter: cost(plan, setup, person) for setup in plan.setups[1:]}
    return [letter for letter, each in found.items() if each.unknown and each.total <= ceiling]


def costs(plan: Plan, person: Person) -> Mapping[int, SetupCost]:
    """What each setup's new parts cost, by its place."""
    return {place: cost(plan, setup, person) for place, setup in enumerate(plan.setups) if place}
