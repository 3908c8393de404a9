"""A standing-start run put together from the gears: elapsed times, trap speeds, time at each engine speed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from torvix_core.road.acceleration import AIR_DENSITY, GearTable, resistance
from torvix_core.road.vehicle import FOOT, Vehicle
from torvix_core.units.checked import Array

SIXTY_FEET, EIGHTH_MILE, QUARTER_MILE = 60 * FOOT, 660 * FOOT, 1320 * FOOT
TRAP = 66 * FOOT  # before the line, over which the speed at the line is measured: practice of drag strips [prac]


@dataclass(frozen=True, eq=False)
class StandingRun:
    """Of each curve (curves,): elapsed times in s after the rollout, trap speeds in m/s; nan where it gets not so far.

    `shifts` (curves, gears - 1) are engine speeds in rpm; `gear` is the one in which it crosses the last line.
    """

    sixty: Array
    eighth: Array
    eighth_speed: Array
    quarter: Array
    quarter_speed: Array
    shifts: Array
    gear: Array


@dataclass(frozen=True, eq=False)
class GearStretch:
    """What each curve drives in one gear: road speeds, time and way since the standstill at the first and last."""

    begins: Array
    ends: Array
    time: Array
    way: Array
    offset_time: Array  # of the table
    offset_way: Array


def turned_in(vehicle: Vehicle, table: GearTable) -> float:
    """Turns of the gearbox's input for one of the engine, once nothing slips any more but a converter's last share.

    Shapes: scalar.
    Units:  [-].
    Errors: none.
    Source: `vehicle.LOCKED`.
    >>> from torvix_core.road.acceleration import gear_tables
    >>> car = Vehicle(1000, (3.0, 2.0), 4.0, 0.3, launch_rpm=3000)
    >>> tables = gear_tables(car, [2000.0, 6000], [[200.0, 200]])
    >>> turned_in(car, tables[0])
    1.0
    """
    return 1.0 if vehicle.stall_rpm is None else table.slips * table.rpm_per_speed / vehicle.begins_rpm


def stretches(
    vehicle: Vehicle, gears: Sequence[GearTable], shifts: Array, air_density: float = AIR_DENSITY
) -> list[GearStretch]:
    """Each gear from where the shift before leaves it to its own shift; a car that no longer pulls has times of inf.

    Shapes: shifts (curves, gears - 1); stretches of (curves,).
    Units:  rpm; m, m/s and s.
    Errors: none; a shift that drops the engine below the sweep has times of nan: nothing is known there.
    Source: during a shift the car coasts: v·t - ½·d·t² at the resistance of its speed [phys].
    >>> from torvix_core.road.acceleration import gear_tables
    >>> car = Vehicle(1000, (3.0, 2.0), 4.0, 0.3, launch_rpm=3000)
    >>> tables = gear_tables(car, [2000.0, 6000], [[200.0, 200]])
    >>> [round(float(one.ends[0]), 2) for one in stretches(car, tables, np.array([[5500.0]]))]
    [14.4, 23.56]
    """
    count = len(shifts)
    speed, time, way = np.zeros(count), np.zeros(count), np.zeros(count)
    found = []
    for gear, table in enumerate(gears):
        last = gear == len(gears) - 1
        turned = turned_in(vehicle, table)
        shifted = shifts[:, min(gear, len(gears) - 2)] * turned / table.rpm_per_speed if not last else table.high
        ends = np.broadcast_to(np.minimum(shifted, table.high), count)
        begins = np.where(speed < table.low - 1e-9, np.nan, speed)
        there = np.where(np.isnan(begins), table.low, np.clip(begins, table.low, table.high))
        ends = np.maximum(ends, there)
        (time_in, way_in), (time_out, way_out) = table.at(there), table.at(ends)
        lost = np.where(np.isnan(begins), np.nan, 0.0)
        found.append(
            GearStretch(begins + lost, ends, time + lost, way + lost, time - time_in + lost, way - way_in + lost)
        )
        time, way = time + time_out - time_in + lost, way + way_out - way_in + lost
        if not last:
            slows = resistance(vehicle, ends, air_density) / vehicle.mass
            speed = np.maximum(ends - slows * vehicle.shift_time, 0.0)
            way = way + ends * vehicle.shift_time - 0.5 * slows * vehicle.shift_time**2
            time = time + vehicle.shift_time
    return found


def _arrival(
    driven: Sequence[GearStretch], gears: Sequence[GearTable], vehicle: Vehicle, way: float, air_density: float
) -> tuple[Array, Array, Array]:
    """When each curve has gone so far, in which gear, how fast, (curves,) each; nan and -1 where it never does."""
    count = len(driven[0].time)
    found, gear_of, fast = np.full(count, np.nan), np.full(count, -1), np.full(count, np.nan)
    for gear, (stretch, table) in enumerate(zip(driven, gears, strict=True)):
        until = stretch.offset_way + table.at(stretch.ends)[1]
        here = (gear_of < 0) & (stretch.way <= way) & (way <= until)
        if here.any():
            speed = table.speed_at_way(np.where(here, way - stretch.offset_way, table.way[:, 1]))
            time = stretch.offset_time + table.at(np.maximum(speed, stretch.begins))[0]
            found, gear_of = np.where(here, time, found), np.where(here, gear, gear_of)
            fast = np.where(here, speed, fast)
        # Between two gears it coasts on.
        if gear + 1 < len(driven):
            coasts = (gear_of < 0) & (until < way) & (way < driven[gear + 1].way)
            if coasts.any():
                slows = resistance(vehicle, stretch.ends, air_density) / vehicle.mass
                root = np.sqrt(np.maximum(stretch.ends**2 - 2 * slows * (way - until), 0.0))
                since = stretch.offset_time + table.at(stretch.ends)[0]
                found = np.where(coasts, since + (stretch.ends - root) / np.maximum(slows, 1e-12), found)
                gear_of, fast = np.where(coasts, gear, gear_of), np.where(coasts, root, fast)
    return found, gear_of, fast


def finish(
    vehicle: Vehicle, gears: Sequence[GearTable], shifts: Array, way: float, air_density: float = AIR_DENSITY
) -> tuple[Array, Array, Array]:
    """Time since the standstill over a way, the gear at its end and the road speed there.

    Shapes: shifts (curves, gears - 1); results (curves,).
    Units:  rpm, m; s, gear from 0, m/s.
    Errors: none; nan and -1 where a curve does not get there inside the sweep.
    Source: `stretches`.
    >>> from torvix_core.road.acceleration import gear_tables
    >>> car = Vehicle(1000, (3.0, 2.0), 4.0, 0.3, launch_rpm=3000)
    >>> tables = gear_tables(car, [2000.0, 6000], [[200.0, 200]])
    >>> time, gear, speed = finish(car, tables, np.array([[5500.0]]), 60.0)
    >>> int(gear[0]), 15 < float(speed[0]) < 23
    (1, True)
    """
    return _arrival(stretches(vehicle, gears, shifts, air_density), gears, vehicle, way, air_density)


def standing_run(
    vehicle: Vehicle, gears: Sequence[GearTable], shifts: Array, air_density: float = AIR_DENSITY
) -> StandingRun:
    """Times and trap speeds of every curve with its own shift speeds.

    Shapes: shifts (curves, gears - 1).
    Units:  rpm; s and m/s.
    Errors: none; what is not reached inside the sweep is nan.
    Source: `stretches`; the clock starts after the rollout; the speed at a line is the mean over the last 66 ft.
    >>> from torvix_core.road.acceleration import gear_tables
    >>> car = Vehicle(1000, (3.0, 2.0), 4.0, 0.3, launch_rpm=3000)
    >>> tables = gear_tables(car, [2000.0, 6000], [[200.0, 200]])
    >>> run = standing_run(car, tables, np.array([[5500.0]]))
    >>> 2.0 < float(run.sixty[0]) < 3.0, bool(np.isnan(run.quarter[0]))
    (True, True)
    """
    driven = stretches(vehicle, gears, shifts, air_density)
    roll = vehicle.conventions.rollout

    def arrival(way: float) -> tuple[Array, Array, Array]:
        return _arrival(driven, gears, vehicle, way + roll, air_density)

    start = arrival(0.0)[0] if roll else 0.0

    def clock(way: float) -> tuple[Array, Array, Array]:
        at, gear, _ = arrival(way)
        return at - start, TRAP / (at - arrival(way - TRAP)[0]), gear

    sixty = arrival(SIXTY_FEET)[0]
    eighth, eighth_speed, _ = clock(EIGHTH_MILE)
    quarter, quarter_speed, gear = clock(QUARTER_MILE)
    return StandingRun(sixty - start, eighth, eighth_speed, quarter, quarter_speed, shifts, gear)


def time_at_rpm(
    vehicle: Vehicle, gears: Sequence[GearTable], shifts: Array, bins: Array, way: float = QUARTER_MILE,
    air_density: float = AIR_DENSITY,
) -> Array:  # fmt: skip
    """Time that each curve's run spends about each engine speed, as shares of its time under power.

    Shapes: shifts (curves, gears - 1), bins (n,) rising, evenly spaced; result (curves, n), nan where a run is
            not known.
    Units:  rpm, m.
    Errors: none.
    Source: definition; while clutch or converter slips the engine stays at its launch.
    >>> from torvix_core.road.acceleration import gear_tables
    >>> car = Vehicle(1000, (3.0, 2.0), 4.0, 0.3, launch_rpm=3000)
    >>> tables = gear_tables(car, [2000.0, 6000], [[200.0, 200]])
    >>> shares = time_at_rpm(car, tables, np.array([[5500.0]]), np.arange(2000.0, 6001, 500), 60.0)
    >>> round(float(shares.sum()), 9), int(shares[0].argmax())
    (1.0, 2)
    """
    driven = stretches(vehicle, gears, shifts, air_density)
    edges = np.concatenate([bins - (bins[1] - bins[0]) / 2, [bins[-1] + (bins[1] - bins[0]) / 2]])
    total: Array = np.zeros((len(shifts), len(bins)))
    for stretch, table in zip(driven, gears, strict=True):
        until = stretch.offset_way + table.at(stretch.ends)[1]
        crosses = (stretch.way <= way) & (until > way)
        ends = np.where(
            crosses, table.speed_at_way(np.where(crosses, way - stretch.offset_way, table.way[:, 1])), stretch.ends
        )
        ends = np.where(stretch.way > way, stretch.begins, ends)
        turned = turned_in(vehicle, table)
        speeds = np.clip(edges * turned / table.rpm_per_speed, stretch.begins[:, None], ends[:, None])
        # What lies below the speed at which nothing slips any more is time at the launch.
        slipping = np.clip(table.slips, stretch.begins, ends)
        times = table.at(np.clip(np.maximum(speeds, slipping[:, None]), table.low, table.high))[0]
        total += np.diff(times, axis=1)
        held = (
            table.at(np.clip(slipping, table.low, table.high))[0]
            - table.at(np.clip(stretch.begins, table.low, table.high))[0]
        )
        at = int(np.clip(np.searchsorted(edges, vehicle.begins_rpm) - 1, 0, len(bins) - 1))
        total[:, at] += held
    return np.asarray(total / total.sum(axis=1, keepdims=True))
