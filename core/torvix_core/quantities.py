"""Unit names as people and stands write them, to SI and back. Used at the edges only.

Pint carries the factors; this module only says which unit names Torvix understands and what each measures.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np
import pint
from numpy.typing import ArrayLike
from torvix_core.checked import Array

# label as shown and as stands name it -> (what it measures, expression that pint understands)
UNITS: dict[str, tuple[str, str]] = {
    "rpm": ("speed", "rpm"),
    "N·m": ("torque", "newton * meter"),
    "lb-ft": ("torque", "force_pound * foot"),
    "W": ("power", "watt"),
    "kW": ("power", "kilowatt"),
    "hp": ("power", "horsepower"),
    "PS": ("power", "metric_horsepower"),
    "Pa": ("pressure", "pascal"),
    "kPa": ("pressure", "kilopascal"),
    "hPa": ("pressure", "hectopascal"),
    "bar": ("pressure", "bar"),
    "psi": ("pressure", "psi"),
    "inHg": ("pressure", "inch_Hg"),
    "K": ("temperature", "kelvin"),
    "°C": ("temperature", "degC"),
    "°F": ("temperature", "degF"),
    "1": ("fraction", "dimensionless"),
    "%": ("fraction", "percent"),
    "lambda": ("mixture", "dimensionless"),
    "m": ("length", "meter"),
    "mm": ("length", "millimeter"),
    "in": ("length", "inch"),
    "ft": ("length", "foot"),
    "m³": ("volume", "meter ** 3"),
    "L": ("volume", "liter"),
    "in³": ("volume", "inch ** 3"),
    "kg/s": ("mass flow", "kilogram / second"),
    "kg/h": ("mass flow", "kilogram / hour"),
    "g/s": ("mass flow", "gram / second"),
    "lb/h": ("mass flow", "pound / hour"),
    "m³/s": ("volume flow", "meter ** 3 / second"),
    "CFM": ("volume flow", "foot ** 3 / minute"),
    "kg·m²": ("inertia", "kilogram * meter ** 2"),
    "s": ("time", "second"),
}
# other spellings that stands send
SPELLINGS = {"Nm": "N·m", "N*m": "N·m", "lbft": "lb-ft", "C": "°C", "F": "°F", "degC": "°C", "degF": "°F", "": "1"}
# what the core computes in, for each thing measured; rpm and lambda stay as the trade has them
SI = {
    "speed": "rpm", "torque": "N·m", "power": "W", "pressure": "Pa", "temperature": "K", "fraction": "1",
    "mixture": "lambda", "length": "m", "volume": "m³", "mass flow": "kg/s", "volume flow": "m³/s",
    "inertia": "kg·m²", "time": "s",
}  # fmt: skip


@dataclass(frozen=True)
class Linear:
    """SI value = scale · value + offset, for one unit."""

    scale: float
    offset: float


@cache
def _registry() -> pint.UnitRegistry[float]:
    return pint.UnitRegistry(autoconvert_offset_to_baseunit=True)


def canonical(unit: str) -> str:
    """The label Torvix uses for a unit that may be spelled otherwise.

    Shapes: one name.
    Units:  none.
    Errors: ValueError listing the names understood.
    Source: house rule.
    >>> canonical("Nm")
    'N·m'
    """
    label = SPELLINGS.get(unit, unit)
    if label not in UNITS:
        raise ValueError(f"unit {unit!r} is not known; known are {', '.join(UNITS)}")
    return label


def measures(unit: str) -> str:
    """What a unit measures: torque, pressure, temperature...

    Shapes: one name.
    Units:  none.
    Errors: ValueError if the unit is not known.
    Source: house rule.
    >>> measures("inHg")
    'pressure'
    """
    return UNITS[canonical(unit)][0]


@cache
def to_si_rule(unit: str) -> Linear:
    """Scale and offset that take a value in `unit` to SI.

    Shapes: one name.
    Units:  as named.
    Errors: ValueError if the unit is not known.
    Source: pint's unit definitions (NIST SP 811 factors).
    >>> rule = to_si_rule("°F"); round(32 * rule.scale + rule.offset, 2)
    273.15
    """
    kind, expression = UNITS[canonical(unit)]
    target = UNITS[SI[kind]][1]
    quantity = _registry().Quantity
    # Far apart, so that the offset of a temperature takes no digits from its scale.
    span = 2.0**20
    zero, far = (float(quantity(value, expression).to(target).magnitude) for value in (0.0, span))
    return Linear(scale=(far - zero) / span, offset=zero)


def to_si(values: ArrayLike, unit: str) -> Array:
    """Values in `unit` as SI.

    Shapes: any; the result has the shape of `values`.
    Units:  from `unit` to the SI unit of what it measures (rpm and lambda stay).
    Errors: ValueError if the unit is not known. NaN passes through: raw samples may lack a value.
    Source: as `to_si_rule`.
    >>> round(to_si(29.92, "inHg").item())
    101321
    """
    rule = to_si_rule(unit)
    return np.asarray(values, dtype=np.float64) * rule.scale + rule.offset


def from_si(values: ArrayLike, unit: str) -> Array:
    """SI values in `unit`.

    Shapes: any; the result has the shape of `values`.
    Units:  from the SI unit of what `unit` measures to `unit`.
    Errors: ValueError if the unit is not known.
    Source: as `to_si_rule`.
    >>> round(from_si(100.0, "lb-ft").item(), 2)
    73.76
    """
    rule = to_si_rule(unit)
    return (np.asarray(values, dtype=np.float64) - rule.offset) / rule.scale


def difference_from_si(values: ArrayLike, unit: str) -> Array:
    """An SI difference (a gain, a half width) in `unit`: the scale without the offset.

    Shapes: any; the result has the shape of `values`.
    Units:  as `from_si`.
    Errors: ValueError if the unit is not known.
    Source: as `to_si_rule`.
    >>> round(difference_from_si(10.0, "°F").item(), 9)
    18.0
    """
    return np.asarray(values, dtype=np.float64) / to_si_rule(unit).scale
