"""Every figure of the build sheet, in the order in which they are shown beside their dimensions."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from torvix_core import boost, breathing, camshaft, compression, fuel, geometry
from torvix_core.camshaft import ValveTiming
from torvix_core.evidence import Origin
from torvix_core.fuel import FUELS, Fuel
from torvix_core.quantities import percent
from torvix_core.sheet import Amount, Figure, FlowTable, Missing, Rule, Sheet

AMBIENT = 101_325.0  # Pa, taken for estimates that need the air; a standard day
PISTON_SPEED_LIMIT = 25.0  # m/s, mean [prac]
RUNNER_TEMPERATURES = (290.0, 310.0, 330.0)  # K, charge in a runner: cool, usual, hot [mem]
SEAT, AT_050 = "", "_050"


# Bottom end


def displacement(sheet: Sheet) -> float:
    """Swept volume of the engine.

    Shapes: one sheet.
    Units:  m³.
    Errors: Missing, with what the sheet lacks.
    Source: `geometry.displacement`.
    >>> from torvix_core.evidence import Evidence, Origin, settle
    >>> given = {"bore": 0.1, "stroke": 0.09, "cylinders": 4.0}
    >>> told = {key: settle([Evidence(Origin.MEASURED, value)]) for key, value in given.items()}
    >>> round(displacement(Sheet(told)) * 1e6)
    2827
    """
    bore, stroke, cylinders = sheet.numbers("bore", "stroke", "cylinders")
    return float(geometry.displacement(bore, stroke, cylinders))


def _swept(sheet: Sheet) -> float:
    bore, stroke = sheet.numbers("bore", "stroke")
    return float(geometry.displacement(bore, stroke, 1))


def _piston_speed(sheet: Sheet) -> Amount:
    speed = float(geometry.mean_piston_speed(*sheet.numbers("stroke", "redline")))
    limit = sheet.maybe("piston_speed_limit") or PISTON_SPEED_LIMIT
    return Amount(speed, note=f"{percent(speed / limit)} of the limit")


# Compression


def _clearance(sheet: Sheet) -> compression.ClearanceVolumes:
    bore, chamber, gasket_bore, gasket, deck = sheet.numbers(
        "bore", "chamber_volume", "gasket_bore", "gasket_thickness", "deck_clearance"
    )
    dish, reliefs, dome = (sheet.maybe(key) or 0.0 for key in ("dish_volume", "relief_volume", "dome_volume"))
    volumes = compression.clearance_volumes(
        bore=bore, chamber=chamber, gasket_bore=gasket_bore, gasket_thickness=gasket, deck_clearance=deck,
        piston=dish + reliefs - dome,
    )  # fmt: skip
    if float(volumes.total) <= 0:
        raise ValueError("the dome and the deck leave no volume above the piston: one of these cannot be right")
    return volumes


def _share(part: str) -> Callable[[Sheet], Amount]:
    def work_out(sheet: Sheet) -> Amount:
        volumes = _clearance(sheet)
        volume = float(getattr(volumes, part))
        return Amount(volume, note=f"{percent(volume / float(volumes.total))} of the clearance")

    return work_out


def _clearance_total(sheet: Sheet) -> float:
    return float(_clearance(sheet).total)


def static_ratio(sheet: Sheet) -> float:
    """Static compression ratio from the volumes written down.

    Shapes: one sheet.
    Units:  [-].
    Errors: Missing, with what the sheet lacks.
    Source: `compression.static_ratio`.
    >>> static_ratio(Sheet({}))
    Traceback (most recent call last):
    torvix_core.sheet.Missing: bore, stroke
    """
    return float(compression.static_ratio(_swept(sheet), _clearance_total(sheet)))


def intake_closing(sheet: Sheet, bank: int = 1) -> float:
    """Intake closing at the seat: worked out where the cam is described, else as told.

    Shapes: one sheet.
    Units:  degrees after bottom dead centre.
    Errors: Missing, with what the sheet lacks.
    Source: `timing`.
    >>> from torvix_core.evidence import Settled
    >>> intake_closing(Sheet({"intake_closing": Settled(63.0)}))
    63.0
    """
    try:
        return float(timing(sheet, SEAT, bank).intake_closing)
    except Missing as lacking:
        if (told := sheet.maybe(sheet.banked("intake_closing", bank))) is not None:
            return told
        raise Missing(*lacking.keys, "intake_closing") from None


def _trapped_ratio(sheet: Sheet) -> float:
    static, (stroke, rod) = static_ratio(sheet), sheet.numbers("stroke", "rod_length")
    return float(compression.trapped_ratio(static, stroke, rod, intake_closing(sheet)))


def _cranking(sheet: Sheet) -> Amount:
    trapped = _trapped_ratio(sheet)
    low, high = (float(compression.cranking_pressure(trapped, AMBIENT, n)) for n in compression.CRANKING_EXPONENTS)
    note = "an estimate at sea level"
    if (measured := sheet.maybe("cranking_pressure")) is not None:
        place = "below" if measured < low else "above" if measured > high else "inside"
        note += f"; the measured value lies {place} it"
    return Amount(None, low, high, note)


# Camshaft


def timing(sheet: Sheet, height: str, bank: int) -> ValveTiming:
    """Valve events of one bank, at the seat or at 0.050 in of lift.

    Shapes: one sheet.
    Units:  degrees of crankshaft.
    Errors: Missing, with what the sheet lacks.
    Source: `camshaft.valve_timing`; the separation and the advance stand in for centrelines that are not given.
    >>> timing(Sheet({}), "", 1)
    Traceback (most recent call last):
    torvix_core.sheet.Missing: intake_duration, exhaust_duration
    """
    intake_duration, exhaust_duration = sheet.numbers(
        *(sheet.banked(f"{side}_duration{height}", bank) for side in ("intake", "exhaust"))
    )
    intake, exhaust = _centrelines(sheet, bank)
    return camshaft.valve_timing(intake_duration, exhaust_duration, intake, exhaust)


def _centrelines(sheet: Sheet, bank: int) -> tuple[float, float]:
    def given(key: str) -> float | None:
        return sheet.maybe(sheet.banked(key, bank))

    intake, exhaust, separation = given("intake_centreline"), given("exhaust_centreline"), given("lobe_separation")
    if intake is None:
        if separation is None:
            raise Missing("intake_centreline")
        intake = float(camshaft.centrelines(separation, sheet.number(sheet.banked("cam_advance", bank)))[0])
    if exhaust is None:
        if separation is None:
            raise Missing("exhaust_centreline")
        exhaust = 2 * separation - intake
    return intake, exhaust


def _event(name: str, height: str, bank: int) -> Callable[[Sheet], float]:
    return lambda sheet: float(getattr(timing(sheet, height, bank), name))


# Heads and intake


def _port_flow(sheet: Sheet) -> tuple[float, str]:
    return sheet.table("intake").at(sheet.maybe("intake_lift"))


def _head_ceiling(sheet: Sheet) -> Amount:
    flow, note = _port_flow(sheet)
    return Amount(float(breathing.head_flow_power(flow, sheet.number("cylinders"))), note=f"rule of thumb; {note}")


def _filling(sheet: Sheet) -> tuple[float, str]:
    given = sheet.maybe("volumetric_efficiency")
    return (1.0, "at 100 % filling") if given is None else (given, f"at {percent(given)} filling")


def _demand(sheet: Sheet) -> Amount:
    filling, note = _filling(sheet)
    speed = sheet.number("redline")
    return Amount(float(breathing.airflow_demand(displacement(sheet), speed, filling, sheet.cycle)), note=note)


def _value(amount: Amount) -> float:
    assert amount.value is not None
    return amount.value


def rated_depression(sheet: Sheet) -> float:
    """The depression at which the carburettor of a sheet is rated.

    Shapes: one sheet.
    Units:  Pa.
    Errors: Missing, if the sheet does not say how it is rated.
    Source: common practice, `breathing`.
    >>> rated_depression(Sheet({}))
    Traceback (most recent call last):
    torvix_core.sheet.Missing: carburettor_kind
    """
    is_two = sheet.word("carburettor_kind") == "two_barrel"
    return breathing.TWO_BARREL_DEPRESSION if is_two else breathing.FOUR_BARREL_DEPRESSION


def _rating_wanted(sheet: Sheet) -> Amount:
    demand = _value(_demand(sheet))
    # Half the rated depression at the top is generous; below that power hardly moves and manners suffer [prac].
    return Amount(None, demand, demand * 2**0.5, "from the whole to half the rated depression at redline")


def _depression(sheet: Sheet) -> Amount:
    rating, rated = sheet.number("carburettor_rating"), rated_depression(sheet)
    found = float(breathing.depression_at_flow(_value(_demand(sheet)), rating, rated))
    if found > rated:
        return Amount(found, note="above the rated depression: small for this engine")
    return Amount(found, note="near nothing: more than enough" if found < 0.25 * rated else "within the rating")


def _rating_at_depression(sheet: Sheet) -> Amount:
    rating, measured = sheet.numbers("carburettor_rating", "wide_open_depression")
    return Amount(float(breathing.flow_at_depression(rating, rated_depression(sheet), measured)), note="by the rule")


def _throttles(sheet: Sheet) -> Amount:
    demand, count = _value(_demand(sheet)), sheet.number("throttles")
    slow, fast = (float(breathing.throttle_bore(demand, count, v)) for v in breathing.THROTTLE_VELOCITY)
    return Amount(None, fast, slow, "75 to 100 m/s through it at redline")


def _throttle_velocity(sheet: Sheet) -> float:
    count, bore = sheet.numbers("throttles", "throttle_bore")
    return _value(_demand(sheet)) / (count * float(breathing.circle_area(bore)))


def _quarter_wave(order: int) -> Callable[[Sheet], Amount]:
    def work_out(sheet: Sheet) -> Amount:
        length, cycle = sheet.number("runner_length"), sheet.cycle
        low, middle, high = (
            float(breathing.quarter_wave_speed(length, order, breathing.speed_of_sound(kelvin), cycle))
            for kelvin in RUNNER_TEMPERATURES
        )
        return Amount(middle, low, high, "charge from 17 to 57 °C")

    return work_out


def _helmholtz(sheet: Sheet) -> Amount:
    length, area = sheet.numbers("runner_length", "runner_area")
    swept, ratio = _swept(sheet), static_ratio(sheet)
    sound = breathing.speed_of_sound(RUNNER_TEMPERATURES[1])
    high, low = (
        float(breathing.helmholtz_speed(length=length, area=area, cylinder=swept, static_ratio=ratio,
                                        speed_of_sound=sound, constant=constant))
        for constant in breathing.HELMHOLTZ_CONSTANTS
    )  # fmt: skip
    return Amount(None, low, high, "constant from 2.0 to 2.5")


# Fuel, target and boost


def _consumption(sheet: Sheet) -> tuple[float, float]:
    if (given := sheet.maybe("specific_consumption")) is not None:
        return given, given
    scale = FUELS[Fuel(sheet.word("fuel"))].scale
    low, high = fuel.PETROL_CONSUMPTION
    return low * scale, high * scale


def _fuel_flow(sheet: Sheet) -> Amount:
    power = sheet.number("target_power")
    low, high = (float(fuel.fuel_flow(power, consumption)) for consumption in _consumption(sheet))
    return _band(low, high, "for the power hoped for")


def _band(low: float, high: float, note: str = "") -> Amount:
    return Amount(low, note=note) if low == high else Amount(None, low, high, note)


def _ends(amount: Amount) -> tuple[float, float]:
    if amount.value is not None:
        return amount.value, amount.value
    assert amount.low is not None
    assert amount.high is not None
    return amount.low, amount.high


def _injector_wanted(sheet: Sheet) -> Amount:
    count, limit = sheet.number("injectors"), sheet.maybe("duty_limit") or fuel.DUTY_LIMIT
    low, high = (float(fuel.injector_size(flow, count, limit)) for flow in _ends(_fuel_flow(sheet)))
    return _band(low, high, f"at {percent(limit)} duty")


def _injector_duty(sheet: Sheet) -> Amount:
    count, size = sheet.numbers("injectors", "injector_size")
    low, high = (float(fuel.injector_duty(flow, count, size)) for flow in _ends(_fuel_flow(sheet)))
    return _band(low, high)


def _target_pressure(sheet: Sheet) -> float:
    torque = sheet.number("target_torque")
    return float(geometry.brake_mean_effective_pressure(torque, displacement(sheet), sheet.cycle))


def _specific_output(sheet: Sheet) -> float:
    return sheet.number("target_power") / displacement(sheet)


def _power_at_torque_peak(sheet: Sheet) -> float:
    return float(geometry.power(*sheet.numbers("target_torque", "target_torque_speed")))


def _torque_at_power_peak(sheet: Sheet) -> float:
    return float(geometry.torque_from_power(*sheet.numbers("target_power", "target_power_speed")))


def _pressure_ratio(sheet: Sheet) -> float:
    return float(boost.pressure_ratio(AMBIENT, sheet.number("boost_target")))


def _blower_speed(sheet: Sheet) -> float:
    return float(boost.blower_speed(*sheet.numbers("redline", "crank_pulley", "blower_pulley")))


def _road_speed(gear: int) -> Callable[[Sheet], float]:
    def work_out(sheet: Sheet) -> float:
        ratio, final, radius, redline = sheet.numbers(f"gear_{gear}", "final_drive", "tyre_radius", "redline")
        return float(geometry.angular_speed(redline)) / (ratio * final) * radius

    return work_out


_EVENTS = (
    ("intake_opening", "Intake opens before TDC"),
    ("intake_closing", "Intake closes after BDC"),
    ("exhaust_opening", "Exhaust opens before BDC"),
    ("exhaust_closing", "Exhaust closes after TDC"),
    ("overlap", "Overlap"),
)


def _timing_rules() -> list[Rule]:
    rules = []
    for bank, bank_key, bank_label in ((1, "", ""), (2, "_bank_2", ", second bank")):
        for height, height_label in ((SEAT, "at the seat"), (AT_050, "at 0.050 in")):
            for name, label in _EVENTS:
                rules.append(
                    Rule(f"{name}{height or '_seat'}{bank_key}", f"{label}, {height_label}{bank_label}", "camshaft",
                         "angle", _event(name, height, bank), unit="°", source="geometry of the cam")
                )  # fmt: skip
    return rules


RULES: tuple[Rule, ...] = (
    Rule("displacement", "Displacement", "bottom_end", "volume", displacement, figure="displacement",
         source="π/4 · bore² · stroke · cylinders"),
    Rule("swept_volume", "Swept by one cylinder", "bottom_end", "volume", _swept, figure="volume",
         source="π/4 · bore² · stroke"),
    Rule("piston_speed", "Mean piston speed at redline", "bottom_end", "velocity", _piston_speed, figure="velocity",
         source="2 · stroke · n / 60"),
    Rule("share_chamber", "Chamber", "compression", "volume", _share("chamber"), figure="volume"),
    Rule("share_gasket", "Gasket", "compression", "volume", _share("gasket"), figure="volume"),
    Rule("share_deck", "Deck", "compression", "volume", _share("deck"), figure="volume"),
    Rule("share_piston", "Piston", "compression", "volume", _share("piston"), figure="volume"),
    Rule("clearance", "Clearance, all together", "compression", "volume", _clearance_total, figure="volume"),
    Rule("static_ratio", "Static ratio", "compression", "ratio", static_ratio, unit=":1", source="(Vs + Vc)/Vc"),
    Rule("trapped_ratio", "Trapped ratio", "compression", "ratio", _trapped_ratio, unit=":1",
         source="slider-crank, from the closing of the intake at the seat"),
    Rule("cranking_estimate", "Cranking pressure, estimated", "compression", "pressure", _cranking, figure="boost",
         source="p · ratio^n − p with n 1.2 to 1.3, from memory"),
    *_timing_rules(),
    Rule("head_ceiling", "Head flow ceiling", "heads", "power", _head_ceiling, figure="power",
         source="0.257 hp for each CFM at 28 inH2O and cylinder, from memory"),
    Rule("airflow_demand", "Airflow wanted at redline", "intake", "volume flow", _demand, figure="air_flow",
         source="displacement · n · filling over turns per cycle"),
    Rule("rating_wanted", "Carburettor rating that suits", "intake", "volume flow", _rating_wanted, figure="air_flow",
         source="common practice, no source"),
    Rule("depression", "Depression at redline, this carburettor", "intake", "pressure", _depression, figure="vacuum",
         source="flow with the root of the depression"),
    Rule("rating_at_depression", "Carburettor at the measured depression", "intake", "volume flow",
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


def work_out(sheet: Sheet) -> list[Figure]:
    """Every figure of a sheet; those of a second bank only where the sheet has one.

    Shapes: one sheet.
    Units:  SI, rpm and degrees.
    Errors: none: a figure without a value says what is missing, or why it was refused.
    Source: RULES.
    >>> work_out(Sheet({}))[0].missing
    ('bore', 'stroke', 'cylinders')
    """
    two_banks = sheet.has_second_bank()
    return [sheet.work_out(rule) for rule in RULES if two_banks or not rule.key.endswith("_bank_2")]


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
