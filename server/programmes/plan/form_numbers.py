"""The numbers of a plan's form: what each measures and can be, read from what was typed, and back to texts."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from typing import Any

from torvix_core.units.quantities import from_si
from torvix_core.units.quantity_parser import NotUnderstood, read_count, read_quantity

from programmes.plan.plans import Plan
from shop.models import Person
from shop.permissions import units_of


@dataclass(frozen=True)
class Number:
    """A number of the form: what it measures, its unit, least and most in SI, and what counts where it is wrong."""

    key: str
    measure: str
    unit: str
    low: float
    high: float
    fallback: float
    figure: str = ""  # kind of figure whose unit a person chooses
    optional: bool = False


MINUTE = 60.0
NUMBERS = (
    Number("sweep_start_rpm", "speed", "rpm", 300.0, 20_000.0, 2000.0),
    Number("sweep_end_rpm", "speed", "rpm", 500.0, 20_000.0, 6500.0),
    Number("low_rpm", "speed", "rpm", 300.0, 20_000.0, 3000.0),
    Number("high_rpm", "speed", "rpm", 500.0, 20_000.0, 6000.0),
    Number("smallest_difference", "fraction", "%", 0.0, 0.2, 0.003),
    Number("warm_up", "time", "min", 0.0, 240 * MINUTE, 20 * MINUTE),
    Number("pull_time", "time", "min", 0.1 * MINUTE, 60 * MINUTE, 2 * MINUTE),
    Number("cool_down", "time", "min", 0.0, 240 * MINUTE, 2 * MINUTE),
)
OPTIONAL = (
    Number("tuning", "time", "min", 0.0, 240 * MINUTE, 0.0, optional=True),
    Number("extension_rpm", "speed", "rpm", 0.0, 3000.0, 0.0, optional=True),
    Number("fuel_available", "volume", "L", 1e-4, 10.0, 0.0, "fuel", True),
    Number("fuel_pull", "volume", "L", 1e-5, 0.2, 0.0, "fuel", True),
    Number("fuel_warm_up", "volume", "L", 0.0, 0.5, 0.0, "fuel", True),
    Number("height_limit", "length", "mm", 0.01, 2.0, 0.0, "length", True),
)
COUNTS = (("sweep_rate", 20, 3000, 350), ("conditioning_pulls", 0, 10, 1), ("return_every", 1, 30, 3),
          ("return_pulls", 1, 30, 2))  # fmt: skip


def numbers(texts: Mapping[str, str], units: Mapping[str, str], wrong: dict[str, str]) -> dict[str, float | None]:
    found: dict[str, float | None] = {}
    for one in (*NUMBERS, *OPTIONAL):
        text = texts.get(one.key, "")
        if one.optional and not text.strip():
            found[one.key] = None
            continue
        try:
            unit = units.get(one.figure, one.unit)
            found[one.key] = read_quantity(text, one.measure, unit, one.low, one.high).value
        except NotUnderstood as reason:
            wrong[one.key] = str(reason)
            found[one.key] = None if one.optional else one.fallback
    return found


def count(text: str, low: int, high: int, usual: int, key: str, wrong: dict[str, str]) -> int:
    try:
        return read_count(text, low, high)
    except NotUnderstood as reason:
        wrong[key] = f"{reason} Rates are rpm a second." if key == "sweep_rate" else str(reason)
        return usual


def price(text: str, key: str, wrong: dict[str, str]) -> Decimal | None:
    if not text.strip():
        return None
    try:
        price = Decimal(text.strip())
        if not price.is_finite() or not 0 <= price < 10**8:
            raise InvalidOperation
    except InvalidOperation:
        wrong[key] = "A price is a number like 85 or 85.50, with a point."
        return None
    return price.quantize(Decimal("0.01"))


def texts_of(plan: Plan, person: Person) -> dict[str, str]:
    """The numbers of a plan as they are shown in the form."""
    units, times, objective = units_of(person), plan.times, plan.objective
    si: dict[str, float | None] = {
        "sweep_start_rpm": plan.sweep.start_rpm, "sweep_end_rpm": plan.sweep.end_rpm, "low_rpm": plan.range_rpm[0],
        "high_rpm": plan.range_rpm[1], "smallest_difference": plan.smallest_difference,
        "warm_up": times.warm_up_min * MINUTE, "pull_time": times.pull_min * MINUTE,
        "cool_down": times.cool_down_min * MINUTE, "extension_rpm": plan.extension_rpm or None,
        "tuning": times.tuning_min * MINUTE or None,
        "fuel_available": times.fuel_available, "fuel_pull": times.fuel_pull, "fuel_warm_up": times.fuel_warm_up,
        "height_limit": objective.height_limit,
    }  # fmt: skip
    texts = {}
    for one in (*NUMBERS, *OPTIONAL):
        value = si[one.key]
        texts[one.key] = "" if value is None else shown(float(from_si(value, units.get(one.figure, one.unit))))
    plain: dict[str, Any] = {
        "sweep_rate": shown(plan.sweep.rate_rpm_s), "conditioning_pulls": times.conditioning_pulls,
        "return_every": times.return_every, "return_pulls": times.return_pulls,
        "hour_price": "" if times.hour_price is None else times.hour_price,
        "cost_ceiling": "" if objective.cost_ceiling is None else objective.cost_ceiling,
    }  # fmt: skip
    return texts | {key: str(value) for key, value in plain.items()}


def shown(value: float) -> str:
    """A number for a field: as short as it can be without losing what matters."""
    return f"{round(value, 4):.10g}"
