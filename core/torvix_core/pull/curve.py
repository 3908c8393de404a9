"""What is read from a curve on the 100 rpm grid: peaks, averages over a range, crossovers, a grid shared by many."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from torvix_core.units.checked import Array, finite, same_length

GRID_RPM = 100.0


@dataclass(frozen=True)
class Peak:
    """Highest value of a curve, where it lies, and whether the curve was still climbing at the end of the sweep."""

    value: float
    speed_rpm: float
    still_climbing: bool


class OutsideTheCurve(ValueError):
    """The range asked for is not covered by samples in every bin."""


def peak(speed_rpm: Array, values: Array) -> Peak:
    """The highest bin of a smoothed curve.

    Shapes: (bins,), (bins,).
    Units:  rpm; the unit of `values`.
    Errors: ValueError if the arguments differ in length, are empty or not finite.
    Source: common practice: read from the 100 rpm table, not from a single sample [prac].
    >>> peak(np.array([3000.0, 3100, 3200]), np.array([200.0, 210, 205]))
    Peak(value=210.0, speed_rpm=3100.0, still_climbing=False)
    """
    same_length(speed_rpm=speed_rpm, values=values)
    if not len(values):
        raise ValueError("the curve is empty")
    highest = int(finite("values", values).argmax())
    return Peak(float(values[highest]), float(speed_rpm[highest]), highest == len(values) - 1)


def average(speed_rpm: Array, values: Array, low_rpm: float, high_rpm: float) -> Array:
    """Mean over the bins from low to high, both included.

    Shapes: (bins,), (..., bins); result (...).
    Units:  the unit of `values`.
    Errors: OutsideTheCurve if a bin of the range has no samples; ValueError if low is not below high.
    Source: common practice: mean of the 100 rpm table [prac].
    >>> float(average(np.array([3000.0, 3100, 3200]), np.array([200.0, 210, 205]), 3000, 3100))
    205.0
    """
    if not low_rpm < high_rpm:
        raise ValueError("the range must have its lower end below its upper end")
    inside = (speed_rpm >= low_rpm - 1e-6) & (speed_rpm <= high_rpm + 1e-6)
    wanted = np.floor(high_rpm / GRID_RPM + 1e-9) - np.ceil(low_rpm / GRID_RPM - 1e-9) + 1
    if np.count_nonzero(inside) < wanted or wanted < 1:
        there = f"{speed_rpm[0]:.0f} to {speed_rpm[-1]:.0f} rpm" if len(speed_rpm) else "nothing"
        raise OutsideTheCurve(f"{low_rpm:.0f} to {high_rpm:.0f} rpm is not covered throughout; the curve has {there}")
    return np.asarray(values[..., inside].mean(axis=-1))


def at_speed(speed_rpm: Array, values: Array, at_rpm: float) -> Array:
    """The curve at one speed, on the straight line between its bins.

    Shapes: (bins,), (..., bins); result (...).
    Units:  the unit of `values`.
    Errors: OutsideTheCurve beyond the first and the last bin, and where a bin beside it is missing.
    Source: linear interpolation.
    >>> at_speed(np.array([3000.0, 3100, 3200]), np.array([200.0, 210, 205]), 3050).item()
    205.0
    """
    inside = len(speed_rpm) > 0 and speed_rpm[0] - 1e-6 <= at_rpm <= speed_rpm[-1] + 1e-6
    after = int(np.clip(speed_rpm.searchsorted(at_rpm - 1e-6), 1, len(speed_rpm) - 1)) if inside else 0
    on_a_bin = inside and float(np.abs(speed_rpm - at_rpm).min()) < 1e-6
    if not inside or (not on_a_bin and speed_rpm[after] - speed_rpm[after - 1] > GRID_RPM + 1e-6):
        there = f"{speed_rpm[0]:.0f} to {speed_rpm[-1]:.0f} rpm" if len(speed_rpm) else "nothing"
        raise OutsideTheCurve(f"{at_rpm:.0f} rpm is not covered; the curve has {there}")
    share = (at_rpm - speed_rpm[after - 1]) / (speed_rpm[after] - speed_rpm[after - 1])
    return np.asarray(values[..., after - 1] * (1 - share) + values[..., after] * share)


def crossovers(speed_rpm: Array, first: Array, second: Array) -> Array:
    """Speeds at which the first curve passes the second, straight lines between bins.

    Shapes: (bins,) each; result (crossings,), rising.
    Units:  rpm.
    Errors: ValueError if the arguments differ in length.
    Source: linear interpolation.
    >>> crossovers(np.array([3000.0, 3100, 3200]), np.array([2.0, 1, 0]), np.array([0.5, 0.5, 0.5]))
    array([3150.])
    """
    same_length(speed_rpm=speed_rpm, first=first, second=second)
    gap = first - second
    # A bin where they touch counts with the side it came from, so that a touch is not two crossings.
    side = np.sign(gap)
    for index in np.flatnonzero(side == 0):
        side[index] = side[index - 1] if index else 0
    before = np.flatnonzero(side[1:] * side[:-1] < 0)
    share = gap[before] / (gap[before] - gap[before + 1])
    return speed_rpm[before] + share * (speed_rpm[before + 1] - speed_rpm[before])


def shared_bins(first_rpm: Array, second_rpm: Array) -> tuple[Array, np.ndarray, np.ndarray]:
    """The bins that two curves have, to the nearest rpm, and where each has them.

    Shapes: (n,), (m,), speeds rising; three arrays of one length.
    Units:  rpm.
    Errors: none; two without a bin in common give empty arrays.
    Source: definition.
    >>> shared_bins(np.array([1000.0, 1100, 1200]), np.array([1100.0, 1200, 1300]))
    (array([1100., 1200.]), array([1, 2]), array([0, 1]))
    """
    first, second = np.round(first_rpm), np.round(second_rpm)
    if len(first) == len(second) and (first == second).all() and (first[1:] > first[:-1]).all():
        every = np.arange(len(first))  # mostly, within one test: nothing is to be sorted
        return first, every, every
    shared, ours, theirs = np.intersect1d(first, second, return_indices=True)
    return shared, ours, theirs


def shared_grid(speeds_rpm: Sequence[Array], curves: Sequence[Array]) -> tuple[Array, Array]:
    """The bins that all curves have, and the curves on them.

    Shapes: sequences of p arrays (bins_i,), speeds rising; result (bins,), (p, bins).
    Units:  rpm; the unit of the curves.
    Errors: ValueError if there are no curves.
    Source: house rule: the band that all were run over is the range compared.
    >>> shared_grid([np.array([1.0, 2, 3]), np.array([2.0, 3, 4])], [np.array([5.0, 6, 7]), np.array([8.0, 9, 10])])
    (array([2., 3.]), array([[6., 7.],
           [8., 9.]]))
    """
    if not len(curves):
        raise ValueError("there are no curves")
    bins, owners = np.unique(np.concatenate(speeds_rpm), return_counts=True)
    shared = bins[owners == len(speeds_rpm)]
    own = [curve[np.searchsorted(each, shared)] for each, curve in zip(speeds_rpm, curves, strict=True)]
    return shared, np.stack(own)
