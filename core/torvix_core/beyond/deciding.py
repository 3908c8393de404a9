"""By which variable a part stands between others of its kind, and what else has to go along with it.

Two camshafts that differ in duration seldom differ in nothing else. What rises and falls with the deciding variable
goes along; what does not is a second cause, and a curve drawn over the first alone would be wrong.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from torvix_core.engine.dimensions import Dimension, Measure, Slot, part_dimensions

# The first is offered; common practice, no source.
DECIDING: dict[Slot, tuple[str, ...]] = {
    Slot.CAMSHAFT: ("intake_duration_050", "intake_duration", "lobe_separation", "intake_lift", "cam_advance"),
    Slot.INTAKE_MANIFOLD: ("runner_length", "plenum_volume", "runner_area"),
    Slot.UPPER_INTAKE: ("runner_length", "plenum_volume", "runner_area"),
    Slot.LOWER_INTAKE: ("runner_length", "runner_area"),
    Slot.CARBURETOR: ("carburetor_rating", "throttle_bore"),
    Slot.THROTTLE_BODY: ("throttle_bore",),
    Slot.SPACER: ("height",),
    Slot.CYLINDER_HEAD: ("intake_flow", "intake_port_volume", "intake_valve", "chamber_volume"),
    Slot.HEADER: ("primary_diameter", "primary_length"),
    Slot.BOOST_CONTROL: ("boost_target",),
    Slot.PULLEY: ("blower_pulley", "crank_pulley"),
    Slot.GASKET: ("thickness",),
}
NO_AIR = frozenset({"mass", "runner_taper"})  # moves no air, or too little to be seen beside the rest
ANGLE_MAY_STRAY = 3.0  # degrees [own assumption, no source]
OTHERS_MAY_STRAY = 0.08  # of the value [own assumption, no source]


@dataclass(frozen=True)
class SecondCause:
    """A dimension that does not go along: of which part (None: the one that is slotted in), what it is and would be."""

    dimension: Dimension
    part: int | None
    value: float | str
    expected: float | str


def variables(slot: Slot) -> tuple[Dimension, ...]:
    """What can decide for a kind of part, the usual one first; empty where nothing that is written down does.

    Shapes: one slot.
    Units:  none.
    Errors: none.
    Source: common practice, no source.
    >>> variables(Slot.CAMSHAFT)[0].key
    'intake_duration_050'
    """
    known = part_dimensions(slot)
    return tuple(known[key] for key in DECIDING.get(slot, ()))


def goes_along(slot: Slot, variable: str) -> tuple[Dimension, ...]:
    """What else of such a part moves air, and so must follow the deciding variable.

    Shapes: one slot.
    Units:  none.
    Errors: none.
    Source: none; words and looks decide nothing, and of lists only how a carburetor is rated.
    >>> [dimension.key for dimension in goes_along(Slot.HEADER, "primary_diameter")]
    ['primary_length', 'collector_diameter', 'collector_length']
    """
    return tuple(
        dimension for key, dimension in part_dimensions(slot).items()
        if key != variable and key not in NO_AIR and (key != "height" or slot is Slot.SPACER)
        and (dimension.has_value or key == "carburetor_kind")
    )  # fmt: skip


def second_causes(
    slot: Slot, variable: str, places: Sequence[float], parts: Sequence[Mapping[str, float | str]], at: float,
    part: Mapping[str, float | str],
) -> list[SecondCause]:  # fmt: skip
    """What does not lie between the neighbors as the deciding variable does, of an inner tested part or of this one.

    Of tested parts that stray in one dimension the worst is named: without it the others may lie on their line.

    Shapes: places (parts,) of the deciding variable, in any order; what is written down of each part, and of the one
            between, at `at`. What is not written down is not held against anybody.
    Units:  SI, degrees; those of the dimensions.
    Errors: none.
    Source: straight line between the neighbors on either side; how far a value may stray is an own assumption.
    >>> tested, other = [{"lobe_separation": 108.0}] * 3, {"lobe_separation": 114.0}
    >>> found = second_causes(Slot.CAMSHAFT, "intake_duration_050", [216, 228, 240], tested, 234, other)
    >>> [(cause.dimension.key, cause.part, cause.expected) for cause in found]
    [('lobe_separation', None, 108.0)]
    """
    found = []
    for dimension in goes_along(slot, variable):
        strayed = []
        for row, place in enumerate(places):
            one = _cause(dimension, row, parts[row], place, _around(dimension, places, parts, row))
            strayed += [one] if one else []
        if strayed:
            found.append(max(strayed, key=lambda one: _astray(dimension, one.value, one.expected)))
        elif one := _cause(dimension, None, part, at, _around(dimension, places, parts)):
            found.append(one)
    return found


def _around(
    dimension: Dimension, places: Sequence[float], parts: Sequence[Mapping[str, float | str]], but: int | None = None
) -> list[tuple[float, float | str]]:
    """Place and value of the parts of which it is written down, but one."""
    return [
        (place, value) for row, place in enumerate(places)
        if row != but and (value := parts[row].get(dimension.key)) is not None
    ]  # fmt: skip


def _cause(
    dimension: Dimension, row: int | None, part: Mapping[str, float | str], place: float,
    around: Sequence[tuple[float, float | str]],
) -> SecondCause | None:  # fmt: skip
    value = part.get(dimension.key)
    expected = None if value is None else _expected(dimension, around, place)
    if value is None or expected is None or _astray(dimension, value, expected) <= 1:
        return None
    return SecondCause(dimension, row, value, expected)


def _expected(dimension: Dimension, around: Sequence[tuple[float, float | str]], place: float) -> float | str | None:
    """On the line between the nearest below and above; None where the part stands at an end."""
    below = [one for one in around if one[0] <= place]
    above = [one for one in around if one[0] >= place]
    if not below or not above:
        return None
    one, other = max(below, key=lambda each: each[0]), min(above, key=lambda each: each[0])
    if not dimension.has_value:
        return one[1] if one[1] == other[1] else None
    ends = [float(one[1]), float(other[1])]
    return float(np.interp(place, [one[0], other[0]], ends)) if other[0] > one[0] else float(np.mean(ends))


def _astray(dimension: Dimension, value: float | str, expected: float | str) -> float:
    """How far it lies off its line, over how far it may."""
    if not dimension.has_value:
        return 0.0 if value == expected else np.inf
    may = 0.5 if dimension.measure == Measure.COUNT else OTHERS_MAY_STRAY * abs(float(expected))
    return abs(float(value) - float(expected)) / max(ANGLE_MAY_STRAY if dimension.measure == "angle" else may, 1e-12)
