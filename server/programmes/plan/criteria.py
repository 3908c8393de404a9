"""What a setup must keep beside its power: height, looks, cost, that it goes together. It never changes a number."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
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


def _too_dear(plan: Plan, setup: PlannedSetup, person: Person) -> str:
    """What is known to cost more than the ceiling fails; where a price is missing it may yet."""
    ceiling = plan.objective.cost_ceiling
    if ceiling is None:
        return ""
    found = cost(plan, setup, person)
    if found.total <= ceiling:
        return ""
    of_shop = currency()
    if found.hidden:
        return f"Its parts cost more than the ceiling of {money(ceiling, of_shop)}."
    return f"Its parts cost {money(found.total, of_shop)}, above the ceiling of {money(ceiling, of_shop)}."


def unknown_against_ceiling(plan: Plan, person: Person) -> list[str]:
    """Letters of the setups of which nobody knows whether they keep the cost ceiling, as a price is missing."""
    ceiling = plan.objective.cost_ceiling
    if ceiling is None:
        return []
    found = {setup.letter: cost(plan, setup, person) for setup in plan.setups[1:]}
    return [letter for letter, each in found.items() if each.unknown and each.total <= ceiling]


def costs(plan: Plan, person: Person) -> Mapping[int, SetupCost]:
    """What each setup's new parts cost, by its place."""
    return {place: cost(plan, setup, person) for place, setup in enumerate(plan.setups) if place}
