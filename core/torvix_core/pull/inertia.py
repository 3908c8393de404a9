"""The inertia that a brake speeds up, from runs in which it was sped up or slowed down at different rates."""

from __future__ import annotations

from dataclasses import dataclass
from math import pi

import numpy as np
from scipy import special
from torvix_core.units.checked import Array, finite, same_length

LEAST_BINS = 8
LEAST_RATE_RATIO = 1.3  # between two sweeps; nearer rates tell nothing [prac]


@dataclass(frozen=True)
class Inertia:
    """kg·m², half its 95 % interval, and on how many bins it rests."""

    inertia: float
    half_width: float
    bins: int


def from_two_rates(torque: tuple[Array, Array], acceleration_rpm_s: tuple[Array, Array]) -> Inertia:
    """Inertia from two runs of an engine over the same bins at different rates: sweeps, or coast-downs at two loads.

    The engine gives the same torque in both, so what the brake sees differs by I·(α2 - α1) alone; that the runs also
    differ by a constant share, as two pulls do, is allowed for.

    Shapes: (bins,) each, the same bins.
    Units:  N·m at the brake, without inertia added; rpm/s.
    Errors: ValueError for fewer than LEAST_BINS bins or rates that hardly differ.
    Source: T_engine = T_brake + I·dω/dt [phys]; mean and Student's t over the bins, whose neighbours err together, so
            that only every third counts as independent [prac].
    >>> brake = np.full(12, 400.0)
    >>> found = from_two_rates((brake - 0.5 * 31.416, brake - 0.5 * 62.832), (np.full(12, 300.0), np.full(12, 600.0)))
    >>> round(found.inertia, 3)
    0.5
    """
    first, second = finite("torque", torque[0]), finite("torque", torque[1])
    slow, fast = finite("acceleration", acceleration_rpm_s[0]), finite("acceleration", acceleration_rpm_s[1])
    same_length(first=first, second=second)
    same_length(slow=slow, fast=fast, first=first)
    if len(first) < LEAST_BINS:
        raise ValueError(f"the two runs share {len(first)} bins; at least {LEAST_BINS} are needed")
    rates = sorted((abs(float(np.median(slow))), abs(float(np.median(fast)))))
    turned = np.sign(np.median(slow)) != np.sign(np.median(fast))
    if not turned and rates[1] < LEAST_RATE_RATIO * rates[0]:
        raise ValueError(
            f"the runs were made at {rates[0]:.0f} and {rates[1]:.0f} rpm/s, too near to each other: sweep one at half "
            "the rate"
        )
    return _mean((first - second) / ((fast - slow) * pi / 30))


def from_coast_down(acceleration_rpm_s: Array, drag: Array) -> Inertia:
    """Inertia from a coast-down against a drag that is known: throttle shut, brake and friction slow it down.

    Shapes: (bins,) each.
    Units:  rpm/s, below zero; N·m of drag, above zero: what the brake reads and the friction known beside it.
    Errors: ValueError for fewer than LEAST_BINS bins, or where the speed does not fall under drag.
    Source: I·dω/dt = -T_drag [phys].
    >>> round(from_coast_down(np.full(10, -600.0), np.full(10, 37.7)).inertia, 3)
    0.6
    """
    rate, held = finite("acceleration", acceleration_rpm_s), finite("drag", drag)
    same_length(acceleration=rate, drag=held)
    if len(rate) < LEAST_BINS:
        raise ValueError(f"the coast-down covers {len(rate)} bins; at least {LEAST_BINS} are needed")
    if (rate >= 0).any() or (held <= 0).any():
        raise ValueError("the speed must fall throughout, against a drag above zero")
    return _mean(-held / (rate * pi / 30))


def _mean(each: Array) -> Inertia:
    independent = max(3, len(each) // 3)
    spread = float(each.std(ddof=1)) / np.sqrt(independent)
    return Inertia(float(each.mean()), float(special.stdtrit(independent - 1, 0.975)) * spread, len(each))
