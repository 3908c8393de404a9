"""Curves of an engine are smooth: what its neighbors make of a figure, and which figures stand off their curve."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from torvix_core.units.checked import Array

ROUNDED = 0.4  # of the step: what rounding alone makes of that distance, as a standard deviation
UNSTEADY = 0.002  # of the figure, its distance from the curve where a table is too short to show its own [prac]
LEAST_FOR_KINKS = 7


def expected(speed: Array, values: Array, sure: NDArray[np.bool_], row: int) -> float:
    """What the sure neighbors of a row, two on either side, make of it on a line.

    Shapes: speed, values and sure (rows,).
    Units:  of the values.
    Errors: none; NaN where there are too few, or where the line has run out.
    Source: linear interpolation; beyond the ends, extrapolation [prac].
    >>> expected(np.array([1.0, 2.0, 3.0]), np.array([10.0, np.nan, 14.0]), np.array([True, False, True]), 1)
    12.0
    """
    before = [at for at in range(row - 1, -1, -1) if sure[at]][:2]
    after = [at for at in range(row + 1, len(values)) if sure[at]][:2]
    if len(before) + len(after) < 2 or not np.isfinite(speed[row]):
        return float("nan")
    near = before[:1] + after[:1] if before and after else before + after
    (one, other) = sorted(near)
    if speed[other] == speed[one]:
        return float("nan")
    share = (speed[row] - speed[one]) / (speed[other] - speed[one])
    made = float(values[one] + share * (values[other] - values[one]))
    return made if made > 0 else float("nan")  # carried on too far: no engine makes nothing at full throttle


def away(speed: Array, values: Array) -> Array:
    """How far each figure stands off the curve through two neighbors on either side.

    Shapes: speed and values (rows,).
    Units:  of the values.
    Errors: none; NaN where a figure has not so many neighbors, or the table is too short.
    Source: cubic through four points, by least squares.
    >>> away(np.arange(7.0), np.array([0.0, 1, 4, 10, 16, 25, 36])).round(6).tolist()
    [nan, nan, -0.666667, 1.0, -0.666667, nan, nan]
    """
    found = np.full(len(values), np.nan)
    if len(values) < LEAST_FOR_KINKS or not np.isfinite(speed).all():
        return found
    for row in range(2, len(values) - 2):
        near = [row - 2, row - 1, row + 1, row + 2]
        if np.ptp(speed[near]) > 0 and np.isfinite(values[near]).all():
            reach = (speed[near] - speed[row]) / np.ptp(speed[near])
            found[row] = values[row] - float(np.polynomial.polynomial.polyfit(reach, values[near], 3)[0])
    return found


def kinks(off: Array, values: Array, step: float) -> dict[int, float]:
    """Rows that stand off their curve by more than all beside them, and by how many times the usual: one wrong digit in
    the last place can fit torque to power within their rounding, and shows only here.

    Shapes: off (rows,), as `away` has it, and values (rows,).
    Units:  of the values, as is the step to which they are printed.
    Errors: none.
    Source: median of the others' distances as a standard deviation, at least what rounding makes of it [prac].
    >>> kinks(np.array([np.nan, np.nan, 0.1, -2.0, 0.1, 0.1, -0.1, np.nan, np.nan]), np.full(9, 100.0), 0.1)[3] > 5
    True
    """
    size = np.nan_to_num(np.abs(off))
    found: dict[int, float] = {}
    for row in np.flatnonzero(size).tolist():
        if size[row] < size[max(0, row - 2) : row + 3].max():
            continue
        others = np.concatenate([off[: max(0, row - 2)], off[row + 3 :]])  # a slip bends its neighbors' curves, too
        others = np.abs(others[np.isfinite(others)])
        usual = 1.4826 * float(np.median(others)) if len(others) >= 3 else UNSTEADY * abs(float(values[row]))
        found[row] = float(size[row]) / max(usual, ROUNDED * step)
    return found
