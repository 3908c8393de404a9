"""What a build sheet gives away by itself: values that contradict each other, and what calls for care."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping

from torvix_core.engine import breathing, camshaft, fuel
from torvix_core.engine.dimensions import GROUPS, SHEET
from torvix_core.engine.evidence import Origin
from torvix_core.engine.figures import work_out
from torvix_core.engine.fuel import FUELS, Fuel
from torvix_core.engine.sheet import BuildSheet, Figure, Missing, SheetFinding
from torvix_core.engine.short_block import PISTON_SPEED_LIMIT, SEAT, timing
from torvix_core.units.grammar import listed
from torvix_core.units.quantities import percent

RATIO_AGREEMENT = 0.15  # [-], quoted and worked-out static ratios closer than this say the same [prac]
ANGLE_AGREEMENT = 0.6  # degrees; cam cards round to whole or half degrees [prac]
GENEROUS = 1.5  # times the demand: half the rated depression at the top and less; above it manners suffer first [prac]
OVERSIZED = 3.0  # times the demand, above which a carburetor is named as out of proportion [prac]
LIMITED_FIGURES = ("blower_speed",)
AIRFLOW_AGREEMENT = 0.10  # [-] between an air meter and a carburetor's rating [prac]

Amounts = Mapping[str, Figure]
_GROUP_OF = {dimension.key: group.key for group in GROUPS for dimension in group.dimensions}


def find(sheet: BuildSheet, figures: list[Figure]) -> list[SheetFinding]:
    """All that the sheet and its figures give away.

    Shapes: one sheet with its figures.
    Units:  texts hold only degrees, ratios and per cent, which are the same for everybody.
    Errors: none.
    Source: rules of the trade [prac], beside each.
    >>> find(BuildSheet({}), [])
    []
    """
    by_key = {figure.rule.key: figure for figure in figures}
    return [finding for look in _LOOKS for finding in look(sheet, by_key)]


def passed_limits(sheet: BuildSheet) -> list[SheetFinding]:
    """Only what passes a limit of the sheet: clearances and blower speed.

    Shapes: one sheet.
    Units:  none.
    Errors: none.
    Source: `find`.
    >>> passed_limits(BuildSheet({}))
    []
    """
    by_key = {figure.rule.key: figure for figure in work_out(sheet, LIMITED_FIGURES)}
    return [finding for look in (_clearance, _blower) for finding in look(sheet, by_key) if finding.limit]


def _value(figures: Amounts, key: str) -> float | None:
    figure = figures.get(key)
    return figure.amount.value if figure and figure.amount else None


def _high(figures: Amounts, key: str) -> float | None:
    figure = figures.get(key)
    if not figure or not figure.amount:
        return None
    return figure.amount.value if figure.amount.value is not None else figure.amount.high


def _contradictions(sheet: BuildSheet, figures: Amounts) -> Iterator[SheetFinding]:
    for key, settled in sheet.dimensions.items():
        if key in SHEET and settled.is_blocked:
            origins = listed([origin.value for origin in settled.contradicts])
            yield SheetFinding(
                _GROUP_OF[key], f"{SHEET[key].label}: {origins} contradict each other. Choose which to use."
            )
        elif key in SHEET and settled.origin is Origin.MEASURED and settled.contradicts:
            origins = listed([origin.value for origin in settled.contradicts])
            yield SheetFinding(
                _GROUP_OF[key], f"{SHEET[key].label}: measured differs from {origins}; the measured value is used."
            )


def _quoted_ratio(sheet: BuildSheet, figures: Amounts) -> Iterator[SheetFinding]:
    reported, found = sheet.maybe("quoted_ratio"), _value(figures, "static_ratio")
    if reported is not None and found is not None and abs(reported - found) > RATIO_AGREEMENT:
        yield SheetFinding(
            "compression", f"Reported {reported:.4g}:1, but the volumes give {found:.2f}:1. One of them is not right."
        )


def _cam_card(sheet: BuildSheet, figures: Amounts) -> Iterator[SheetFinding]:
    banks = (1, 2) if sheet.has_second_bank() else (1,)
    for bank in banks:
        reported = sheet.maybe(sheet.banked("intake_closing", bank))
        try:
            found = float(timing(sheet, SEAT, bank).intake_closing)
        except Missing:
            found = None
        if reported is not None and found is not None and abs(reported - found) > ANGLE_AGREEMENT:
            yield SheetFinding("camshaft", f"Intake closing reported as {reported:.4g}°, but duration and centerline "
                                      f"give {found:.4g}°. The worked-out one is used.")  # fmt: skip
        given = [sheet.maybe(sheet.banked(key, bank)) for key in ("lobe_separation", "cam_advance",
                                                                 "intake_centreline")]  # fmt: skip
        if None not in given:
            separation, advance, centreline = (float(value or 0.0) for value in given)
            follows = float(camshaft.centrelines(separation, advance)[0])
            if abs(follows - centreline) > ANGLE_AGREEMENT:
                yield SheetFinding(
                    "camshaft",
                    f"Separation less advance is {follows:.4g}°, but the intake centerline is "
                    f"given as {centreline:.4g}°. The centerline is used.",
                )


def _banks(sheet: BuildSheet, figures: Amounts) -> Iterator[SheetFinding]:
    one, two = _value(figures, "intake_closing_seat"), _value(figures, "intake_closing_seat_bank_2")
    if one is not None and two is not None and abs(one - two) > camshaft.BANK_TOLERANCE:
        yield SheetFinding(
            "camshaft",
            f"The banks close their intakes {abs(one - two):.4g}° apart. Check the phase of both "
            "before the cams are trusted.",
            caution=True,
        )


def _clearance(sheet: BuildSheet, figures: Amounts) -> Iterator[SheetFinding]:
    if sheet.maybe("intake_lift") is None:
        return
    for side in ("intake", "exhaust"):
        measured, least = sheet.maybe(f"{side}_clearance"), sheet.maybe(f"least_{side}_clearance")
        if measured is None:
            yield SheetFinding(
                "camshaft",
                f"Piston to {side} valve is not written down. Measure it before the engine is "
                "turned over with another cam, head or thinner gasket.",
                caution=True,
            )
        elif measured < max(camshaft.LEAST_CLEARANCE[side], least or 0.0):
            whose = "the sheet allows" if least and least > camshaft.LEAST_CLEARANCE[side] else "is common practice"
            yield SheetFinding(
                "camshaft",
                f"Piston to {side} valve is closer than the least that {whose}. Do not turn it over.",
                caution=True, limit=True,
            )  # fmt: skip


def _piston_speed(sheet: BuildSheet, figures: Amounts) -> Iterator[SheetFinding]:
    speed, limit = _value(figures, "piston_speed"), sheet.maybe("piston_speed_limit") or PISTON_SPEED_LIMIT
    if speed is not None and speed > limit:
        yield SheetFinding("bottom_end", f"The mean piston speed at redline is {percent(speed / limit)} of the limit.",
                      caution=True)  # fmt: skip


def _carburetor(sheet: BuildSheet, figures: Amounts) -> Iterator[SheetFinding]:
    rating, demand = sheet.maybe("carburetor_rating"), _value(figures, "airflow_demand")
    if rating is not None and demand is not None and rating > OVERSIZED * demand:
        yield SheetFinding(
            "intake", f"The carburetor is rated for {rating / demand:.1f} times what the engine can swallow."
        )
    elif rating is not None and demand is not None and rating > GENEROUS * demand:
        yield SheetFinding(
            "intake",
            f"The carburetor is rated for {rating / demand:.1f} times what the engine can swallow: hardly any power "
            "more than one that fits, a weaker signal at low speed, and soft manners.",
        )
    elif rating is not None and demand is not None and rating < demand:
        yield SheetFinding(
            "intake",
            f"The carburetor is rated for {percent(rating / demand)} of what the engine can swallow at redline: it "
            "pulls a vacuum there. The vacuum at full throttle tells whether that costs power.",
        )
    measured, by_rule = sheet.maybe("measured_airflow"), _value(figures, "rating_at_depression")
    if measured is not None and by_rule is not None and abs(measured / by_rule - 1) > AIRFLOW_AGREEMENT:
        yield SheetFinding(
            "intake",
            f"The air meter reads {percent(measured / by_rule)} of what the rating gives at the "
            "measured depression: rating method, hat loss or a sensor. It is not settled which.",
        )


def _airflow_and_power(sheet: BuildSheet, figures: Amounts) -> Iterator[SheetFinding]:
    power, airflow = sheet.maybe("target_power"), sheet.maybe("measured_airflow")
    if power is None or airflow is None:
        return
    each = (power / 745.69987) / (airflow / 4.7194745e-4)
    low, high = breathing.POWER_PER_AIR
    if not low <= each <= high:
        yield SheetFinding(
            "target", f"{each:.2f} hp for each CFM of air; gasoline engines make {low:.2f} to {high:.2f}."
        )


def _injectors(sheet: BuildSheet, figures: Amounts) -> Iterator[SheetFinding]:
    duty, limit = _high(figures, "injector_duty"), sheet.maybe("duty_limit") or fuel.DUTY_LIMIT
    if duty is not None and duty > limit:
        duty_words = "cannot deliver it at all" if duty > 1 else f"would stand open {percent(duty)} of the time"
        yield SheetFinding("fuel", f"The injectors {duty_words} at the target power; the limit is {percent(limit)}. "
                              "Lean under load destroys engines.", caution=True)  # fmt: skip


def _fuel_and_ratio(sheet: BuildSheet, figures: Amounts) -> Iterator[SheetFinding]:
    ratio = _value(figures, "static_ratio")
    if ratio is None:
        ratio = sheet.maybe("quoted_ratio")
    named = sheet.words("fuel")
    if ratio is None or not named:
        return
    facts = FUELS[Fuel(named)]
    if facts.ordinary_ratio is not None and ratio > facts.ordinary_ratio:
        yield SheetFinding("fuel", f"{ratio:.1f}:1 is above the {facts.ordinary_ratio:.1f}:1 that is ordinary on "
                              f"{facts.label.lower()} without boost. Knock decides: safe spark first, a knock sensor, "
                              "and the fuel maker's word.", caution=True)  # fmt: skip
    elif facts.ordinary_ratio is not None and (sheet.maybe("boost_target") or 0.0) > 0:
        yield SheetFinding(
            "fuel",
            f"Boosted at {ratio:.1f}:1 on {facts.label.lower()}: what is ordinary without boost does "
            "not apply. Start with safe spark and watch for knock.",
            caution=True,
        )


def _target(sheet: BuildSheet, figures: Amounts) -> Iterator[SheetFinding]:
    at_torque, power = _value(figures, "power_at_torque_peak"), sheet.maybe("target_power")
    if at_torque is not None and power is not None and at_torque > power:
        yield SheetFinding(
            "target",
            "The target torque makes more power at its own speed than the target power: one of the two is not right.",
        )
    ceiling = _value(figures, "head_ceiling")
    if ceiling is not None and power is not None and power > ceiling and not sheet.maybe("boost_target"):
        yield SheetFinding(
            "heads",
            "The target power is above what this head flow usually allows: a better intake alone can show little.",
        )


def _blower(sheet: BuildSheet, figures: Amounts) -> Iterator[SheetFinding]:
    speed, limit = _value(figures, "blower_speed"), sheet.maybe("blower_limit")
    if speed is not None and limit is not None and speed > limit:
        yield SheetFinding(
            "boost",
            "The blower turns faster than its limit at redline. Change the pulleys or the redline.",
            caution=True, limit=True,
        )  # fmt: skip


_LOOKS: tuple[Callable[[BuildSheet, Amounts], Iterator[SheetFinding]], ...] = (
    _contradictions, _quoted_ratio, _cam_card, _banks, _clearance, _piston_speed, _carburetor, _airflow_and_power,
    _injectors, _fuel_and_ratio, _target, _blower,
)  # fmt: skip
