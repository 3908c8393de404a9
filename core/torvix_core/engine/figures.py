"""Every figure of the build sheet, in the order in which they are shown beside their dimensions."""

from __future__ import annotations

from collections.abc import Callable, Collection

import numpy as np
from torvix_core.engine import boost, breathing, fuel, geometry, short_block
from torvix_core.engine.evidence import Origin
from torvix_core.engine.fuel import FUELS, Fuel
from torvix_core.engine.sheet import Amount, BuildSheet, Figure, FlowTable, Rule
from torvix_core.engine.short_block import AMBIENT, INLET, displacement, static_ratio, swept
from torvix_core.units.quantities import percent

RUNNER_TEMPERATURES = (290.0, 310.0, 330.0)  # K, charge in a runner: cool, usual, hot [mem]


# Heads and intake


def _port_flow(sheet: BuildSheet) -> tuple[float, str]:
    return sheet.table("intake").at(sheet.given("intake_lift"))


def _head_ceiling(sheet: BuildSheet) -> Amount:
    flow, note = _port_flow(sheet)
    return Amount(float(breathing.head_flow_power(flow, sheet.number("cylinders"))), note=f"rule of thumb; {note}")


def _filling(sheet: BuildSheet) -> tuple[float, str]:
    given = sheet.given("volumetric_efficiency")
    return (1.0, "at 100 % filling") if given is None else (given, f"at {percent(given)} filling")


def _demand(sheet: BuildSheet) -> Amount:
    filling, note = _filling(sheet)
    speed = sheet.number("redline")
    return Amount(float(breathing.airflow_demand(displacement(sheet), speed, filling, sheet.cycle)), note=note)


def _value(amount: Amount) -> float:
    assert amount.value is not None
    return amount.value


def rated_depression(sheet: BuildSheet) -> float:
    """The depression at which the carburetor of a sheet is rated.

    Shapes: one sheet.
    Units:  Pa.
    Errors: Missing, if the sheet does not say how it is rated.
    Source: common practice, `breathing`.
    >>> rated_depression(BuildSheet({}))
    Traceback (most recent call last):
    torvix_core.engine.sheet.Missing: carburetor_kind
    """
    is_two = sheet.word("carburetor_kind") == "two_barrel"
    return breathing.TWO_BARREL_DEPRESSION if is_two else breathing.FOUR_BARREL_DEPRESSION


def _rating_wanted(sheet: BuildSheet) -> Amount:
    demand = _value(_demand(sheet))
    # Half the rated depression at the top is generous; below that power hardly moves and manners suffer [prac].
    return Amount(None, demand, demand * 2**0.5, "from the whole to half the rated depression at redline")


def _depression(sheet: BuildSheet) -> Amount:
    rating, rated = sheet.number("carburetor_rating"), rated_depression(sheet)
    found = float(breathing.depression_at_flow(_value(_demand(sheet)), rating, rated))
    if found > rated:
        return Amount(found, note="above the rated depression: small for this engine")
    return Amount(found, note="near nothing: more than enough" if found < 0.25 * rated else "within the rating")


def _rating_at_depression(sheet: BuildSheet) -> Amount:
    rating, measured = sheet.numbers("carburetor_rating", "wide_open_depression")
    return Amount(float(breathing.flow_at_depression(rating, rated_depression(sheet), measured)), note="by the rule")


def _throttles(sheet: BuildSheet) -> Amount:
    demand, count = _value(_demand(sheet)), sheet.number("throttles")
    slow, fast = (float(breathing.throttle_bore(demand, count, v)) for v in breathing.THROTTLE_VELOCITY)
    return Amount(None, fast, slow, "75 to 100 m/s through it at redline")


def _throttle_velocity(sheet: BuildSheet) -> float:
    count, bore = sheet.numbers("throttles", "throttle_bore")
    return _value(_demand(sheet)) / (count * float(breathing.circle_area(bore)))


def _quarter_wave(order: int) -> Callable[[BuildSheet], Amount]:
    def work_out(sheet: BuildSheet) -> Amount:
        length, cycle = sheet.number("runner_length"), sheet.cycle
        low, middle, high = (
            float(breathing.quarter_wave_speed(length, order, breathing.speed_of_sound(kelvin), cycle))
            for kelvin in RUNNER_TEMPERATURES
        )
        return Amount(middle, low, high, "charge from 17 to 57 °C")

    return work_out


def _helmholtz(sheet: BuildSheet) -> Amount:
    length, area = sheet.numbers("runner_length", "runner_area")
    cylinder, ratio = swept(sheet), static_ratio(sheet)
    sound = breathing.speed_of_sound(RUNNER_TEMPERATURES[1])
    high, low = (
        float(breathing.helmholtz_speed(length=length, area=area, cylinder=cylinder, static_ratio=ratio,
                                        speed_of_sound=sound, constant=constant))
        for constant in breathing.HELMHOLTZ_CONSTANTS
    )  # fmt: skip
    return Amount(None, low, high, "constant from 2.0 to 2.5")


# Fuel, target and boost


def _consumption(sheet: BuildSheet) -> tuple[float, float]:
    if (given := sheet.given("specific_consumption")) is not None:
        return given, given
    scale = FUELS[Fuel(sheet.word("fuel"))].scale
    low, high = fuel.GASOLINE_CONSUMPTION
    return low * scale, high * scale


def _fuel_flow(sheet: BuildSheet) -> Amount:
    power = sheet.number("target_power")
    low, high = (float(fuel.fuel_flow(power, consumption)) for consumption in _consumption(sheet))
    return _band(low, high, "for the target power")


def _band(low: float, high: float, note: str = "") -> Amount:
    return Amount(low, note=note) if low == high else Amount(None, low, high, note)


def _ends(amount: Amount) -> tuple[float, float]:
    if amount.value is not None:
        return amount.value, amount.value
    assert amount.low is not None
    assert amount.high is not None
    return amount.low, amount.high


def _injector_wanted(sheet: BuildSheet) -> Amount:
    count, limit = sheet.number("injectors"), sheet.given("duty_limit") or fuel.DUTY_LIMIT
    low, high = (float(fuel.injector_size(flow, count, limit)) for flow in _ends(_fuel_flow(sheet)))
    return _band(low, high, f"at {percent(limit)} duty")


def _injector_duty(sheet: BuildSheet) -> Amount:
    count, size = sheet.numbers("injectors", "injector_size")
    low, high = (float(fuel.injector_duty(flow, count, size)) for flow in _ends(_fuel_flow(sheet)))
    return _band(low, high)


def _target_pressure(sheet: BuildSheet) -> float:
    torque = sheet.number("target_torque")
    return float(geometry.brake_mean_effective_pressure(torque, displacement(sheet), sheet.cycle))


def _specific_output(sheet: BuildSheet) -> float:
    return sheet.number("target_power") / displacement(sheet)


def _power_at_torque_peak(sheet: BuildSheet) -> float:
    return float(geometry.power(*sheet.numbers("target_torque", "target_torque_speed")))


def _torque_at_power_peak(sheet: BuildSheet) -> float:
    return float(geometry.torque_from_power(*sheet.numbers("target_power", "target_power_speed")))


def _pressure_ratio(sheet: BuildSheet) -> float:
    return float(boost.pressure_ratio(AMBIENT, sheet.number("boost_target")))


def _blower_speed(sheet: BuildSheet) -> float:
    return float(boost.blower_speed(*sheet.numbers("redline", "crank_pulley", "blower_pulley")))


def _charge_temperature(sheet: BuildSheet) -> Amount:
    ratio = _pressure_ratio(sheet)
    if ratio <= 1:
        return Amount(INLET, note="not compressed")
    high, low = (float(boost.charge_temperature(INLET, ratio, each)) for each in boost.EFFICIENCIES)
    return Amount(None, low, high, "inlet air of 25 °C, before a cooler; compressor 55 to 75 % efficient")


def _road_speed(gear: int) -> Callable[[BuildSheet], float]:
    def work_out(sheet: BuildSheet) -> float:
        ratio, final, radius, redline = sheet.numbers(f"gear_{gear}", "final_drive", "tire_radius", "redline")
        return float(geometry.angular_speed(redline)) / (ratio * final) * radius

    return work_out


RULES: tuple[Rule, ...] = (
    *short_block.RULES,
    Rule("head_ceiling", "Head flow ceiling", "heads", "power", _head_ceiling, figure="power",
         source="0.257 hp for each CFM at 28 inH2O and cylinder, from memory"),
    Rule("airflow_demand", "Airflow demand at redline", "intake", "volume flow", _demand, figure="air_flow",
         source="displacement · n · filling over turns per cycle"),
    Rule("rating_wanted", "Recommended carburetor size", "intake", "volume flow", _rating_wanted, figure="air_flow",
         source="common practice, no source"),
    Rule("depression", "Manifold vacuum at redline", "intake", "pressure", _depression, figure="vacuum",
         source="flow with the root of the depression"),
    Rule("rating_at_depression", "Carburetor size at the measured vacuum", "intake", "volume flow",
         _rating_at_depression, figure="air_flow", source="flow with the root of the depression"),
    Rule("throttle_wanted", "Throttle bore that suits", "intake", "length", _throttles, figure="length",
         source="75 to 100 m/s, from memory"),
    Rule("throttle_velocity", "Air through the throttle at redline", "intake", "velocity", _throttle_velocity,
         figure="velocity", source="continuity"),
    *(Rule(f"quarter_wave_{order}", f"Runner rings {order} times a cycle", "intake", "speed", _quarter_wave(order),
           unit="rpm", source="quarter wave; which order counts is from memory") for order in
      breathing.QUARTER_WAVE_ORDERS),
    Rule("helmholtz", "Runner and cylinder as a resonator", "intake", "speed", _helmholtz, unit="rpm",
         source="Helmholtz form after Heywood, from memory"),
    Rule("fuel_flow", "Fuel flow", "fuel", "mass flow", _fuel_flow, figure="mass_flow",
         source="power · specific consumption"),
    Rule("injector_wanted", "Injector size needed", "fuel", "mass flow", _injector_wanted, figure="mass_flow"),
    Rule("injector_duty", "Injector duty", "fuel", "fraction", _injector_duty, unit="%"),
    Rule("pressure_ratio", "Pressure ratio at sea level", "boost", "ratio", _pressure_ratio, unit=":1"),
    Rule("charge_temperature", "Charge temperature before a cooler", "boost", "temperature", _charge_temperature,
         figure="temperature", source="isentropic compression over its efficiency"),
    Rule("blower_speed", "Blower speed at redline", "boost", "speed", _blower_speed, unit="rpm",
         source="pulleys, without slip"),
    Rule("target_pressure", "Mean effective pressure at that torque", "target", "pressure", _target_pressure,
         figure="boost", source="4π·T/V, two-stroke 2π·T/V"),
    Rule("specific_output", "Specific output", "target", "specific power", _specific_output, figure="specific_power"),
    Rule("power_at_torque_peak", "Power at that torque", "target", "power", _power_at_torque_peak, figure="power"),
    Rule("torque_at_power_peak", "Torque at that power", "target", "torque", _torque_at_power_peak, figure="torque"),
    *(Rule(f"road_speed_{gear}", f"Road speed at redline, gear {gear}", "vehicle", "velocity", _road_speed(gear),
           figure="road_speed", source="gearing, without slip") for gear in range(1, 8)),
)  # fmt: skip


def work_out(sheet: BuildSheet, only: Collection[str] = ()) -> list[Figure]:
    """Every figure of a sheet, or only those of some keys; those of a second bank only where the sheet has one.

    Shapes: one sheet.
    Units:  SI, rpm and degrees.
    Errors: none: a figure without a value says what is missing, or why it was refused.
    Source: RULES.
    >>> work_out(BuildSheet({}))[0].missing
    ('bore', 'stroke', 'cylinders')
    """
    two_banks = sheet.has_second_bank()
    rules = [rule for rule in RULES if not only or rule.key in only]
    return [sheet.work_out(rule) for rule in rules if two_banks or not rule.key.endswith("_bank_2")]


def flow_table(
    lifts: list[float], flows: list[float], depressions: list[float], origin: Origin = Origin.MEASURED
) -> FlowTable:
    """A port's flow table brought to the bench depression of 28 inH2O.

    Shapes: each (n,), lifts rising.
    Units:  m, m³/s, Pa.
    Errors: ValueError if the lifts do not rise or a value is not above zero.
    Source: `breathing.flow_at_depression`.
    >>> float(flow_table([0.01], [0.1], [breathing.BENCH_DEPRESSION]).flow[0])
    0.1
    """
    lift = np.asarray(lifts, dtype=np.float64)
    if lift.size == 0 or (np.diff(lift) <= 0).any():
        raise ValueError("lifts must rise")
    return FlowTable(lift, breathing.flow_at_depression(flows, depressions, breathing.BENCH_DEPRESSION), origin)
