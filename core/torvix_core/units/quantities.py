"""Unit names as people and stands write them, to SI and back. Used at the edges only.

Pint carries the factors; this module only says which unit names Torvix understands and what each measures.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np
import pint
from numpy.typing import ArrayLike
from torvix_core.units.checked import Array

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
    "mbar": ("pressure", "millibar"),
    "inHg": ("pressure", "inch_Hg"),
    "mmHg": ("pressure", "millimeter_Hg"),
    "inH2O": ("pressure", "inch_of_water"),
    "K": ("temperature", "kelvin"),
    "°C": ("temperature", "degC"),
    "°F": ("temperature", "degF"),
    "1": ("fraction", "dimensionless"),
    "%": ("fraction", "percent"),
    ":1": ("ratio", "dimensionless"),
    "°": ("angle", "degree"),
    "lambda": ("mixture", "dimensionless"),
    "m": ("length", "meter"),
    "cm": ("length", "centimeter"),
    "mm": ("length", "millimeter"),
    "in": ("length", "inch"),
    "thou": ("length", "thou"),
    "ft": ("length", "foot"),
    "m²": ("area", "meter ** 2"),
    "cm²": ("area", "centimeter ** 2"),
    "mm²": ("area", "millimeter ** 2"),
    "in²": ("area", "inch ** 2"),
    "m³": ("volume", "meter ** 3"),
    "L": ("volume", "liter"),
    "cm³": ("volume", "centimeter ** 3"),
    "in³": ("volume", "inch ** 3"),
    "kg/s": ("mass flow", "kilogram / second"),
    "kg/h": ("mass flow", "kilogram / hour"),
    "g/s": ("mass flow", "gram / second"),
    "lb/h": ("mass flow", "pound / hour"),
    "m³/s": ("volume flow", "meter ** 3 / second"),
    "m³/h": ("volume flow", "meter ** 3 / hour"),
    "L/s": ("volume flow", "liter / second"),
    "CFM": ("volume flow", "foot ** 3 / minute"),
    "kg": ("mass", "kilogram"),
    "lb": ("mass", "pound"),
    "m/s": ("velocity", "meter / second"),
    "ft/min": ("velocity", "foot / minute"),
    "km/h": ("velocity", "kilometer / hour"),
    "mph": ("velocity", "mile / hour"),
    "kg/J": ("specific consumption", "kilogram / joule"),
    "g/kWh": ("specific consumption", "gram / (kilowatt * hour)"),
    "lb/hp·h": ("specific consumption", "pound / (horsepower * hour)"),
    "W/m³": ("specific power", "watt / meter ** 3"),
    "kW/L": ("specific power", "kilowatt / liter"),
    "hp/L": ("specific power", "horsepower / liter"),
    "hp/in³": ("specific power", "horsepower / inch ** 3"),
    "kg·m²": ("inertia", "kilogram * meter ** 2"),
    "lb·ft²": ("inertia", "pound * foot ** 2"),
    "s": ("time", "second"),
    "min": ("time", "minute"),
    "h": ("time", "hour"),
    "gal": ("volume", "gallon"),
}
# other spellings, of stands and of people; compared without regard to case where the exact form is not found
SPELLINGS = {
    "Nm": "N·m", "N*m": "N·m", "lbft": "lb-ft", "lb ft": "lb-ft", "ft-lb": "lb-ft", "ft lb": "lb-ft",
    "C": "°C", "F": "°F", "degC": "°C", "degF": "°F", "deg C": "°C", "deg F": "°F",
    "deg": "°", "degrees": "°", "": "1",
    '"': "in", "inch": "in", "inches": "in", "feet": "ft", "foot": "ft", "metre": "m", "millimetre": "mm",
    "cc": "cm³", "cm3": "cm³", "ccm": "cm³", "ml": "cm³", "cu in": "in³", "in3": "in³", "cid": "in³", "m3": "m³",
    "litre": "L", "liter": "L", "litres": "L", "cm2": "cm²", "mm2": "mm²", "in2": "in²", "sq in": "in²", "m2": "m²",
    "cfm": "CFM", "m3/h": "m³/h", "in Hg": "inHg", "in. Hg": "inHg", "torr": "mmHg", "in H2O": "inH2O",
    "lbs": "lb", "lb/hr": "lb/h", "lb/hp h": "lb/hp·h", "lb/hph": "lb/hp·h", "lb/hp-h": "lb/hp·h",
    "kg m²": "kg·m²", "kg m2": "kg·m²", "kgm2": "kg·m²", "lb ft²": "lb·ft²", "lb ft2": "lb·ft²",
    "percent": "%", "to 1": ":1", "bhp": "hp", "fpm": "ft/min", "1/min": "rpm",
    "minutes": "min", "hours": "h", "hour": "h", "hr": "h", "gallon": "gal", "gallons": "gal", "US gal": "gal",
    "rpms": "rpm",
}  # fmt: skip
# what the core computes in, for each thing measured; rpm, lambda and degrees stay as the trade has them
SI = {
    "speed": "rpm", "torque": "N·m", "power": "W", "pressure": "Pa", "temperature": "K", "fraction": "1",
    "mixture": "lambda", "ratio": ":1", "angle": "°", "length": "m", "area": "m²", "volume": "m³", "mass": "kg",
    "velocity": "m/s", "mass flow": "kg/s", "volume flow": "m³/s", "specific consumption": "kg/J",
    "specific power": "W/m³",
    "inertia": "kg·m²", "time": "s",
}  # fmt: skip


@dataclass(frozen=True)
class Linear:
    """SI value = scale · value + offset, for one unit."""

    scale: float
    offset: float


@cache
def _registry() -> pint.UnitRegistry[float]:
    registry: pint.UnitRegistry[float] = pint.UnitRegistry(autoconvert_offset_to_baseunit=True)
    registry.define("inch_of_water = 2.54 * centimeter_H2O")  # conventional water, 1000 kg/m³
    return registry


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
        alike = {known for spelling, known in _any_case() if spelling == unit.lower()}
        if len(alike) != 1:
            raise ValueError(f"unit {unit!r} is not known; known are {', '.join(UNITS)}")
        label = alike.pop()
    return label


@cache
def _any_case() -> tuple[tuple[str, str], ...]:
    return tuple((spelling.lower(), label) for spelling, label in [*SPELLINGS.items(), *zip(UNITS, UNITS, strict=True)])


def units_of(measure: str) -> tuple[str, ...]:
    """The units in which a thing can be given, by their labels.

    Shapes: one name.
    Units:  none.
    Errors: ValueError if nothing here measures that.
    Source: UNITS.
    >>> units_of("angle")
    ('°',)
    """
    if measure not in SI:
        raise ValueError(f"nothing here is measured as {measure!r}")
    return tuple(label for label, (kind, _) in UNITS.items() if kind == measure)


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


# decimals that are worth showing in each unit, finer than anybody can measure and no more [prac]
DIGITS = {
    "rpm": 0, "W": 0, "Pa": 0, "kPa": 2, "bar": 2, "inHg": 2, "mm": 2, "cm": 3, "in": 4, "thou": 1, "m": 4, "ft": 3,
    "m²": 6, "cm²": 2, "mm²": 0, "in²": 3, "m³": 6, "L": 3, "cm³": 2, "in³": 2, "kg/s": 5, "m³/s": 4, "m³/h": 1,
    "CFM": 1, "kg": 2, "lb": 2, "ft/min": 0, "kg/J": 10, "hp/in³": 2, "kg·m²": 3, "lb·ft²": 2, ":1": 2, "lambda": 3,
    "lb/hp·h": 3, "g/s": 2, "m/s": 2, "W/m³": 0,
}  # fmt: skip


def digits(unit: str) -> int:
    """Decimals to show of a value in this unit.

    Shapes: one name.
    Units:  none.
    Errors: ValueError if the unit is not known.
    Source: DIGITS; one where nothing is said.
    >>> digits("mm"), digits("°C")
    (2, 1)
    """
    return DIGITS.get(canonical(unit), 1)


def words(value: float, unit: str) -> str:
    """An SI value as people write it, with its unit.

    Shapes: scalar.
    Units:  SI to `unit`.
    Errors: ValueError if the unit is not known.
    Source: DIGITS; zeros that say nothing are left out.
    >>> words(0.0866, "mm"), words(6.0, ":1")
    ('86.6 mm', '6:1')
    """
    number = f"{float(from_si(value, unit)):.{digits(unit)}f}"
    if "." in number:
        number = number.rstrip("0").rstrip(".")
    number = "0" if number in ("-0", "") else number.replace("-", "−")
    label = canonical(unit)
    return f"{number}{label}" if label in (":1", "°") else f"{number} {label}"


def percent(share: float) -> str:
    """A share in words, to the whole per cent.

    Shapes: scalar.
    Units:  fraction.
    Errors: none.
    Source: house rule.
    >>> percent(0.853)
    '85 %'
    """
    return f"{share * 100:.0f} %"


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
