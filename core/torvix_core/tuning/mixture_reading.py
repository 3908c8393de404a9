"""A mixture curve against its band: both ends, how much of it is near enough, and one bank against the other."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from torvix_core.pull.trace import BANKS
from torvix_core.units.checked import Array, same_length

TOLERANCE = 0.01  # of lambda: half the width of the band round a target [prac]
LEAN_LIMIT = 0.92  # lambda that no bin under full load may pass on gasoline [prac]
BANKS_ALIKE = 0.02  # of lambda: further apart in the mean, the banks are not fed alike [prac]


@dataclass(frozen=True)
class MixtureBand:
    """Lambda that is aimed at, how far off is near enough, and what no bin may pass."""

    target: float
    tolerance: float = TOLERANCE
    lean_limit: float = LEAN_LIMIT


@dataclass(frozen=True)
class MixtureReading:
    """A mixture curve over a range: its mean, its richest and leanest bin, and the share of bins in the band."""

    mean: float
    richest: float
    richest_rpm: float
    leanest: float
    leanest_rpm: float
    share_in_band: float
    past_limit: bool


def read_mixture(speed_rpm: Array, found: Array, low_rpm: float, high_rpm: float, band: MixtureBand) -> MixtureReading:
    """A mixture curve against its band: a mean alone hides a curve that is rich at one end and lean at the other.

    Shapes: (bins,), (bins,), NaN where nothing was read.
    Units:  rpm; lambda.
    Errors: ValueError where the range holds no reading.
    Source: definition.
    >>> speed, found = np.arange(3000.0, 6000, 1000), np.array([0.80, 0.87, 0.94])
    >>> read = read_mixture(speed, found, 3000, 6000, MixtureBand(0.87))
    >>> round(read.mean, 2), read.richest_rpm, read.leanest_rpm, round(read.share_in_band, 2), read.past_limit
    (0.87, 3000.0, 5000.0, 0.33, True)
    """
    speeds, values = in_range(speed_rpm, found, low_rpm, high_rpm)
    richest, leanest = int(values.argmin()), int(values.argmax())
    near = np.abs(values - band.target) <= band.tolerance + 1e-9
    return MixtureReading(
        float(values.mean()), float(values[richest]), float(speeds[richest]), float(values[leanest]),
        float(speeds[leanest]), float(near.mean()), bool(values[leanest] > band.lean_limit),
    )  # fmt: skip


@dataclass(frozen=True)
class BankReading:
    """Left bank less right bank, lambda: mean over the range, and the largest of it with its speed."""

    mean: float
    most: float
    most_rpm: float

    @property
    def alike(self) -> bool:
        return abs(self.mean) <= BANKS_ALIKE


def read_banks(speed_rpm: Array, means: Mapping[str, Array], low_rpm: float, high_rpm: float) -> BankReading | None:
    """One bank against the other; None where not both were read at one speed at least.

    Shapes: (bins,) each, NaN where nothing was read.
    Units:  rpm; lambda.
    Errors: ValueError for arrays of different length.
    Source: definition.
    >>> speed, left, right = np.array([3000.0, 4000]), np.array([0.88, 0.90]), np.array([0.86, 0.85])
    >>> found = read_banks(speed, {"lambda_left": left, "lambda_right": right}, 2500, 4500)
    >>> round(found.mean, 3), round(found.most, 2), found.most_rpm, found.alike
    (0.035, 0.05, 4000.0, False)
    """
    if not set(BANKS) <= set(means):
        return None
    same_length(speed_rpm=speed_rpm, left=means[BANKS[0]], right=means[BANKS[1]])
    apart = means[BANKS[0]] - means[BANKS[1]]
    used = (speed_rpm >= low_rpm - 1e-6) & (speed_rpm <= high_rpm + 1e-6) & np.isfinite(apart)
    if not used.any():
        return None
    speeds, values = speed_rpm[used], apart[used]
    most = int(np.abs(values).argmax())
    return BankReading(float(values.mean()), float(values[most]), float(speeds[most]))


def in_range(speed_rpm: Array, found: Array, low_rpm: float, high_rpm: float) -> tuple[Array, Array]:
    """Speeds and lambda where the range was read.

    Shapes: (bins,) each; the result is as long as what was read.
    Units:  rpm; lambda.
    Errors: ValueError where the range holds no reading.
    Source: definition.
    >>> in_range(np.array([3000.0, 4000]), np.array([0.88, np.nan]), 2500, 4500)
    (array([3000.]), array([0.88]))
    """
    same_length(speed_rpm=speed_rpm, found=found)
    inside = (speed_rpm >= low_rpm - 1e-6) & (speed_rpm <= high_rpm + 1e-6) & np.isfinite(found)
    if not inside.any():
        raise ValueError("the range holds no reading of the mixture")
    return speed_rpm[inside], found[inside]
