"""What a pull says of its mixture, boost and spark: how far off, which step next, and whether the last one helped."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from torvix_core.units.checked import Array, finite, positive, same_length

NEAR = 0.01  # of lambda: closer to its target than a jet step moves it [prac]
HAZARD = 0.06  # leaner than the target by so much at full load is a hazard before it is a loss [prac]
NEAR_BOOST = 3_000.0  # Pa
SPOOLED = 0.9  # of the most boost that was reached: from there on it counts as held
FEWEST_BINS = 3  # that make a stretch [prac]
WORTH = 0.003  # of the torque: a smaller change says nothing by itself


@dataclass(frozen=True)
class Mixture:
    """Mean lambda at full load against its target."""

    found: float
    target: float

    @property
    def off(self) -> float:
        """Share by which it is leaner than the target; below zero richer."""
        return self.found / self.target - 1

    @property
    def near(self) -> bool:
        return abs(self.found - self.target) <= NEAR

    @property
    def hazardous(self) -> bool:
        return self.off >= HAZARD


def mixture(speed_rpm: Array, found: Array, low_rpm: float, high_rpm: float, target: float) -> Mixture | None:
    """How far the mixture lay from its target over a range.

    Shapes: (bins,), (bins,), NaN where nothing was read; None where the range holds no reading.
    Units:  rpm; lambda.
    Errors: ValueError naming the argument.
    Source: definition.
    >>> found = mixture(np.array([3000.0, 4000]), np.array([0.92, 0.92]), 2500, 4500, 0.88)
    >>> round(found.off, 4), found.near
    (0.0455, False)
    """
    same_length(speed_rpm=speed_rpm, found=found)
    positive("target", target)
    inside = (speed_rpm >= low_rpm) & (speed_rpm <= high_rpm) & np.isfinite(found)
    if not inside.any():
        return None
    mean = float(found[inside].mean())
    return Mixture(mean, target)


@dataclass(frozen=True)
class BoostHeld:
    """Mean boost once it was there, Pa, against its target; from which speed, and the most of it."""

    found: float
    target: float
    from_rpm: float
    most: float

    @property
    def near(self) -> bool:
        return abs(self.found - self.target) <= NEAR_BOOST


def settled_boost(speed_rpm: Array, boost: Array) -> tuple[float, float, float] | None:
    """Mean boost from the speed at which most of it had come, that speed, and the most of it.

    Shapes: (bins,), (bins,), NaN where nothing was read; None where nothing was.
    Units:  rpm; Pa above ambient.
    Errors: ValueError naming the argument.
    Source: house rule; SPOOLED at the head of this module.
    >>> settled_boost(np.arange(3000.0, 6000, 1000), np.array([20_000.0, 78_000, 80_000]))
    (79000.0, 4000.0, 80000.0)
    """
    same_length(speed_rpm=speed_rpm, boost=boost)
    known = np.isfinite(boost)
    if not known.any() or boost[known].max() <= 0:
        return None
    speeds, read = speed_rpm[known], boost[known]
    first = int(np.argmax(read >= SPOOLED * read.max()))
    return float(read[first:].mean()), float(speeds[first]), float(read.max())


def boost_held(speed_rpm: Array, boost: Array, target: float) -> BoostHeld | None:
    """How well a target of boost was held, from the speed at which most of it had come.

    Shapes: (bins,), (bins,), NaN where nothing was read; None where nothing was.
    Units:  rpm; Pa above ambient.
    Errors: ValueError naming the argument.
    Source: `settled_boost`.
    >>> speed = np.arange(3000.0, 6000, 1000)
    >>> held = boost_held(speed, np.array([20_000.0, 78_000, 80_000]), 82_000.0)
    >>> held.found, held.from_rpm, held.near
    (79000.0, 4000.0, True)
    """
    positive("target", target)
    settled = settled_boost(speed_rpm, boost)
    return None if settled is None else BoostHeld(settled[0], target, *settled[1:])


@dataclass(frozen=True)
class BoostMiss:
    """Mean boost over or under its target, Pa, over a stretch of speeds in which it left its window."""

    low_rpm: float
    high_rpm: float
    miss: float


def boost_misses(speed_rpm: Array, boost: Array, target: float, window: float = NEAR_BOOST) -> tuple[BoostMiss, ...]:
    """Where boost left its window, from the speed at which most of it had come; a stretch shorter than FEWEST_BINS is
    the controller's own ripple.

    Shapes: (bins,), (bins,), NaN where nothing was read.
    Units:  rpm; Pa above ambient.
    Errors: ValueError naming the argument.
    Source: house rule.
    >>> speed = np.arange(3000.0, 7000, 500)
    >>> read = 1e5 + np.array([-5e4, 6e3, 6e3, 5e3, 0, -4e3, -5e3, -9e3])
    >>> [(miss.low_rpm, miss.high_rpm, round(miss.miss)) for miss in boost_misses(speed, read, 1e5)]
    [(3500.0, 4500.0, 5667), (5500.0, 6500.0, -6000)]
    """
    settled = settled_boost(speed_rpm, boost)
    if settled is None:
        return ()
    there = np.isfinite(boost) & (speed_rpm >= settled[1])
    off = boost[there] - positive("target", target)
    side = np.where(off > positive("window", window), 1, np.where(off < -window, -1, 0))
    speeds = speed_rpm[there]
    cuts = [0, *(np.flatnonzero(side[1:] != side[:-1]) + 1).tolist(), len(side)]
    return tuple(
        BoostMiss(float(speeds[begin]), float(speeds[end - 1]), float(off[begin:end].mean()))
        for begin, end in pairwise(cuts) if side[begin] and end - begin >= FEWEST_BINS
    )  # fmt: skip


def helped(before: float, after: float) -> bool | None:
    """Whether a change of setting between two pulls helped; None where it lies within what says nothing.

    Shapes: scalars.
    Units:  any one unit of torque, means over one range.
    Errors: ValueError naming the argument.
    Source: common practice: one pull each is a hint, not a proof [prac].
    >>> helped(200.0, 202.0), helped(200.0, 198.0), helped(200.0, 200.2)
    (True, False, None)
    """
    positive("before", before)
    finite("after", after)
    share = after / before - 1
    return None if abs(share) < WORTH else share > 0
