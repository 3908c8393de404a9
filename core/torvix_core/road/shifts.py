"""Where to shift: searched for each curve and gear, with the range over which it does not matter."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from torvix_core.road.acceleration import AIR_DENSITY, GearTable, resistance
from torvix_core.road.run import QUARTER_MILE, StandingRun, finish, standing_run, turned_in
from torvix_core.road.vehicle import Vehicle
from torvix_core.units.checked import Array

STEP_RPM = 50.0  # of the speeds that are tried
SAME_TIME = 0.01  # s within which two shift speeds are the same
PASSES = 2  # of the search: the speed at the finish, by which a lead in meters is worth time, follows from the first


@dataclass(frozen=True, eq=False)
class ShiftRange:
    """Of each curve and shift (curves, gears - 1), rpm: the best, and from where to where the time is the same.

    `open_above`: the best lies at the end of the sweep, and a higher one might be better; nobody knows. `reached`: the
    shift is made before the finish; what is not reached keeps the end of the sweep.
    """

    best: Array
    low: Array
    high: Array
    open_above: NDArray[np.bool_]
    reached: NDArray[np.bool_]


def best_shifts(
    vehicle: Vehicle,
    gears: Sequence[GearTable],
    low_rpm: float,
    high_rpm: float,
    way: float = QUARTER_MILE,
    air_density: float = AIR_DENSITY,
) -> ShiftRange:
    """Shift speeds with the least time over a way.

    Two cars that reach the same road speed in the next gear drive alike from there on: what a shift is worth is its
    time to that speed, less its lead in meters over the speed at the finish.

    Shapes: one table a gear, of (curves, ...).
    Units:  rpm, m.
    Errors: none.
    Source: search over engine speeds in steps; first order in the lead, which is a few meters (0.1 ms left out).
    >>> from torvix_core.road.acceleration import gear_tables
    >>> car = Vehicle(1000, (3.0, 2.0), 4.0, 0.3, launch_rpm=3000)
    >>> tables = gear_tables(car, [2000.0, 6000], [[200.0, 200]])
    >>> best_shifts(car, tables, 2000.0, 6000.0, way=60.0).best.tolist()
    [[6000.0]]
    """
    count, changes = len(gears[0].time), len(gears) - 1
    tried = np.arange(np.ceil(low_rpm / STEP_RPM) * STEP_RPM, high_rpm + 1e-9, STEP_RPM)
    if tried[-1] < high_rpm:
        tried = np.append(tried, high_rpm)
    best = np.full((count, changes), high_rpm)
    low, high = best.copy(), best.copy()
    for _ in range(PASSES):
        _, gear, speed = finish(vehicle, gears, best, way, air_density)
        worth = np.where(np.isfinite(speed), speed, gears[-1].high)
        for change in range(changes):
            costs = _costs(vehicle, gears, change, tried, worth, air_density)
            place = _last_least(costs)
            best[:, change] = np.where(gear >= change, tried[place], high_rpm)
            same = costs <= costs[np.arange(count), place][:, None] + SAME_TIME
            low[:, change], high[:, change] = _run_about(same, place, tried)
    _, gear, _ = finish(vehicle, gears, best, way, air_density)
    reached = gear[:, None] > np.arange(changes)
    return ShiftRange(best, low, high, reached & (best >= high_rpm - 1e-6), reached)


def searched_run(
    vehicle: Vehicle, gears: Sequence[GearTable], low_rpm: float, high_rpm: float, air_density: float = AIR_DENSITY
) -> tuple[StandingRun, ShiftRange]:
    """A quarter mile with the best shift speeds, and these.

    Shapes: as `best_shifts`.
    Units:  as `standing_run`.
    Errors: none.
    Source: `best_shifts`, then `standing_run`.
    >>> from torvix_core.road.acceleration import gear_tables
    >>> car = Vehicle(1000, (3.0, 2.0), 4.0, 0.3, launch_rpm=3000)
    >>> tables = gear_tables(car, [2000.0, 6000], [[200.0, 200]])
    >>> run, shifts = searched_run(car, tables, 2000.0, 6000.0)
    >>> bool(np.isnan(run.quarter[0])), shifts.reached.tolist()
    (True, [[False]])
    """
    found = best_shifts(vehicle, gears, low_rpm, high_rpm, QUARTER_MILE, air_density)
    return standing_run(vehicle, gears, found.best, air_density), found


def _costs(
    vehicle: Vehicle, gears: Sequence[GearTable], change: int, tried: Array, worth: Array, air_density: float
) -> Array:
    """Of each curve and speed that is tried (curves, n) in s, up to what is common to all; inf where nothing is known.

    `worth` is the road speed at the finish: a shift above it is none.
    """
    table, after = gears[change], gears[change + 1]
    speed = np.clip(tried * turned_in(vehicle, table) / table.rpm_per_speed, table.low, table.high)
    slows = resistance(vehicle, speed, air_density) / vehicle.mass
    then = speed - slows * vehicle.shift_time
    known = (then >= after.low - 1e-9) & (then <= after.high)
    coasts = speed * vehicle.shift_time - 0.5 * slows * vehicle.shift_time**2
    times, ways = table.for_all(speed)
    times_after, ways_after = after.for_all(np.clip(then, after.low, after.high))
    finishes = [one.at(np.clip(worth, one.low, one.high)) for one in (table, after)]
    with np.errstate(invalid="ignore"):
        costs = times + vehicle.shift_time - times_after - (ways + coasts - ways_after) / worth[:, None]
        costs = np.where(known & np.isfinite(costs), costs, np.inf)
        stays = finishes[0][0] - finishes[1][0] - (finishes[0][1] - finishes[1][1]) / worth
    return np.where(speed >= worth[:, None], np.where(np.isfinite(stays), stays, np.inf)[:, None], costs)


def _last_least(costs: Array) -> NDArray[np.int_]:
    """Place of the least of each row; of equal ones, as of a shift that is never reached, the last."""
    return np.asarray(costs.shape[1] - 1 - np.argmin(costs[:, ::-1], axis=1))


def _run_about(same: NDArray[np.bool_], place: NDArray[np.int_], tried: Array) -> tuple[Array, Array]:
    """Ends of the run of speeds about the best one over which the time is the same."""
    columns = np.arange(len(tried))
    below = np.where(~same & (columns < place[:, None]), columns, -1).max(axis=1) + 1
    above = np.where(~same & (columns > place[:, None]), columns, len(tried)).min(axis=1) - 1
    return tried[below], tried[above]
