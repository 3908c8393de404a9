"""Two pulls laid over each other, and whether power still climbs at the end of a sweep."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from torvix_core.pull.curve import shared_bins
from torvix_core.units.checked import Array, finite, same_length

READY_MEAN = 0.005  # of the torque: two pulls this close on average repeat [prac]
READY_WORST = 0.015  # and nowhere in the range further apart than this [prac]
CLIMB_BINS = 4  # at the end of the sweep, through which the slope is taken
CLIMBS = 0.0025  # of the peak for each 100 rpm: below it the curve is flat [prac]
EXTEND_RPM = 200.0  # where the plan does not say by how much


@dataclass(frozen=True)
class Overlay:
    """The second pull against the first over the bins they share: shares of the torque [-], and where it is worst."""

    mean: float
    worst: float
    worst_rpm: float
    bins: int

    @property
    def ready(self) -> bool:
        """They repeat well enough for a comparison to rest on them."""
        return abs(self.mean) <= READY_MEAN and abs(self.worst) <= READY_WORST


def overlay(
    first_rpm: Array, first: Array, second_rpm: Array, second: Array, low_rpm: float, high_rpm: float
) -> Overlay | None:
    """How the second curve lies to the first, over the bins of the range that both have.

    Shapes: (bins,) pairs; None where they share no bin of the range.
    Units:  rpm; any one unit of torque.
    Errors: ValueError if a pair differs in length or is not finite.
    Source: common practice: pull until two in a row overlay [prac]; the limits stand at the head of this module.
    >>> speed = np.array([3000.0, 3100, 3200])
    >>> found = overlay(speed, np.array([200.0, 200, 200]), speed, np.array([201.0, 201, 204]), 3000, 3200)
    >>> round(found.mean, 3), round(found.worst, 3), found.worst_rpm, found.ready
    (0.01, 0.02, 3200.0, False)
    """
    same_length(first_rpm=first_rpm, first=first)
    same_length(second_rpm=second_rpm, second=second)
    shared, ours, theirs = shared_bins(first_rpm, second_rpm)
    inside = (shared >= low_rpm - 1e-6) & (shared <= high_rpm + 1e-6)
    if not inside.any():
        return None
    before = finite("first", first[ours[inside]])
    away = finite("second", second[theirs[inside]]) / before - 1
    worst = int(np.abs(away).argmax())
    mean = float(second[theirs[inside]].sum() / before.sum() - 1)
    return Overlay(mean, float(away[worst]), float(shared[inside][worst]), int(inside.sum()))


@dataclass(frozen=True)
class Climb:
    """What power does in the last bins: its slope for each 100 rpm, in the unit of power, and whether it climbs."""

    per_100_rpm: float
    climbs: bool


def climb(speed_rpm: Array, power: Array) -> Climb | None:
    """Whether a sweep was ended while power still rose.

    Shapes: (bins,), (bins,); None for fewer than CLIMB_BINS bins.
    Units:  rpm; any unit of power.
    Errors: ValueError if the arguments differ in length or are not finite.
    Source: a straight line through the last bins; the limit is common practice, no source.
    >>> climb(np.arange(5000.0, 5600, 100), np.array([80.0, 90, 95, 97, 99, 101]))
    Climb(per_100_rpm=2.0, climbs=True)
    """
    same_length(speed_rpm=speed_rpm, power=power)
    if len(power) < CLIMB_BINS:
        return None
    last = slice(-CLIMB_BINS, None)
    slope = float(np.polyfit(finite("speed_rpm", speed_rpm[last]) / 100, finite("power", power[last]), 1)[0])
    slope = round(slope, 9)
    return Climb(slope, slope > CLIMBS * float(power.max()))
