"""Figures that somebody else printed or read off a screen: a table of a few numbers, checked before it is believed."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray
from torvix_core.engine import geometry
from torvix_core.pull.curve import GRID_RPM
from torvix_core.units.checked import Array, finite

WIDEST_GAP_RPM = 500.0  # between two figures, across which a line is drawn [prac]; wider stays empty
LEAST_FIGURES = 3


class Wrong(StrEnum):
    NOT_RISING = "not_rising"  # the speed of this row is not above that of the row before
    POWER = "power"  # power is not torque times speed
    PEAK_TORQUE = "peak_torque"  # the quoted peak is not in the table
    PEAK_POWER = "peak_power"
    OUTLIER = "outlier"  # stands off the line through its neighbours: a slip of the pen
    SPEED = "speed"  # no engine that is tested here runs at this speed: another column, or a digit too few
    LOAD_IN = "load_in"  # the first figure stands far above those after it, as while the brake loads
    PEAKS_CROSSED = "peaks_crossed"  # power at the torque peak is above the quoted peak power


@dataclass(frozen=True)
class FigureProblem:
    """What is wrong, in which row (0 is the first; None: of the table), what is there and what would fit, SI."""

    wrong: Wrong
    row: int | None
    found: float
    expected: float


@dataclass(frozen=True)
class Quoted:
    """Peaks as they were quoted beside the table; None where none was. SI and rpm."""

    torque: float | None = None
    torque_rpm: float | None = None
    power: float | None = None
    power_rpm: float | None = None


@dataclass(frozen=True)
class FigureSteps:
    """The smallest step in which the figures were written, in the same unit as the figures."""

    speed_rpm: float = 0.0
    torque: float = 0.0
    power: float = 0.0


SLOWEST_RPM, FASTEST_RPM = 300.0, 20_000.0  # of figures under load that are believed [prac]
LOAD_IN_SHARE = 0.05  # of the torque, by which a first figure stands above the line through the next two [prac]
OUTLIER_SHARE = 0.04  # of the torque, off the line between the neighbours, and opposite to both slopes [prac]


def torque_of(speed_rpm: Array, torque: Array, power: Array) -> Array:
    """Torque of each row: as written, else from power. NaN where neither is.

    Shapes: (rows,) each; NaN where nothing was written.
    Units:  rpm, N·m, W.
    Errors: none.
    Source: T = P/ω [phys].
    >>> torque_of(np.array([5252.113]), np.array([np.nan]), np.array([745.69987])).round(4).tolist()
    [1.3558]
    """
    return np.where(np.isfinite(torque), torque, power / geometry.angular_speed(speed_rpm))


def check(
    speed_rpm: Array, torque: Array, power: Array, steps: FigureSteps | None = None, quoted: Quoted | None = None
) -> tuple[FigureProblem, ...]:
    """What does not fit in a table of printed figures, within what rounding allows.

    Shapes: (rows,) each; NaN where nothing was written.
    Units:  rpm, N·m, W; steps likewise.
    Errors: ValueError if the arrays differ in length.
    Source: P = T·ω [phys]; the peak must stand in the table [prac].
    >>> found = check(np.array([5300.0, 5400]), np.array([533.3, 533.0]), np.array([295_970.0, 250_000.0]))
    >>> [(problem.wrong.value, problem.row, round(problem.expected)) for problem in found]
    [('power', 1, 301404)]
    """
    steps, quoted = steps or FigureSteps(), quoted or Quoted()
    speed = finite("speed_rpm", speed_rpm)
    if not len(speed) == len(torque) == len(power):
        raise ValueError("speed, torque and power must have a value for each row")
    found = [
        FigureProblem(Wrong.NOT_RISING, int(row) + 1, float(speed[row + 1]), float(speed[row]))
        for row in np.flatnonzero(np.diff(speed) <= 0)
    ]
    found += [
        FigureProblem(
            Wrong.SPEED, int(row), float(speed[row]), SLOWEST_RPM if speed[row] < SLOWEST_RPM else FASTEST_RPM
        )
        for row in np.flatnonzero((speed < SLOWEST_RPM) | (speed > FASTEST_RPM))
    ]
    turning = geometry.angular_speed(speed)
    worked = torque * turning
    allowed = (
        steps.power / 2 + turning * steps.torque / 2 + np.abs(torque) * geometry.angular_speed(steps.speed_rpm) / 2
    ) * 1.02 + 1e-3 * np.abs(worked)  # a per mille for factors of conversion that were rounded: 5252 and 7023
    with np.errstate(invalid="ignore"):
        wrong = np.abs(power - worked) > allowed
    found += [
        FigureProblem(Wrong.POWER, int(row), float(power[row]), float(worked[row])) for row in np.flatnonzero(wrong)
    ]
    if any(problem.wrong in (Wrong.NOT_RISING, Wrong.SPEED) for problem in found):
        return tuple(found)
    whole = torque_of(speed, torque, power)
    there = np.isfinite(whole)
    # One slip is reported once: where power does not fit its torque, the row is marked already.
    marked = {problem.row for problem in found}
    odd = _outliers(np.flatnonzero(there), speed[there], whole[there])
    if not {1, 2} & {problem.row for problem in odd}:  # a slip just after the first figure is no load-in
        odd = [*_load_in(np.flatnonzero(there), speed[there], whole[there]), *odd]
    found += [problem for problem in odd if problem.row not in marked]
    found += _peaks(speed[there], whole[there], steps, quoted)
    return tuple(found)


def _outliers(rows: NDArray[np.int_], speed: Array, torque: Array) -> list[FigureProblem]:
    if len(torque) < 4:
        return []
    share = (speed[1:-1] - speed[:-2]) / (speed[2:] - speed[:-2])
    between = torque[:-2] + share * (torque[2:] - torque[:-2])
    away = torque[1:-1] / between - 1
    # A digit slipped in one row bends both of its neighbours' lines the other way; a peaky curve does not.
    inner = np.flatnonzero(np.abs(away) > OUTLIER_SHARE)
    found: list[FigureProblem] = []
    taken: set[int] = set()
    for row in sorted(inner.tolist(), key=lambda at: -abs(away[at])):
        near = [away[other] for other in (row - 1, row + 1) if 0 <= other < len(away)]
        if (
            not taken & {row - 1, row + 1}
            and near
            and all(np.sign(other) == -np.sign(away[row]) and abs(other) > OUTLIER_SHARE / 4 for other in near)
        ):
            found.append(FigureProblem(Wrong.OUTLIER, int(rows[row + 1]), float(torque[row + 1]), float(between[row])))
            taken.add(row)
    return sorted(found, key=lambda problem: problem.row or 0)


def _load_in(rows: NDArray[np.int_], speed: Array, torque: Array) -> list[FigureProblem]:
    """The first figure against the line through the next two, where it falls from it as no engine's torque does."""
    if len(torque) < 4:
        return []
    slope = (torque[2] - torque[1]) / (speed[2] - speed[1])
    line = float(torque[1] - slope * (speed[1] - speed[0]))
    away = float(torque[0]) / line - 1 if line > 0 else 0.0
    if away < LOAD_IN_SHARE or torque[0] <= torque[1] or torque[2] < torque[1] * (1 - LOAD_IN_SHARE / 2):
        return []
    return [FigureProblem(Wrong.LOAD_IN, int(rows[0]), float(torque[0]), line)]


def _peaks(speed: Array, torque: Array, steps: FigureSteps, quoted: Quoted) -> list[FigureProblem]:
    if not len(torque):
        return []
    power = geometry.power(torque, speed)
    found = []
    for wrong, value, at, curve, step in (
        (Wrong.PEAK_TORQUE, quoted.torque, quoted.torque_rpm, torque, steps.torque),
        (Wrong.PEAK_POWER, quoted.power, quoted.power_rpm, power, steps.power),
    ):
        if value is None:
            continue
        # A table of coarse steps may miss the very peak by a little, never by more than half a per cent [prac].
        top = float(curve.max())
        there = top if at is None else float(np.interp(at, speed, curve))
        outside = at is not None and not speed[0] - 100 <= at <= speed[-1] + 100
        if outside or abs(value - there) > step + 0.005 * top or value < top - step:
            found.append(FigureProblem(wrong, None, value, there if value >= top - step else top))
    if quoted.torque is not None and quoted.torque_rpm is not None and quoted.power is not None:
        there = float(geometry.power(quoted.torque, quoted.torque_rpm))
        if there > quoted.power * 1.002:
            found.append(FigureProblem(Wrong.PEAKS_CROSSED, None, there, quoted.power))
    return found


def gain_fits(before: float, after: float, gain: float, steps: tuple[float, float, float]) -> bool:
    """Whether a quoted gain is the difference of the quoted figures, within what rounding allows.

    Shapes: scalars; `steps` in which before, after and gain were written.
    Units:  one unit for all.
    Errors: none.
    Source: three figures, each rounded to half a step of its own digits.
    >>> gain_fits(393.0, 410.0, 17.0, (1.0, 1.0, 1.0)), gain_fits(393.0, 410.0, 18.2, (1.0, 1.0, 0.1))
    (True, False)
    """
    return abs(after - before - gain) <= sum(steps) / 2 + 1e-9


def to_grid(speed_rpm: Array, torque: Array) -> tuple[Array, Array, NDArray[np.bool_]]:
    """The figures on multiples of 100 rpm: as written where they lie there, else on the line between neighbours.

    Shapes: (rows,) each, without NaN; results (bins,), the last true where a bin was interpolated.
    Units:  rpm; any.
    Errors: ValueError for fewer than three rows, or speeds that do not rise.
    Source: linear interpolation, never beyond the figures nor across a gap wider than WIDEST_GAP_RPM [prac].
    >>> grid, values, between = to_grid(np.array([3000.0, 3200, 3300]), np.array([400.0, 410, 412]))
    >>> values.tolist(), between.tolist()
    ([400.0, 405.0, 410.0, 412.0], [False, True, False, False])
    """
    speed, values = finite("speed_rpm", speed_rpm), finite("torque", torque)
    if len(speed) < LEAST_FIGURES:
        raise ValueError("a curve needs at least three rows with a speed and a torque or a power")
    if (np.diff(speed) <= 0).any():
        raise ValueError("the speeds must rise from row to row")
    grid = np.arange(np.ceil(speed[0] / GRID_RPM - 1e-6), np.floor(speed[-1] / GRID_RPM + 1e-6) + 1) * GRID_RPM
    after = np.clip(speed.searchsorted(grid - 1e-6), 1, len(speed) - 1)
    on = np.abs(speed[:, None] - grid[None, :]).min(axis=0) < 1.0
    known = on | (speed[after] - speed[after - 1] <= WIDEST_GAP_RPM + 1e-6)
    return grid[known], np.interp(grid[known], speed, values), ~on[known]
