"""What an engine is for, as a weight over its speed range: presets, or drawn by hand."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from torvix_core.units.checked import Array, finite, positive, same_length

MOST_POINTS = 24


class Preset(StrEnum):
    EVEN = "even"
    STREET = "street"
    TOWING = "towing"
    ROAD_COURSE = "road_course"
    HILL_CLIMB = "hill_climb"
    STRIP = "strip"
    DRAWN = "drawn"


@dataclass(frozen=True)
class Duty:
    """Points (speed_rpm, weight) with straight lines between; no weight outside. Only the ratio of weights counts."""

    points: tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class PresetFacts:
    """`points` as share of the range and weight."""

    label: str
    meaning: str
    points: tuple[tuple[float, float], ...]


# Shapes are common practice, no source; each is drawn over the programme's own range.
PRESETS: dict[Preset, PresetFacts] = {
    Preset.EVEN: PresetFacts("Whole range", "every speed counts alike", ((0.0, 1.0), (1.0, 1.0))),
    Preset.STREET: PresetFacts("Street", "low and middle: more time is spent there than above",
                               ((0.0, 1.0), (0.45, 1.0), (0.8, 0.3), (1.0, 0.1))),
    Preset.TOWING: PresetFacts("Towing", "the lower half, and hardly anything above it",
                               ((0.0, 1.0), (0.4, 1.0), (0.6, 0.1), (1.0, 0.0))),
    Preset.ROAD_COURSE: PresetFacts("Road course", "the middle and the top, with corners left in between",
                                    ((0.0, 0.2), (0.3, 0.8), (0.55, 1.0), (0.9, 1.0), (1.0, 0.6))),
    Preset.HILL_CLIMB: PresetFacts("Hill climb", "out of hairpins and up through the middle",
                                   ((0.0, 0.8), (0.25, 1.0), (0.7, 1.0), (1.0, 0.5))),
    Preset.STRIP: PresetFacts("Strip", "between the shift recovery and the shift point",
                              ((0.0, 0.0), (0.5, 0.0), (0.65, 1.0), (1.0, 1.0))),
}  # fmt: skip


def preset(which: Preset, low_rpm: float, high_rpm: float) -> Duty:
    """A preset over a range.

    Shapes: scalars.
    Units:  rpm.
    Errors: ValueError if the range does not rise, or for a duty that is drawn.
    Source: PRESETS, common practice.
    >>> preset(Preset.EVEN, 3000, 6000).points
    ((3000.0, 1.0), (6000.0, 1.0))
    """
    if not low_rpm < high_rpm:
        raise ValueError("the range must rise")
    if which not in PRESETS:
        raise ValueError("a drawn duty has points of its own")
    return Duty(tuple((low_rpm + share * (high_rpm - low_rpm), weight) for share, weight in PRESETS[which].points))


def check(points: Sequence[Sequence[float]]) -> Duty:
    """A drawn duty, refused where it says nothing.

    Shapes: points (n, 2), two to MOST_POINTS.
    Units:  rpm, weight [-].
    Errors: ValueError in words for the person who drew it.
    Source: house rule.
    >>> check([[3000, 0], [6000, 1]]).points[1]
    (6000.0, 1.0)
    """
    if not 2 <= len(points) <= MOST_POINTS:
        raise ValueError(f"a duty has 2 to {MOST_POINTS} points")
    found = finite("points", points)
    if found.shape != (len(points), 2):
        raise ValueError("each point is a speed and a weight")
    if (np.diff(found[:, 0]) <= 0).any() or (found[:, 0] <= 0).any():
        raise ValueError("speeds must rise from point to point")
    if (found[:, 1] < 0).any() or (found[:, 1] > 1).any():
        raise ValueError("weights lie between 0 and 1")
    if not (found[:, 1] > 0).any():
        raise ValueError("at least one weight must be above zero")
    return Duty(tuple((float(speed), float(weight)) for speed, weight in found))


def of_shares(speed_rpm: Array, shares: Array) -> Duty:
    """The duty that weighs each speed by the share of time spent there, with as many points as a duty may have.

    Shapes: speed_rpm and shares (bins,).
    Units:  rpm, [-]; the largest weight is 1.
    Errors: ValueError as `check`, such as where no time is spent anywhere.
    Source: house rule: neighboring bins share a point where there are too many.
    >>> of_shares(np.array([3000.0, 3100, 3200, 3300]), np.array([0.0, 0.2, 0.8, 0.0])).points
    ((3000.0, 0.0), (3100.0, 0.25), (3200.0, 1.0), (3300.0, 0.0))
    """
    same_length(speed_rpm=speed_rpm, shares=shares)
    used = np.flatnonzero(shares > 0)
    if not len(used):
        raise ValueError("no time is spent at these speeds")
    first, last = max(int(used[0]) - 1, 0), min(int(used[-1]) + 1, len(speed_rpm) - 1)
    groups = np.array_split(np.arange(first, last + 1), min(MOST_POINTS, last - first + 1))
    means = np.array([shares[group].mean() for group in groups])
    points = [(float(speed_rpm[group].mean()), round(float(mean / means.max()), 3)) for group, mean in
              zip(groups, means.tolist(), strict=True)]  # fmt: skip
    return check(points)


def weights(duty: Duty, speed_rpm: Array) -> Array:
    """The weight at each speed, adding up to one.

    Shapes: speed_rpm (bins,); result (bins,).
    Units:  rpm; result [-].
    Errors: ValueError if the duty has no weight at any of the speeds.
    Source: straight lines between the points.
    >>> weights(Duty(((3000, 1.0), (3200, 0.0))), np.array([3000.0, 3100, 3200, 3300])).round(3).tolist()
    [0.667, 0.333, 0.0, 0.0]
    """
    speeds, given = (np.array(each, dtype=np.float64) for each in zip(*duty.points, strict=True))
    found = np.interp(positive("speed_rpm", speed_rpm), speeds, given, left=0.0, right=0.0)
    if not found.sum() > 0:
        raise ValueError("the duty has no weight where the pulls ran")
    return np.asarray(found / found.sum())


def score(duty: Duty, speed_rpm: Array, values: Array) -> Array:
    """Weighted mean of curves.

    Shapes: speed_rpm (bins,), values (..., bins); result (...).
    Units:  those of the values.
    Errors: as `weights`.
    Source: definition.
    >>> float(score(Duty(((3000, 1.0), (3200, 0.0))), np.array([3000.0, 3100]), np.array([90.0, 120])))
    100.0
    """
    same_length(speed_rpm=speed_rpm, values=np.asarray(values)[(0,) * (np.ndim(values) - 1)])
    return np.asarray(finite("values", values) @ weights(duty, speed_rpm))
