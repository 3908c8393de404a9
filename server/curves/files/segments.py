"""Several runs in one file: where time begins anew, or the speed is swept once more."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from torvix_core.units.checked import Array

LOW, HIGH = 0.35, 0.85  # of the range of speeds: a sweep begins below the one and passes the other [prac]
FEWEST_SAMPLES = 40  # of a sweep


def runs_of(time: Array | None, speed: Array) -> list[tuple[int, int]]:
    """Rows of each run, from the first to after the last; a single one where the file holds one.

    Shapes: time and speed (rows,), NaN where a cell was empty.
    Units:  any.
    Errors: none.
    """
    rows = len(speed)
    cuts = [0]
    if time is not None and rows > 2 and np.isfinite(time).any():
        span = float(np.nanmax(time) - np.nanmin(time))
        for at in (np.flatnonzero(np.diff(time) < -0.5 * span) + 1).tolist():
            if at - cuts[-1] >= FEWEST_SAMPLES:
                cuts.append(at)
    edges = [*cuts, rows]
    found = [
        (begin + first, begin + last) for begin, end in pairwise(edges) for first, last in _sweeps(speed[begin:end])
    ]
    return found if len(found) > 1 else [(0, rows)]


def _sweeps(speed: Array) -> list[tuple[int, int]]:
    """Rows of each rise of the speed; cut at the lowest speed between two of them."""
    given = np.where(np.isfinite(speed), speed, np.nanmedian(speed) if np.isfinite(speed).any() else 0.0)
    low, high = (float(np.quantile(given, share)) for share in (0.01, 0.99))
    if high <= low * 1.15:
        return [(0, len(speed))]  # a step or a hold, no sweep
    below, above = low + LOW * (high - low), low + HIGH * (high - low)
    peaks, armed = [], True
    for at, value in enumerate(given.tolist()):
        if armed and value >= above:
            peaks.append(at)
            armed = False
        elif not armed and value <= below:
            armed = True
    cuts = [0]
    for before, after in pairwise(peaks):
        cuts.append(before + int(given[before:after].argmin()))
    edges = [*cuts, len(speed)]
    whole = [(begin, end) for begin, end in pairwise(edges) if end - begin >= FEWEST_SAMPLES]
    return whole if len(whole) == len(peaks) and len(peaks) > 1 else [(0, len(speed))]
