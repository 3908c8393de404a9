"""A setup laid over the build sheet: the engine on paper as it would be with other parts and settings."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from torvix_core.engine.boost import boost_after_pulley
from torvix_core.engine.dimensions import BANKED, SECOND_BANK, SHEET, Slot
from torvix_core.engine.evidence import Origin, Settled, agree
from torvix_core.engine.sheet import BuildSheet
from torvix_core.engine.short_block import AMBIENT
from torvix_core.engine.stack import StackPart

_CAM = (*BANKED, *(key + SECOND_BANK for key in BANKED))
# What the sheet says of the parts that are on, and no longer holds with another one in their slot
SPOILED: dict[Slot, tuple[str, ...]] = {
    Slot.CAMSHAFT: (*_CAM, "intake_clearance", "exhaust_clearance", "cranking_pressure"),
    Slot.CYLINDER_HEAD: (
        "chamber_volume", "intake_valve", "exhaust_valve", "intake_port_volume", "port_width", "port_height",
        "intake_clearance", "exhaust_clearance", "cranking_pressure", "quoted_ratio",
    ),
    Slot.CARBURETOR: ("carburetor_rating", "carburetor_kind", "wide_open_depression", "measured_airflow"),
    Slot.THROTTLE_BODY: ("throttles", "throttle_bore", "wide_open_depression", "measured_airflow"),
    Slot.INTAKE_MANIFOLD: ("runner_area", "plenum_volume", "wide_open_depression", "measured_airflow"),
    Slot.HEADER: ("primary_diameter", "primary_length", "collector_diameter", "collector_length"),
    Slot.PULLEY: ("crank_pulley", "blower_pulley"),
    Slot.BOOST_CONTROL: ("boost_target",),
}  # fmt: skip
# Dimensions of a part that mean the same in the sheet; a runner is measured from the valve there, from the flange here.
TAKEN: dict[Slot, tuple[str, ...]] = {
    **{slot: tuple(key for key in keys if key in SHEET) for slot, keys in SPOILED.items()},
    Slot.INTAKE_MANIFOLD: ("runner_area", "plenum_volume"),
}
RUNNER = "runner_length"
SETTINGS = ("spark_advance", "mixture_target", "boost_target", "cam_advance", "fuel")  # of a setup, and of the sheet


@dataclass(frozen=True)
class OverlaidSheet:
    """The sheet of a setup, and what of the sheet below does not hold for it and nobody has measured anew."""

    sheet: BuildSheet
    unknown: tuple[str, ...]


def overlay(
    sheet: BuildSheet, described: Sequence[StackPart], parts: Sequence[StackPart],
    settings: Mapping[str, float | str] | None = None,
) -> OverlaidSheet:  # fmt: skip
    """The engine on paper with these parts and settings in place of those that the sheet describes.

    Shapes: two stacks, those that the sheet describes and those of the setup; settings by key, as far as they differ.
    Units:  SI.
    Errors: none.
    Source: house rule: a part that differs brings what is written of it; what the sheet says of the one before goes
            with that one, and is asked for again, never taken over. Of a part that stays, what the library knows
            fills what the sheet leaves open.
    >>> from torvix_core.engine.evidence import Evidence, settle
    >>> known = {"chamber_volume": settle([Evidence(Origin.MEASURED, 58e-6)]), "cranking_pressure":
    ...          settle([Evidence(Origin.MEASURED, 12e5)])}
    >>> found = overlay(BuildSheet(known), [StackPart(Slot.CYLINDER_HEAD, "as cast", {"chamber_volume": 58e-6})],
    ...                 [StackPart(Slot.CYLINDER_HEAD, "milled", {"chamber_volume": 50e-6})])
    >>> found.sheet.dimensions["chamber_volume"].value, "cranking_pressure" in found.sheet.dimensions, found.unknown
    (5e-05, False, ('cranking_pressure',))
    """
    dimensions, flow = dict(sheet.dimensions), dict(sheet.flow)
    unknown: list[str] = []
    for slot, before, after in _changed(described, parts):
        brought = {key: value for part in after for key, value in part.values.items() if key in TAKEN.get(slot, ())}
        spoiled = [key for key in SPOILED.get(slot, ()) if key in dimensions]
        for key in spoiled:
            dimensions.pop(key)
        dimensions |= {key: Settled(value, Origin.CATALOG) for key, value in brought.items()}
        unknown += [key for key in spoiled if key not in brought]
        if slot is Slot.CYLINDER_HEAD:
            unknown += [f"{side}_flow_table" for side in flow]
            flow = {}
        if slot is Slot.PULLEY:
            expected = _boost_of_drive(sheet, dimensions, before)
            if expected is not None:
                dimensions["boost_target"] = Settled(expected, Origin.CALCULATED)
            elif dimensions.pop("boost_target", None) is not None:
                unknown.append("boost_target")
        if slot in (Slot.INTAKE_MANIFOLD, Slot.UPPER_INTAKE):
            longer = _longer(before, after)
            if longer is not None and (whole := dimensions.get(RUNNER)) and isinstance(whole.value, float):
                dimensions[RUNNER] = replace(whole, value=whole.value + longer, origin=Origin.CATALOG)
            elif RUNNER in dimensions:
                dimensions.pop(RUNNER)
                unknown.append(RUNNER)
    changed = {slot for slot, _, _ in _changed(described, parts)}
    for part in parts:
        kept = () if part.slot in changed else TAKEN.get(part.slot, ())
        for key in kept:
            if key in part.values and key not in dimensions:
                dimensions[key] = Settled(part.values[key], Origin.CATALOG)
    for key, value in (settings or {}).items():
        if key in SETTINGS:
            dimensions[key] = Settled(value, Origin.REPORTED)
    return OverlaidSheet(BuildSheet(dimensions, flow), tuple(dict.fromkeys(unknown)))


def _boost_of_drive(sheet: BuildSheet, dimensions: Mapping[str, Settled], before: Sequence[StackPart]) -> float | None:
    """Boost to expect with other pulleys, Pa; None where it, or one of the drives, is not known."""
    drives = []
    written = {key: value for part in before for key, value in part.values.items()}
    measured = {key: one.value for key, one in sheet.dimensions.items()}
    for known in ({**written, **measured}, {key: one.value for key, one in dimensions.items()}):
        crank, blower = known.get("crank_pulley"), known.get("blower_pulley")
        drives.append(crank / blower if isinstance(crank, float) and isinstance(blower, float) else None)
    own, (old, new) = sheet.maybe("boost_target"), drives
    if own is None or old is None or new is None:
        return None
    return float(boost_after_pulley(AMBIENT, own, old, new))


def _changed(
    described: Sequence[StackPart], parts: Sequence[StackPart]
) -> Iterator[tuple[Slot, list[StackPart], list[StackPart]]]:
    """Slots in which the two do not have the same parts."""
    for slot in Slot:
        before, after = ([part for part in stack if part.slot == slot] for stack in (described, parts))
        if {part.name for part in before} != {part.name for part in after}:
            yield slot, before, after


def _longer(before: Sequence[StackPart], after: Sequence[StackPart]) -> float | None:
    """By how much the runners of the second are longer, m; None where it is not written of both."""
    lengths = [[part.number(RUNNER) for part in stack] for stack in (before, after)]
    if any(not stack or None in stack for stack in lengths):
        return None
    old, new = (sum(length or 0.0 for length in stack) for stack in lengths)
    return 0.0 if agree(old, new) else new - old
