"""The vehicle that a test's engine goes into: as the build sheet has it, as somebody tries it, or assumed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TypeVar

from torvix_core.engine.dimensions import SHEET
from torvix_core.road import vehicle as road
from torvix_core.road.vehicle import Conventions, GripAt, InertiaAt, TorqueBetween, Vehicle
from torvix_core.units import quantities
from torvix_core.units.quantity_parser import NotUnderstood

from engines.models import Build
from engines.sheet import sheets
from engines.sheet.entries import read_entry
from shop.refusals import Invalid, Refusal
from shop.units import unit_for

GEARS = tuple(f"gear_{number}" for number in range(1, 8))
NEEDED = ("vehicle_mass", "gear_1", "final_drive", "tire_radius")
ASSUMED = {
    "drag_area": road.DRAG_AREA, "rolling_resistance": road.ROLLING_RESISTANCE, "driveline_efficiency": road.EFFICIENCY,
    "tire_grip": road.GRIP, "engine_inertia": road.ENGINE_INERTIA, "wheel_inertia": road.WHEEL_INERTIA,
}  # fmt: skip
KEYS = (*NEEDED[:1], *GEARS, *NEEDED[2:], "converter_stall", "launch_speed", "shift_time", *ASSUMED)
NONE = "none"  # typed to leave out what the sheet has
GRIPS = {GripAt.GROUND: "Grip counts at the ground", GripAt.DRIVE: "Drive force is capped"}
INERTIAS = {
    InertiaAt.BEFORE: "Engine is spun up before the loss in the gears",
    InertiaAt.AFTER: "Engine's inertia counts after the loss in the gears",
}  # fmt: skip
TORQUES = {TorqueBetween.LINEAR: "Straight between bins", TorqueBetween.CUBIC: "Cubic between bins"}


Rule = TypeVar("Rule", GripAt, InertiaAt, TorqueBetween)


class NoVehicle(Refusal):
    """The build sheet has too little of a vehicle."""

    code = "no_vehicle"


@dataclass(frozen=True)
class VehicleLine:
    """One value in SI; `source` is "sheet", "tried" or "assumed"; value None where there is none."""

    key: str
    value: float | None
    source: str


@dataclass(frozen=True)
class RoadVehicle:
    vehicle: Vehicle
    lines: tuple[VehicleLine, ...]


def vehicle_of(
    build: Build, tried: Mapping[str, str], units: Mapping[str, str], swept_from: float, conventions: Conventions
) -> RoadVehicle:
    """The vehicle. Invalid names each field; NoVehicle says what is missing of it.

    What the test's revision of the engine does not have is taken from the newest that does.
    """
    lines = {key: VehicleLine(key, value, "sheet") for key, value in _of_sheets(build).items()}
    wrong = {}
    for key in KEYS:
        text = tried.get(key, "").strip()
        if text.lower() == NONE:
            lines.pop(key, None)
        elif text:
            try:
                lines[key] = VehicleLine(key, read_entry(SHEET[key], text, units).value, "tried")
            except NotUnderstood as reason:
                wrong[key] = str(reason)
    if wrong:
        raise Invalid("Some of the vehicle is not understood: see the fields.", fields=wrong)
    missing = [SHEET[key].label.lower() for key in NEEDED if key not in lines]
    if missing:
        raise NoVehicle(f"A run needs {', '.join(missing)}. Write them on the build sheet, or try them here.")
    there = [place for place, key in enumerate(GEARS) if key in lines]
    if gaps := [GEARS[place] for place in range(there[-1]) if place not in there]:
        labels = ", ".join(SHEET[key].label.lower() for key in gaps)
        raise Invalid(f"A gear is missing: type {labels}.", fields=dict.fromkeys(gaps, "missing between two others"))
    if "converter_stall" in lines and "launch_speed" in lines:
        both = "A car has a clutch or a converter. Type none into one of the two."
        raise Invalid(both, fields={"converter_stall": "or a launch speed", "launch_speed": "or a stall speed"})
    if "converter_stall" not in lines and "launch_speed" not in lines:
        lines["launch_speed"] = VehicleLine("launch_speed", swept_from, "assumed")
    for key, value in ASSUMED.items():
        lines.setdefault(key, VehicleLine(key, value, "assumed"))
    usual = road.CONVERTER_SHIFT_TIME if "converter_stall" in lines else road.SHIFT_TIME
    lines.setdefault("shift_time", VehicleLine("shift_time", usual, "assumed"))
    try:
        made = _vehicle({key: line.value for key, line in lines.items() if line.value is not None}, conventions)
    except ValueError as reason:
        field = "gear_1" if "gear" in str(reason) else "vehicle_mass"
        raise Invalid(f"This vehicle cannot be driven: {reason}.", fields={field: str(reason)}) from reason
    return RoadVehicle(made, tuple(lines.get(key, VehicleLine(key, None, "")) for key in KEYS))


def _of_sheets(build: Build) -> dict[str, float]:
    """Numbers of the vehicle on this revision, and what only a newer or older one has."""
    found: dict[str, float] = {}
    revisions = Build.objects.filter(engine=build.engine_id).prefetch_related("readings").order_by("-revision")
    for one in sorted(revisions, key=lambda each: each.pk != build.pk):
        for key, value in sheets.values(one.readings.all()).items():
            if key in KEYS and not isinstance(value, str):
                found.setdefault(key, value)
    return found


def _vehicle(values: Mapping[str, float], conventions: Conventions) -> Vehicle:
    return Vehicle(
        mass=values["vehicle_mass"], gears=tuple(values[key] for key in GEARS if key in values),
        final_drive=values["final_drive"], tire_radius=values["tire_radius"], launch_rpm=values.get("launch_speed"),
        stall_rpm=values.get("converter_stall"), shift_time=values["shift_time"], drag_area=values["drag_area"],
        rolling_resistance=values["rolling_resistance"], efficiency=values["driveline_efficiency"],
        grip=values["tire_grip"], engine_inertia=values["engine_inertia"], wheel_inertia=values["wheel_inertia"],
        conventions=conventions,
    )  # fmt: skip


def conventions_of(grip: str, inertia: str, torque: str, rollout: bool) -> Conventions:
    """Rules of a time as chosen; empty is the default. Invalid names the field."""
    wrong: dict[str, str] = {}

    def one_of(kind: type[Rule], text: str, field: str, usual: Rule) -> Rule:
        try:
            return kind(text) if text else usual
        except ValueError:
            wrong[field] = f"one of {', '.join(kind)}"
            return usual

    usual = Conventions()
    made = Conventions(
        one_of(GripAt, grip, "grip_rule", usual.grip), one_of(InertiaAt, inertia, "inertia_rule", usual.inertia),
        one_of(TorqueBetween, torque, "torque_rule", usual.torque), usual.rollout if rollout else 0.0,
    )  # fmt: skip
    if wrong:
        raise Invalid("There is no such rule.", fields=wrong)
    return made


def text_of(line: VehicleLine, units: Mapping[str, str]) -> tuple[str, str]:
    """A value as it stands in its field, and its unit."""
    dimension = SHEET[line.key]
    unit = unit_for(dimension.figure, dimension.unit, units)
    if line.value is None:
        return "", unit
    return f"{round(float(quantities.from_si(line.value, unit)), 4):.6g}", unit
