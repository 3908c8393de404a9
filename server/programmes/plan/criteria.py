"""What a setup must keep beside its power: height, looks, cost, that it goes together. It never changes a number."""

from __future__ import annotations

from collections.abc import Mapping
from decimal import Decimal
from functools import partial

from torvix_core.engine.stack import Limits, StackLevel, check_fit

from engines.parts.service import may_see_price, stack_of
from engines.sheet.entries import show
from programmes.plan.plans import Plan, PlannedSetup
from shop.models import Person
from shop.money import currency, money
from shop.permissions import units_of


def limits_of(plan: Plan, of_engine: Limits) -> Limits:
    """The plan's own limits, else those of the engine's sheet."""
    height = of_engine.height if plan.objective.height_limit is None else plan.objective.height_limit
    return Limits(height, plan.objective.must_look_stock or of_engine.must_look_stock)


def failing(plan: Plan, of_engine: Limits, person: Person) -> dict[int, list[str]]:
    """By place of the setup, what it does not keep; setups that keep everything are left out."""
    units, limits = units_of(person), limits_of(plan, of_engine)
    found: dict[int, list[str]] = {}
    for place, setup in enumerate(plan.setups):
        checks = check_fit(stack_of(list(setup.parts)), limits, partial(show, units))
        told = [check.text for check in checks if check.level is StackLevel.MISFIT]
        if place and (dear := _too_dear(plan, setup, person)):
            told.append(dear)
        if told:
            found[place] = told
    return found


def cost(plan: Plan, setup: PlannedSetup, person: Person) -> tuple[Decimal, list[str]]:
    """What the parts cost that the baseline has not, and the names of those whose price is not known or not shown."""
    has = {part.pk for part in plan.setups[0].parts}
    new = [part for part in setup.parts if part.pk not in has]
    unknown = [part.name for part in new if part.price is None or not may_see_price(person, part)]
    return sum((part.price for part in new if part.price is not None and may_see_price(person, part)),
               Decimal(0)), unknown  # fmt: skip


def _too_dear(plan: Plan, setup: PlannedSetup, person: Person) -> str:
    ceiling = plan.objective.cost_ceiling
    if ceiling is None:
        return ""
    total, _ = cost(plan, setup, person)
    if total <= ceiling:
        return ""
    of_shop = currency()
    return f"Its parts cost {money(total, of_shop)}, above the ceiling of {money(ceiling, of_shop)}."


def costs(plan: Plan, person: Person) -> Mapping[int, tuple[Decimal, list[str]]]:
    """What each setup's new parts cost, by its place."""
    return {place: cost(plan, setup, person) for place, setup in enumerate(plan.setups) if place}
