"""The road over the API: the vehicle as it is shown and tried, times of every setup, shifts, grades, duty of a run."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from torvix_core.engine.dimensions import SHEET
from torvix_core.units import quantities
from torvix_core.units.quantity_parser import NotUnderstood, read_quantity

from shop.refusals import Invalid
from shop.schema import Schema
from verdicts.judging.schemas import ChoiceIn
from verdicts.road import messages
from verdicts.road.service import LABELS, QUARTER, Road, RoadMeasure, Rolling, TimeGap, run_duties
from verdicts.road.vehicle_of import GRIPS, INERTIAS, KEYS, TORQUES, RoadVehicle, text_of


class RoadIn(ChoiceIn):
    """What is judged, and the car: texts as typed, empty for what the build sheet has, "none" to leave a line out."""

    vehicle_mass: str = ""
    gear_1: str = ""
    gear_2: str = ""
    gear_3: str = ""
    gear_4: str = ""
    gear_5: str = ""
    gear_6: str = ""
    gear_7: str = ""
    final_drive: str = ""
    tire_radius: str = ""
    converter_stall: str = ""
    launch_speed: str = ""
    shift_time: str = ""
    drag_area: str = ""
    rolling_resistance: str = ""
    driveline_efficiency: str = ""
    tire_grip: str = ""
    engine_inertia: str = ""
    wheel_inertia: str = ""
    grip_rule: str = ""
    inertia_rule: str = ""
    torque_rule: str = ""
    rollout: bool = True
    shift_rpm: str = ""
    roll_gear: int | None = None
    roll_from: str = ""
    roll_to: str = ""
    grade_gear: int | None = None
    grade_at: str = ""

    def tried(self) -> dict[str, str]:
        return {key: getattr(self, key) for key in KEYS}

    def shift(self) -> float | None:
        return _read(self.shift_rpm, "shift_rpm", "speed", "rpm", 300, 20_000) if self.shift_rpm.strip() else None

    def rolling(self, units: Mapping[str, str]) -> Rolling | None:
        if self.roll_gear is None or not (self.roll_from.strip() and self.roll_to.strip()):
            return None
        low, high = (
            _read(text, field, "velocity", units["road_speed"], 0.0, 150.0)
            for text, field in ((self.roll_from, "roll_from"), (self.roll_to, "roll_to"))
        )
        if not low < high:
            raise Invalid("The lower speed comes first.", fields={"roll_to": "above the first"})
        return Rolling(self.roll_gear - 1, low, high)

    def grade(self, units: Mapping[str, str]) -> tuple[int, float] | None:
        if self.grade_gear is None or not self.grade_at.strip():
            return None
        return self.grade_gear - 1, _read(self.grade_at, "grade_at", "velocity", units["road_speed"], 0.5, 150.0)


def _read(text: str, field: str, measure: str, unit: str, low: float, high: float) -> float:
    try:
        return read_quantity(text, measure, unit, low, high).value
    except NotUnderstood as reason:
        raise Invalid("This is not understood: see the field.", fields={field: str(reason)}) from reason


class VehicleLineOut(Schema):
    """`source`: sheet, tried, assumed, or empty where there is none."""

    key: str
    label: str
    text: str
    unit: str
    source: str


class RuleOut(Schema):
    value: str
    label: str


class TimeGapOut(Schema):
    """Seconds against the baseline, below zero is quicker."""

    seconds: float
    low: float
    high: float
    state: str


class RoadTimeOut(Schema):
    setup_id: int
    seconds: float | None
    gap: TimeGapOut | None
    leads: bool


class RoadMeasureOut(Schema):
    key: str
    label: str
    sentence: str
    times: list[RoadTimeOut]


class RoadSetupOut(Schema):
    """`duty` are the points of how long the run stays at each speed, as the address of a verdict has them."""

    setup_id: int
    eighth_speed: float | None
    quarter_speed: float | None
    shifts: list[str]
    grade_percent: float | None
    problem: str
    ruled_out: bool
    duty: str


class LapDutyOut(Schema):
    """Points of a drawn duty, rpm and weight, and what of the log they rest on."""

    points: list[list[float]]
    sentence: str


class RoadOut(Schema):
    """`gear_speeds` are the road speeds that the sweep reaches in each gear, nothing slipping."""

    speed_unit: str
    vehicle: list[VehicleLineOut]
    conventions: list[str]
    grip_rules: list[RuleOut]
    inertia_rules: list[RuleOut]
    torque_rules: list[RuleOut]
    swept_from: float
    swept_to: float
    measures: list[RoadMeasureOut]
    setups: list[RoadSetupOut]
    gear_speeds: list[list[float]]
    notes: list[str]


def _number(value: float) -> float | None:
    return float(value) if np.isfinite(value) else None


def _gap(gap: TimeGap | None) -> TimeGapOut | None:
    return None if gap is None else TimeGapOut(seconds=gap.seconds, low=gap.low, high=gap.high, state=gap.state)


def _measure(found: Road, measure: RoadMeasure) -> RoadMeasureOut:
    return RoadMeasureOut(
        key=measure.key, label=LABELS[measure.key], sentence=messages.measure_sentence(found, measure),
        times=[
            RoadTimeOut(setup_id=setup.pk, seconds=_number(measure.times[place]), gap=_gap(measure.to_baseline[place]),
                        leads=place in measure.leading)
            for place, setup in enumerate(found.comparison.setups)
        ],
    )  # fmt: skip


def road_out(found: Road, of: RoadVehicle, units: Mapping[str, str]) -> RoadOut:
    unit = units["road_speed"]

    def speed(value: float) -> float | None:
        return _number(float(quantities.from_si(value, unit)))

    shifts, duties = found.shifts, run_duties(found)
    quarter = next(one for one in found.measures if one.key == QUARTER)
    lines = []
    for line in of.lines:
        text, line_unit = text_of(line, units)
        lines.append(VehicleLineOut(
            key=line.key, label=SHEET[line.key].label, text=text, unit=line_unit, source=line.source
        ))  # fmt: skip
    return RoadOut(
        speed_unit=unit, vehicle=lines, conventions=messages.conventions(of, found.air_density),
        grip_rules=[RuleOut(value=key, label=label) for key, label in GRIPS.items()],
        inertia_rules=[RuleOut(value=key, label=label) for key, label in INERTIAS.items()],
        torque_rules=[RuleOut(value=key, label=label) for key, label in TORQUES.items()],
        swept_from=float(found.comparison.speed_rpm[0]), swept_to=float(found.comparison.speed_rpm[-1]),
        measures=[_measure(found, one) for one in found.measures],
        setups=[
            RoadSetupOut(
                setup_id=setup.pk, eighth_speed=speed(found.run.eighth_speed[place]),
                quarter_speed=speed(found.run.quarter_speed[place]),
                shifts=[
                    messages.shift_words(
                        float(shifts.best[place, at]), float(shifts.low[place, at]), float(shifts.high[place, at]),
                        bool(shifts.open_above[place, at]), bool(shifts.reached[place, at]), found.searched,
                    )
                    for at in range(shifts.best.shape[1])
                ],
                grade_percent=None if found.grades is None else _number(float(found.grades[place]) * 100),
                problem=found.problems[place], ruled_out=place in found.out,
                duty="" if not np.isfinite(quarter.times[place]) else _points(duties[place]),
            )
            for place, setup in enumerate(found.comparison.setups)
        ],
        gear_speeds=[
            [float(quantities.from_si(max(table.low, table.slips), unit)), float(quantities.from_si(table.high, unit))]
            for table in found.gears
        ],
        notes=messages.notes(found, of, {line.key: SHEET[line.key].label for line in of.lines}),
    )  # fmt: skip


def _points(points: tuple[tuple[float, float], ...]) -> str:
    return ",".join(f"{speed:g}:{weight:g}" for speed, weight in points)
