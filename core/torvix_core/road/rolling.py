"""What a curve does on the roll: from one road speed to another in a gear, and the grade it holds."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike
from torvix_core.road.acceleration import AIR_DENSITY, SPEED_OF_RPM, GearTable, torque_at
from torvix_core.road.vehicle import GRAVITY, Vehicle
from torvix_core.units.checked import Array, finite, positive


def rolling_time(table: GearTable, low: float, high: float) -> Array:
    """Time from one road speed to another in one gear, nothing shifted.

    Shapes: scalars; result (curves,).
    Units:  m/s; s.
    Errors: ValueError in words where the speeds leave what was swept in this gear.
    Source: `GearTable.at`.
    >>> from torvix_core.road.acceleration import gear_tables
    >>> car = Vehicle(1000, (3.0, 2.0), 4.0, 0.3, launch_rpm=3000)
    >>> tables = gear_tables(car, [2000.0, 6000], [[200.0, 200]])
    >>> round(float(rolling_time(tables[1], 14.0, 20.0)[0]), 2)
    1.56
    """
    if not 0 <= low < high:
        raise ValueError("the lower speed comes first")
    begins = max(table.low, table.slips)
    if low < begins - 1e-9 or high > table.high + 1e-9:
        raise ValueError("the sweep does not reach these speeds in this gear")
    ends = [np.full(len(table.time), one) for one in (low, high)]
    return table.at(ends[1])[0] - table.at(ends[0])[0]


def grade_held(
    vehicle: Vehicle, gear: int, speed: float, speed_rpm: ArrayLike, torque: ArrayLike, air_density: float = AIR_DENSITY
) -> Array:
    """The steepest grade, rise over run, on which each curve holds a road speed in a gear; below zero: only downhill.

    Shapes: speed_rpm (bins,) rising, torque (curves, bins); result (curves,).
    Units:  m/s, rpm, N·m.
    Errors: ValueError where the engine would turn outside the sweep.
    Source: drive force = road load, solved for the angle; no more than the tires hold [phys].
    >>> car = Vehicle(1000, (3.0, 2.0), 4.0, 0.3, launch_rpm=3000)
    >>> round(float(grade_held(car, 1, 15.0, [2000.0, 6000], [[200.0, 200]])[0]), 3)
    0.515
    """
    bins, curves = finite("speed_rpm", speed_rpm), np.atleast_2d(positive("torque", torque))
    rpm = np.array([speed * vehicle.ratio(gear) / vehicle.tire_radius / SPEED_OF_RPM])
    drive = torque_at(bins, curves, rpm, vehicle.conventions.torque)[:, 0]
    drive = drive * vehicle.ratio(gear) * vehicle.efficiency / vehicle.tire_radius
    weight, drag = vehicle.mass * GRAVITY, 0.5 * air_density * vehicle.drag_area * speed**2
    free = (drive - drag) / weight
    # f·cos θ + sin θ = free: sin(θ + φ) = free/√(1 + f²) with tan φ = f; the tires hold sin θ + drag ≤ grip·cos θ
    size = np.sqrt(1 + vehicle.rolling_resistance**2)
    angle = np.arcsin(np.clip(free / size, -1, 1)) - np.arctan(vehicle.rolling_resistance)
    holds = np.arctan(vehicle.grip - drag / weight)
    return np.asarray(np.tan(np.minimum(angle, holds)))
