"""How long an engine stays at each speed under full load, by a log of the car: a lap, a hill, a trailer."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray
from torvix_core.road.vehicle import Vehicle
from torvix_core.units.checked import Array, finite, same_length

FULL = 0.9  # of the widest throttle in the log, from which it is full load [prac]
GAP_S = 1.0  # between two samples: longer is no log of that time
RISE_S = 0.25  # over which a car that gains speed is called under load where no throttle was logged [prac]
RISE = 0.01  # of its speed in that time
FEWEST_S = 2.0  # of full load, below which a log says nothing


@dataclass(frozen=True, eq=False)
class TimeAtSpeed:
    """Shares of the time under full load at each engine speed (bins,), adding up to one; seconds in all and beside it.

    `outside` is the share of the full-load time at speeds below the first bin or above the last.
    """

    shares: Array
    full_load_s: float
    logged_s: float
    outside: float
    by_throttle: bool


def engine_speed(vehicle: Vehicle, road_speed: ArrayLike, gear: ArrayLike) -> Array:
    """Engine speed of a car in gear, nothing slipping; nan where no gear is in.

    Shapes: as road_speed and gear, which have one length.
    Units:  m/s, gears from 1; rpm.
    Errors: ValueError where a gear is logged that the car does not have.
    Source: gearing [phys].
    >>> car = Vehicle(1000, (3.0, 2.0), 4.0, 0.3, launch_rpm=3000)
    >>> engine_speed(car, [20.0, 20.0], [1, 2]).round().tolist()
    [7639.0, 5093.0]
    """
    speed, gears = finite("road_speed", road_speed), np.nan_to_num(np.asarray(gear, dtype=np.float64)).astype(int)
    same_length(road_speed=speed, gear=gears)
    highest = int(gears.max(initial=0))
    if highest > len(vehicle.gears):
        raise ValueError(f"gear {highest} is logged, the car has {len(vehicle.gears)}")
    ratios = np.array([np.nan, *vehicle.gears])[np.clip(gears, 0, None)]
    return np.asarray(speed / vehicle.tire_radius * ratios * vehicle.final_drive * 60 / (2 * np.pi))


def time_at_speed(
    time: ArrayLike, speed_rpm: ArrayLike, bins: ArrayLike, throttle: ArrayLike | None = None
) -> TimeAtSpeed:
    """Shares of the full-load time by engine speed.

    Full load is a throttle that is nearly as wide as it ever was; without one, an engine that gains speed in its gear.

    Shapes: time, speed_rpm and throttle of one length, nan where nothing was logged; bins (n,) rising, evenly spaced.
    Units:  s, rpm; throttle as it comes.
    Errors: ValueError in words where time does not rise, or there is too little full load.
    Source: definition; what counts as full load is common practice, no source.
    >>> found = time_at_speed(np.arange(0, 10, 0.1), np.linspace(3000, 6000, 100), [3000.0, 4000, 5000, 6000])
    >>> found.shares.round(1).tolist(), found.by_throttle
    ([0.2, 0.3, 0.3, 0.2], False)
    """
    seconds, speed, centers = (np.asarray(each, dtype=np.float64) for each in (time, speed_rpm, bins))
    same_length(time=seconds, speed_rpm=speed)
    if len(seconds) < 3 or not np.isfinite(seconds).all() or (np.diff(seconds) <= 0).any():
        raise ValueError("time must rise from sample to sample")
    lasts = np.diff(seconds)
    lasts = np.append(np.where(lasts > GAP_S, 0.0, lasts), 0.0)
    known = np.isfinite(speed)
    if throttle is not None:
        opened = np.asarray(throttle, dtype=np.float64)
        full = known & np.isfinite(opened) & (opened >= FULL * np.nanmax(opened))
    else:
        full = known & _gains_speed(seconds, np.where(known, speed, 0.0))
    under = np.where(full, lasts, 0.0)
    total = float(under.sum())
    if total < FEWEST_S:
        raise ValueError(f"only {total:.1f} s of full load are in the log")
    width = centers[1] - centers[0]
    edges = np.concatenate([centers - width / 2, [centers[-1] + width / 2]])
    found, _ = np.histogram(speed[full], bins=edges, weights=under[full])
    inside = float(found.sum())
    if inside <= 0:
        raise ValueError(f"no full load between {centers[0]:.0f} and {centers[-1]:.0f} rpm is in the log")
    return TimeAtSpeed(found / inside, total, float(lasts.sum()), 1 - inside / total, by_throttle=throttle is not None)


def _gains_speed(seconds: Array, speed: Array) -> NDArray[np.bool_]:
    """Where the engine gains speed, before or after the moment, by more than a log trembles."""
    ahead, behind = (np.interp(seconds + side * RISE_S, seconds, speed) for side in (1, -1))
    return np.asarray((ahead > speed * (1 + RISE)) | (speed > behind * (1 + RISE)))
