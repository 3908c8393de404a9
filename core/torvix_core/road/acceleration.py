"""How hard a vehicle accelerates in each gear, and the time and way that it takes: one table for many curves.

In one gear the force depends on the road speed alone, so time and distance are integrals over speed: no step in time is
taken, and a run is put together from the tables.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import ArrayLike
from scipy.interpolate import CubicSpline
from torvix_core.road.vehicle import (
    COUPLING,
    GRAVITY,
    LOCKED,
    STALL_TORQUE_RATIO,
    GripAt,
    InertiaAt,
    TorqueBetween,
    Vehicle,
)
from torvix_core.units.checked import Array, finite, positive

AIR_DENSITY = 1.184  # kg/m³ at 25 °C and 101.325 kPa, dry [phys]
STEP = 0.35  # m/s between knots; halving it moves a quarter mile by less than 0.1 ms
# Gauss-Legendre on (0, 1), three points: exact to the fifth power between two knots
_POINTS, _WEIGHTS = np.polynomial.legendre.leggauss(3)
POINTS, WEIGHTS = (_POINTS + 1) / 2, _WEIGHTS / 2
LEAST_ACCELERATION = 1e-3  # m/s² below which a car no longer gains speed in this gear
SPEED_OF_RPM = 2 * np.pi / 60


@dataclass(frozen=True, eq=False)
class GearTable:
    """One gear: knots of road speed (n,), and by curve and knot (curves, n) acceleration, time and way since the first.

    Time and way are inf from where a curve no longer pulls the car on. `slips` is the road speed below which the clutch
    or the converter slips.
    """

    speed: Array
    acceleration: Array
    time: Array
    way: Array
    rpm_per_speed: float
    slips: float

    @property
    def low(self) -> float:
        return float(self.speed[0])

    @property
    def high(self) -> float:
        return float(self.speed[-1])

    def at(self, speed: Array) -> tuple[Array, Array]:
        """Time and way at a road speed of each curve, (curves, ...) each; between knots a cubic that keeps slopes."""
        return self._between(self.time, speed, of_way=False), self._between(self.way, speed, of_way=True)

    def for_all(self, speed: Array) -> tuple[Array, Array]:
        """Time and way of every curve at the same road speeds (n,), (curves, n) each: as `at`, in fewer steps."""
        place = np.clip(np.searchsorted(self.speed, speed, side="right") - 1, 0, len(self.speed) - 2)
        width = self.speed[place + 1] - self.speed[place]
        share = (speed - self.speed[place]) / width
        rise, fall = share * (1 - share) ** 2 * width, share**2 * (share - 1) * width
        one, other = (1 + 2 * share) * (1 - share) ** 2, share**2 * (3 - 2 * share)
        slopes = rise / self.acceleration[:, place], fall / self.acceleration[:, place + 1]
        with np.errstate(invalid="ignore"):
            return (
                self.time[:, place] * one + self.time[:, place + 1] * other + slopes[0] + slopes[1],
                self.way[:, place] * one + self.way[:, place + 1] * other
                + slopes[0] * self.speed[place] + slopes[1] * self.speed[place + 1],
            )  # fmt: skip

    def _between(self, table: Array, speed: Array, *, of_way: bool) -> Array:
        place = np.clip(np.searchsorted(self.speed, speed, side="right") - 1, 0, len(self.speed) - 2)
        rows = np.arange(len(table)).reshape(-1, *([1] * (speed.ndim - 1)))
        width = self.speed[place + 1] - self.speed[place]
        share = (speed - self.speed[place]) / width
        ends = []
        for at in (place, place + 1):
            slope = (self.speed[at] if of_way else 1.0) / self.acceleration[rows, at]
            ends.append((table[rows, at], slope * width))
        (one, rise), (other, fall) = ends
        with np.errstate(invalid="ignore"):  # past where a curve pulls no longer, its times are inf
            return (
                (1 + 2 * share) * (1 - share) ** 2 * one + share * (1 - share) ** 2 * rise
                + share**2 * (3 - 2 * share) * other + share**2 * (share - 1) * fall
            )  # fmt: skip

    def speed_at_way(self, way: Array) -> Array:
        """Road speed at which each curve has gone so far in this gear, (curves,); way lies inside the table."""
        place = np.clip((self.way <= way[:, None]).sum(axis=1) - 1, 0, len(self.speed) - 2)
        rows = np.arange(len(way))
        low, high = self.speed[place], self.speed[place + 1]
        # Between two knots the square of the speed is nearly straight over the way; two steps of Newton do the rest.
        share = (way - self.way[rows, place]) / (self.way[rows, place + 1] - self.way[rows, place])
        found = np.sqrt(low**2 + np.clip(share, 0, 1) * (high**2 - low**2))
        for _ in range(3):
            gone = self.at(found)[1]
            slope = found / self._acceleration_at(found)
            found = np.clip(found - (gone - way) / np.maximum(slope, 1e-9), low, high)
        return np.asarray(found)

    def _acceleration_at(self, speed: Array) -> Array:
        place = np.clip(np.searchsorted(self.speed, speed, side="right") - 1, 0, len(self.speed) - 2)
        rows = np.arange(len(speed))
        share = (speed - self.speed[place]) / (self.speed[place + 1] - self.speed[place])
        one, other = self.acceleration[rows, place], self.acceleration[rows, place + 1]
        return np.asarray((1 - share) * one + share * other)


def resistance(vehicle: Vehicle, speed: ArrayLike, air_density: float = AIR_DENSITY) -> Array:
    """Force against the car, N: rolling, drag and grade.

    Shapes: as speed.
    Units:  m/s, kg/m³; result N.
    Errors: ValueError naming the argument.
    Source: road load, any textbook on vehicle dynamics: m·g·(f·cos θ + sin θ) + ½·ρ·cdA·v² [phys].
    >>> round(float(resistance(Vehicle(1000, (3.0,), 4.0, 0.3, launch_rpm=3000), 0.0)), 1)
    127.5
    """
    moving = finite("speed", speed)
    slope = np.arctan(vehicle.grade)
    weight = vehicle.mass * GRAVITY * (vehicle.rolling_resistance * np.cos(slope) + np.sin(slope))
    return np.asarray(weight + 0.5 * air_density * vehicle.drag_area * moving**2)


def torque_at(speed_rpm: Array, torque: Array, rpm: Array, between: TorqueBetween) -> Array:
    """Torque of many curves between their bins.

    Shapes: speed_rpm (bins,) rising, torque (curves, bins), rpm (n,); result (curves, n).
    Units:  rpm, N·m.
    Errors: ValueError where rpm leaves the curve: nothing is invented there.
    Source: definition; cubic with natural ends.
    >>> torque_at(np.array([3000.0, 4000]), np.array([[200.0, 300]]), np.array([3500.0]), TorqueBetween.LINEAR).tolist()
    [[250.0]]
    """
    if len(rpm) and (rpm.min() < speed_rpm[0] - 1e-6 or rpm.max() > speed_rpm[-1] + 1e-6):
        raise ValueError(f"nothing is known below {speed_rpm[0]:.0f} and above {speed_rpm[-1]:.0f} rpm")
    if between is TorqueBetween.CUBIC and len(speed_rpm) > 2:
        return np.asarray(CubicSpline(speed_rpm, torque, axis=1, bc_type="natural")(rpm))
    place = np.clip(np.searchsorted(speed_rpm, rpm, side="right") - 1, 0, len(speed_rpm) - 2)
    share = (rpm - speed_rpm[place]) / (speed_rpm[place + 1] - speed_rpm[place])
    return torque[:, place] * (1 - share) + torque[:, place + 1] * share


def gear_tables(
    vehicle: Vehicle, speed_rpm: ArrayLike, torque: ArrayLike, air_density: float = AIR_DENSITY
) -> tuple[GearTable, ...]:
    """What each curve does in each gear, over the speeds that were swept; first gear from a standstill.

    Shapes: speed_rpm (bins,) rising, torque (curves, bins).
    Units:  rpm, N·m, kg/m³.
    Errors: ValueError in words where the launch, or the stall, lies outside the sweep.
    Source: m_eff·dv/dt = F(v): time = ∫ m_eff/F dv, way = ∫ v·m_eff/F dv, Gauss-Legendre between knots, with a knot at
            every bin of the curve, so that a kink lies on one [phys].
    >>> car = Vehicle(1000, (3.0, 1.5), 4.0, 0.3, launch_rpm=3000)
    >>> first, second = gear_tables(car, [2000.0, 6000], [[200.0, 200]])
    >>> round(first.high, 2), round(second.high, 2)
    (15.71, 31.42)
    """
    bins = finite("speed_rpm", speed_rpm)
    curves = np.atleast_2d(positive("torque", torque))
    begins = vehicle.begins_rpm
    if not bins[0] <= begins <= bins[-1]:
        what = "launch" if vehicle.launch_rpm is not None else "stall"
        raise ValueError(
            f"the {what} at {begins:.0f} rpm lies outside the sweep of {bins[0]:.0f} to {bins[-1]:.0f} rpm"
        )
    return tuple(_table(vehicle, gear, bins, curves, air_density) for gear in range(len(vehicle.gears)))


def _table(vehicle: Vehicle, gear: int, bins: Array, curves: Array, air_density: float) -> GearTable:
    per_speed = vehicle.ratio(gear) / vehicle.tire_radius / SPEED_OF_RPM  # rpm of the engine by m/s, nothing slipping
    turned = 1.0 if vehicle.stall_rpm is None else LOCKED
    slips = turned * vehicle.begins_rpm / per_speed
    top = turned * bins[-1] / per_speed
    first = 0.0 if gear == 0 or vehicle.stall_rpm is not None else bins[0] / per_speed
    kinks = turned * bins / per_speed
    inside = kinks[(kinks > max(first, slips)) & (kinks < top)]
    edges = np.unique(np.concatenate([[first, top], inside, [slips] if first < slips < top else []]))
    knots = np.unique(np.concatenate([
        np.linspace(low, high, max(2, int(np.ceil((high - low) / STEP)) + 1))
        for low, high in pairwise(edges.tolist())
    ]))  # fmt: skip
    width = np.diff(knots)
    places = (knots[:-1, None] + width[:, None] * POINTS).ravel()
    rises = _accelerations(vehicle, gear, per_speed, bins, curves, places, air_density)
    at_knots = _accelerations(vehicle, gear, per_speed, bins, curves, knots, air_density)
    pulls = np.minimum.accumulate(rises > LEAST_ACCELERATION, axis=1)
    inverse = np.where(pulls, 1 / np.where(rises > LEAST_ACCELERATION, rises, 1.0), np.inf)
    shape = len(curves), len(width), len(POINTS)
    time = (inverse.reshape(shape) * WEIGHTS).sum(axis=2) * width
    way = ((inverse * places).reshape(shape) * WEIGHTS).sum(axis=2) * width
    zero = np.zeros((len(curves), 1))
    return GearTable(
        knots, np.maximum(at_knots, LEAST_ACCELERATION), np.concatenate([zero, np.cumsum(time, axis=1)], axis=1),
        np.concatenate([zero, np.cumsum(way, axis=1)], axis=1), per_speed, slips,
    )  # fmt: skip


def _accelerations(
    vehicle: Vehicle, gear: int, per_speed: float, bins: Array, curves: Array, speed: Array, air_density: float
) -> Array:
    """m/s² of each curve at road speeds, (curves, n)."""
    rules, ratio = vehicle.conventions, vehicle.ratio(gear)
    turning = speed * per_speed  # of the gearbox's input
    if vehicle.stall_rpm is None:
        rpm = np.maximum(turning, vehicle.begins_rpm)
        multiplied: Array = np.ones(len(speed))
        slipping = turning < vehicle.begins_rpm
    else:
        rpm = np.maximum(turning / LOCKED, vehicle.stall_rpm)
        share = np.minimum(turning / rpm / COUPLING, 1.0)
        multiplied = 1 + (STALL_TORQUE_RATIO - 1) * (1 - share)
        slipping = turning / LOCKED < vehicle.stall_rpm
    torque = torque_at(bins, curves, np.clip(rpm, bins[0], bins[-1]), rules.torque) * multiplied
    drive = torque * ratio * vehicle.efficiency / vehicle.tire_radius
    against = resistance(vehicle, speed, air_density)
    wheels = vehicle.wheel_inertia / vehicle.tire_radius**2
    lost = vehicle.efficiency if rules.inertia is InertiaAt.BEFORE else 1.0
    engine = np.where(slipping, 0.0, vehicle.engine_inertia * ratio**2 / vehicle.tire_radius**2 * lost)
    moved = vehicle.mass + wheels + engine
    held = vehicle.grip * vehicle.mass * GRAVITY * np.cos(np.arctan(vehicle.grade))
    if rules.grip is GripAt.GROUND:
        return np.asarray(np.minimum((drive - against) / moved, (held - against) / vehicle.mass))
    return np.asarray((np.minimum(drive, held) - against) / moved)
