"""Quarter miles with a shift search against stepping the same cars through time."""

from __future__ import annotations

import numpy as np
from torvix_core.road.acceleration import SPEED_OF_RPM, gear_tables, resistance
from torvix_core.road.run import QUARTER_MILE, finish
from torvix_core.road.shifts import best_shifts
from torvix_core.road.vehicle import GRAVITY, Conventions, Vehicle
from torvix_core.units.checked import Array

from perf.ratio import measure
from perf.report import size, tell

RUNS, STEP_S = size(200, 8), size(1, 20) / 1000
BINS = np.arange(2000.0, 6601, 100)
CAR = Vehicle(
    1300.0, (2.85, 2.02, 1.45, 1.0), 3.4, 0.30, launch_rpm=3500.0, shift_time=0.4, conventions=Conventions(rollout=0.0)
)


def curves(count: int) -> Array:
    dice = np.random.default_rng(3)
    peaks = dice.uniform(3500, 4700, (count, 1))
    return np.asarray(dice.uniform(430, 540, (count, 1)) * (1 - 0.35 * ((BINS - peaks) / 2900) ** 2))


def stepped(torque: Array, shifts: Array, step_s: float = STEP_S) -> Array:
    """The same runs by fourth-order Runge-Kutta with a fixed step, all curves at once: elapsed time, s."""
    count = len(torque)
    rows, gear = np.arange(count), np.zeros(count, dtype=int)
    ratios = np.array(CAR.gears) * CAR.final_drive
    coasting, time, found = np.zeros(count), 0.0, np.full(count, np.nan)
    way, speed = np.zeros(count), np.zeros(count)
    held = CAR.grip * CAR.mass * GRAVITY
    wheels = CAR.mass + CAR.wheel_inertia / CAR.tire_radius**2

    def rate(moving: Array) -> Array:
        turning = moving * ratios[gear] / CAR.tire_radius / SPEED_OF_RPM
        rpm = np.clip(turning, CAR.begins_rpm, BINS[-1])
        place = np.minimum(((rpm - BINS[0]) / 100).astype(int), len(BINS) - 2)
        share = (rpm - BINS[place]) / 100
        drive = torque[rows, place] * (1 - share) + torque[rows, place + 1] * share
        drive = drive * ratios[gear] * CAR.efficiency / CAR.tire_radius
        against = resistance(CAR, moving)
        spun = CAR.engine_inertia * ratios[gear] ** 2 / CAR.tire_radius**2 * CAR.efficiency
        moved = wheels + np.where(turning < CAR.begins_rpm, 0.0, spun)
        driven = np.minimum((drive - against) / moved, (held - against) / CAR.mass)
        return np.where(coasting > 0, -against / CAR.mass, driven)

    while np.isnan(found).any() and time < 40:
        one = rate(speed)
        two = rate(speed + one * step_s / 2)
        three = rate(speed + two * step_s / 2)
        four = rate(speed + three * step_s)
        gone = way + step_s * (speed + step_s / 6 * (one + two + three))
        faster = speed + step_s / 6 * (one + 2 * two + 2 * three + four)
        arrives = np.isnan(found) & (gone >= QUARTER_MILE)
        share = np.where(arrives, (QUARTER_MILE - way) / np.maximum(gone - way, 1e-9), 0.0)
        found = np.where(arrives, time + share * step_s, found)
        way, speed, time = gone, faster, time + step_s
        coasting = np.maximum(coasting - step_s, 0.0)
        turning = speed * ratios[gear] / CAR.tire_radius / SPEED_OF_RPM
        limit = np.where(gear < len(ratios) - 1, shifts[rows, np.minimum(gear, shifts.shape[1] - 1)], np.inf)
        changes = turning >= limit
        coasting, gear = np.where(changes, CAR.shift_time, coasting), np.where(changes, gear + 1, gear)
    return found


def quarter_miles() -> None:
    torque = curves(RUNS)
    shifts = best_shifts(CAR, gear_tables(CAR, BINS, torque), BINS[0], BINS[-1]).best

    def ours() -> object:
        return best_shifts(CAR, gear_tables(CAR, BINS, torque), BINS[0], BINS[-1])

    tell(measure(f"{RUNS} quarter miles with shift search / Runge-Kutta of {STEP_S * 1000:.0f} ms, shifts given", ours,
                 lambda: stepped(torque, shifts), "at most 0.05"))  # fmt: skip
    times = finish(CAR, gear_tables(CAR, BINS, torque), shifts, QUARTER_MILE)[0]
    apart = np.nanmax(np.abs(times - stepped(torque, shifts, STEP_S / 4)))  # which finds a shift at a step, not between
    tell("the same against Runge-Kutta of a quarter of that step", f"at most {apart * 1000:.2f} ms apart", "0.2 ms")
