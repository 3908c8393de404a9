"""What follows from the dimensions of the engine: displacement, power from torque, mean pressure, piston speed."""

from __future__ import annotations

from enum import IntEnum

import numpy as np
from numpy.typing import ArrayLike
from torvix_core.units.checked import Array, finite, positive


class Cycle(IntEnum):
    """Strokes to a working cycle."""

    TWO_STROKE = 2
    FOUR_STROKE = 4

    @property
    def revolutions(self) -> int:
        return self // 2


def displacement(bore: ArrayLike, stroke: ArrayLike, cylinders: ArrayLike) -> Array:
    """Swept volume of the engine.

    Shapes: the arguments broadcast.
    Units:  m, m, count; result m³.
    Errors: ValueError naming the argument, if not finite and above zero.
    Source: geometry.
    >>> round(float(displacement(4.030 * 0.0254, 3.50 * 0.0254, 8)) / 0.0254**3, 1)
    357.2
    """
    return np.pi / 4 * positive("bore", bore) ** 2 * positive("stroke", stroke) * positive("cylinders", cylinders)


def angular_speed(speed_rpm: ArrayLike) -> Array:
    """Crankshaft speed in rad/s.

    Shapes: any; the result has the shape of `speed_rpm`.
    Units:  rpm to rad/s.
    Errors: ValueError if not finite.
    Source: definition.
    >>> round(float(angular_speed(60.0)), 4)
    6.2832
    """
    return finite("speed_rpm", speed_rpm) * (np.pi / 30)


def power(torque: ArrayLike, speed_rpm: ArrayLike) -> Array:
    """Power at the crankshaft.

    Shapes: the arguments broadcast.
    Units:  N·m, rpm; result W.
    Errors: ValueError if not finite.
    Source: P = T·ω [phys].
    >>> round(float(power(100.0, 3000.0)))
    31416
    """
    return finite("torque", torque) * angular_speed(speed_rpm)


def torque_from_power(power: ArrayLike, speed_rpm: ArrayLike) -> Array:
    """Torque that gives a power at a speed.

    Shapes: the arguments broadcast.
    Units:  W, rpm; result N·m.
    Errors: ValueError if not finite, or the speed is not above zero.
    Source: T = P/ω [phys].
    >>> round(float(torque_from_power(31_416.0, 3000.0)))
    100
    """
    return finite("power", power) / angular_speed(positive("speed_rpm", speed_rpm))


def brake_mean_effective_pressure(torque: ArrayLike, displacement: ArrayLike, cycle: Cycle) -> Array:
    """Mean pressure on the pistons that would give this torque.

    Shapes: the arguments broadcast.
    Units:  N·m, m³; result Pa.
    Errors: ValueError if the torque is not finite or the displacement not above zero.
    Source: 4π·T/V for four strokes, 2π·T/V for two [phys].
    >>> round(float(brake_mean_effective_pressure(100.0, 0.001, Cycle.FOUR_STROKE)))
    1256637
    """
    return 2 * np.pi * cycle.revolutions * finite("torque", torque) / positive("displacement", displacement)


def mean_piston_speed(stroke: ArrayLike, speed_rpm: ArrayLike) -> Array:
    """Mean speed of the pistons.

    Shapes: the arguments broadcast.
    Units:  m, rpm; result m/s.
    Errors: ValueError if the stroke is not above zero or the speed not finite.
    Source: 2·stroke·n/60 [phys].
    >>> float(mean_piston_speed(0.09, 6000.0))
    18.0
    """
    return positive("stroke", stroke) * finite("speed_rpm", speed_rpm) / 30
