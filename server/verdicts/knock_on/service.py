"""What a choice asks for next: injectors, blower, converter, heads, clearance; and its manners. Each from a figure."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np
from torvix_core.engine import fuel
from torvix_core.engine.findings import GENEROUS
from torvix_core.engine.fuel import FUELS, Fuel
from torvix_core.pull import curve
from torvix_core.units import quantities
from torvix_core.units.grammar import listed

from engines.models import Build
from engines.sheet.sheets import WorkedSheet
from programmes.plan.on_paper import planned_sheets
from programmes.plan.plans import Plan
from verdicts.comparison.aligned_pulls import Comparison
from verdicts.judging.choice import Choice

MOVED_RPM = 300.0  # of the torque peak; less is within how flat a peak is [prac]
NEAR_CEILING = 0.95  # of what a head usually carries [prac]
CLEARANCES = ("intake_clearance", "exhaust_clearance")


@dataclass(frozen=True)
class KnockOn:
    """Sentences for one setup of a comparison, by its place; `needs` cost money or safety, `manners` patience."""

    setup: int
    needs: tuple[str, ...]
    manners: tuple[str, ...]


def knock_on(comparison: Comparison, plan: Plan, choice: Choice, units: Mapping[str, str]) -> list[KnockOn]:
    """Of every setup that was pulled. Figures of the engine on paper, with the power and torque that were measured."""
    build = Build.objects.prefetch_related("readings", "flow_tables").get(pk=comparison.programme.build_id)
    sheets = dict(zip((setup.pk for setup in plan.setups), planned_sheets(plan, build), strict=True))
    curves = comparison.curves(choice.school)
    torque = comparison.means(comparison.torque) if curves is None else curves.mean
    base = curve.peak(comparison.speed_rpm, torque[comparison.baseline])
    found = []
    for place, setup in enumerate(comparison.setups):
        if setup.pk not in sheets:
            continue
        worked, unknown = sheets[setup.pk]
        top = curve.peak(comparison.speed_rpm, torque[place])
        power = float(comparison.power_of(torque[place]).max())
        # Injectors feed the engine as it ran, not as it would have run in reference air.
        rows = np.flatnonzero(comparison.setup_of == place).tolist()
        observed = float(np.mean([comparison.power[row].max() / comparison.kept[row].factor for row in rows]))
        needs = [*_injectors(worked, observed, units), *_blower(worked), *_heads(worked, power, units)]
        if place != comparison.baseline:
            needs += [*_converter(top.speed_rpm - base.speed_rpm), *_clearance(unknown)]
        found.append(KnockOn(place, tuple(needs), tuple(_throttle(worked))))
    return found


def _figure(worked: WorkedSheet, key: str) -> float | None:
    amount = next((one.amount for one in worked.figures if one.rule.key == key), None)
    return None if amount is None else amount.value


def _injectors(worked: WorkedSheet, power: float, units: Mapping[str, str]) -> Iterator[str]:
    sheet = worked.sheet
    count, size = sheet.maybe("injectors"), sheet.maybe("injector_size")
    if count is None or size is None:
        return
    consumption = sheet.maybe("specific_consumption")
    named = sheet.words("fuel") or Fuel.PUMP_GASOLINE
    low, high = (
        each * FUELS[Fuel(named)].scale for each in fuel.GASOLINE_CONSUMPTION
    ) if consumption is None else (consumption, consumption)  # fmt: skip
    duties = [float(fuel.injector_duty(fuel.fuel_flow(power, each), count, size)) for each in (low, high)]
    limit = sheet.maybe("duty_limit") or fuel.DUTY_LIMIT
    at = f"{float(quantities.from_si(power, units['power'])):.0f} {units['power']}"
    span = " to ".join(f"{each * 100:.0f}" for each in dict.fromkeys(duties))
    if duties[-1] > limit:
        yield (
            f"Injectors: {span} % duty at the measured {at}, above the limit of {limit * 100:.0f} %. Larger ones, or "
            "more pressure, before it is leaned on."
        )
    elif duties[-1] > 0.9 * limit:
        yield f"Injectors: {span} % duty at the measured {at}; the limit of {limit * 100:.0f} % is near."


def _blower(worked: WorkedSheet) -> Iterator[str]:
    speed, limit = _figure(worked, "blower_speed"), worked.sheet.maybe("blower_limit")
    if speed is not None and limit is not None and speed > limit:
        yield f"Blower: {speed:.0f} rpm at redline, above its limit of {limit:.0f} rpm. Another blower, or pulley."


def _heads(worked: WorkedSheet, power: float, units: Mapping[str, str]) -> Iterator[str]:
    ceiling = _figure(worked, "head_ceiling")
    if ceiling is not None and not worked.sheet.maybe("boost_target") and power > NEAR_CEILING * ceiling:
        usual = f"{float(quantities.from_si(ceiling, units['power'])):.0f} {units['power']}"
        yield f"Heads: at {power / ceiling * 100:.0f} % of the {usual} that their flow usually carries; they come next."


def _converter(moved: float) -> Iterator[str]:
    if abs(moved) < MOVED_RPM:
        return
    when, then = ("later", "a looser converter or a shorter gear") if moved > 0 else (
        "earlier", "a tighter converter or a longer gear"
    )  # fmt: skip
    yield f"Converter or gears: peak torque comes {abs(moved):.0f} rpm {when}, so {then}."


def _clearance(unknown: frozenset[str]) -> Iterator[str]:
    sides = [key.split("_", maxsplit=1)[0] for key in CLEARANCES if key in unknown]
    if sides:
        yield f"Clearance: piston to {listed(sides)} valve is not measured with these parts. Measure it."


def _throttle(worked: WorkedSheet) -> Iterator[str]:
    """A carburetor or throttle far above the demand: power hardly moves, manners do."""
    rating, demand = worked.sheet.maybe("carburetor_rating"), _figure(worked, "airflow_demand")
    if rating is not None and demand is not None and rating > GENEROUS * demand:
        yield (
            f"Carburetor rated for {rating / demand:.1f} times the demand: expect softness at low speed and a touchy "
            "first part of the pedal. The idle card tells."
        )
    bore, count = worked.sheet.maybe("throttle_bore"), worked.sheet.maybe("throttles")
    if bore is None or count is None:
        return
    amount = next((one.amount for one in worked.figures if one.rule.key == "throttle_wanted"), None)
    if amount is not None and amount.high is not None and bore > 1.15 * amount.high:
        opened = float(np.degrees(np.arccos(max(-1.0, 1 - (amount.high / bore) ** 2))))
        yield (
            f"Throttle {bore / amount.high * 100 - 100:.0f} % wider than the air asks for: most of its effect comes in "
            f"the first {opened:.0f}° of its travel, so it is touchy at small openings."
        )
