"""The curve of a pull that runs, from what is committed: for a screen that opens, or wakes, in the middle of it."""

from __future__ import annotations

import math

import numpy as np
from torvix_core.pull.trace import SPEED, TORQUE
from torvix_core.units import quantities

from stand.models import Pull
from stand.pulls.samples import chunk_columns, units_by_channel

POINT_S = 0.1  # of samples in one point


def points(pull: Pull) -> list[tuple[float, float]]:
    """rpm and N·m of the pull so far, as the live frames would have shown them; [] before it has any."""
    units = units_by_channel(pull)
    names = list(units)
    if SPEED not in names or TORQUE not in names:
        return []
    table = chunk_columns(pull, 1 + len(names))
    time = table[0]
    if len(time) < 2:
        return []
    speed, torque = (_si(table[1 + names.index(name)], units[name]) for name in (SPEED, TORQUE))
    # A pull file brought in may lack its times: such a sample has no place on the curve.
    known = np.isfinite(time) & np.isfinite(speed) & np.isfinite(torque)
    if known.sum() < 2:
        return []
    time, speed, torque = time[known], speed[known], torque[known]
    bins = np.floor((time - time.min()) / POINT_S).astype(int)
    count = np.bincount(bins)
    filled = count > 0
    means = [np.bincount(bins, one)[filled] / count[filled] for one in (time, speed, torque)]
    at, rpm, newton_metres = means
    if pull.inertia_in_torque == "not_included" and len(at) > 2:
        newton_metres = newton_metres + pull.inertia * math.pi / 30 * np.gradient(rpm, at)
    return [(round(one, 1), round(other, 2)) for one, other in zip(rpm.tolist(), newton_metres.tolist(), strict=True)]


def _si(samples: np.ndarray, unit: str) -> np.ndarray:
    rule = quantities.to_si_rule(unit)
    return samples * rule.scale + rule.offset
