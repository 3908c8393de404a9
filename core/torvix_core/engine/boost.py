"""Boost on paper: pressure ratio and the speed of a belt-driven blower."""

from __future__ import annotations

from numpy.typing import ArrayLike
from torvix_core.units.checked import Array, finite, positive


def pressure_ratio(ambient: ArrayLike, boost: ArrayLike) -> Array:
    """Absolute pressure after the compressor over that before it.

    Shapes: the arguments broadcast.
    Units:  Pa absolute, Pa above ambient; result [-].
    Errors: ValueError naming the argument.
    Source: definition.
    >>> round(float(pressure_ratio(101_325.0, 101_325.0)), 3)
    2.0
    """
    air = positive("ambient", ambient)
    return (air + finite("boost", boost)) / air


def blower_speed(speed_rpm: ArrayLike, crank_pulley: ArrayLike, blower_pulley: ArrayLike) -> Array:
    """Speed of a belt-driven blower, without slip.

    Shapes: the arguments broadcast.
    Units:  rpm of the crank, both pulleys in one unit of length; result rpm.
    Errors: ValueError naming the argument.
    Source: belt geometry [phys]; 3.6 to 3.4 in is +5.9 % [prac].
    >>> round(float(blower_speed(6000.0, 7.2, 3.6)))
    12000
    """
    drive = positive("crank_pulley", crank_pulley) / positive("blower_pulley", blower_pulley)
    return finite("speed_rpm", speed_rpm) * drive
