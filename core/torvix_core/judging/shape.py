"""The shape of a curve in numbers: how flat, how wide above a level, what is lost after the peak, still climbing."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from torvix_core.engine import geometry
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.drift import NO_DRIFT
from torvix_core.judging.effects import History, fit
from torvix_core.units.checked import Array, finite, positive

ALONE = History(weight=0.0, drift=NO_DRIFT)  # shares and rpm scatter in their own way: by these pulls alone
LEVEL = 0.95  # of the baseline's peak torque, above which width is measured; house rule


@dataclass(frozen=True)
class ShapeFigure:
    """A figure of each setup and half its 95 % interval, (setups,); NaN where no setup repeats a pull."""

    value: Array
    half_width: Array


@dataclass(frozen=True)
class Shapes:
    """Flatness: lowest torque over the highest [-]; width above `level` (N·m), rpm; fall: power lost from its peak to
    the last speed [-]; climbing (setups,): power was highest at the last speed in most pulls."""

    level: float
    flatness: ShapeFigure
    width: ShapeFigure
    fall: ShapeFigure
    climbing: NDArray[np.bool_]


def flatness(torque: Array) -> Array:
    """Lowest torque of each curve as a share of its highest.

    Shapes: (pulls, bins); result (pulls,).
    Units:  any; [-].
    Errors: ValueError if a torque is not above zero.
    Source: definition.
    >>> flatness(np.array([[80.0, 100, 90]])).tolist()
    [0.8]
    """
    values = positive("torque", torque)
    return np.asarray(values.min(axis=1) / values.max(axis=1))


def width_above(speed_rpm: Array, torque: Array, level: float) -> Array:
    """How many rpm of each curve lie above a torque, on straight lines between the bins.

    Shapes: (bins,), (pulls, bins); result (pulls,).
    Units:  rpm, any.
    Errors: ValueError if not finite.
    Source: definition.
    >>> width_above(np.array([3000.0, 3100, 3200]), np.array([[90.0, 110, 110]]), 100.0).tolist()
    [150.0]
    """
    above = finite("torque", torque) - level
    left, right, step = above[:, :-1], above[:, 1:], np.diff(finite("speed_rpm", speed_rpm))
    low, high = np.minimum(left, right), np.maximum(left, right)
    crossing = np.divide(high, high - low, out=np.zeros_like(high), where=high > low)
    share = np.where(low >= 0, 1.0, np.where(high <= 0, 0.0, crossing))
    return np.asarray((share * step).sum(axis=1))


def peak_speeds(speed_rpm: Array, torque: Array, layout: Layout) -> ShapeFigure:
    """Where torque peaks, by setup, with half the 95 % interval; NaN where a pull peaks at an end of the speeds, as its
    true peak may lie beyond, and of fewer than three speeds.

    Shapes: (bins,), (pulls, bins).
    Units:  rpm, any; rpm.
    Errors: ValueError as the parts.
    Source: a parabola through the highest bin and its neighbors; means and pooled scatter of the pulls as `shapes`.
    >>> speed = np.arange(3000.0, 4001, 100)
    >>> curves = np.stack([200 - ((speed - top) / 100) ** 2 for top in (3440, 3460, 3640, 3660, 4000)])
    >>> peak_speeds(speed, curves, Layout.of([0, 0, 1, 1, 2])).value.round(3).tolist()
    [3450.0, 3650.0, nan]
    """
    speed, values = finite("speed_rpm", speed_rpm), finite("torque", torque)
    if len(speed) < 3:
        unknown = np.full(layout.setups, np.nan)
        return ShapeFigure(unknown, unknown)
    top = values.argmax(axis=1)
    inside = (top > 0) & (top < len(speed) - 1)
    middle, rows = np.clip(top, 1, len(speed) - 2), np.arange(len(values))
    below, at, above = (values[rows, middle + step] for step in (-1, 0, 1))
    bend = below - 2 * at + above
    away = np.divide(below - above, 2 * bend, out=np.zeros_like(at), where=bend < 0)
    found = _figure(speed[middle] + np.clip(away, -0.5, 0.5) * (speed[middle + 1] - speed[middle]), layout, 1000.0)
    known = np.array([inside[layout.setup == setup].all() for setup in range(layout.setups)])
    return ShapeFigure(np.where(known, found.value, np.nan), np.where(known, found.half_width, np.nan))


def shapes(speed_rpm: Array, torque: Array, layout: Layout, baseline: int) -> Shapes:
    """The shape figures of every setup over the speeds given, with their intervals.

    Shapes: (bins,), (pulls, bins).
    Units:  rpm, N·m.
    Errors: ValueError as the parts.
    Source: means and pooled scatter of the pulls (Student's t); drift moves a whole curve and hardly its shape.
    >>> layout, speed = Layout.of([0, 0, 1, 1]), np.array([3000.0, 3100, 3200])
    >>> curves = np.array([[90.0, 100, 95], [90.2, 100, 95], [99, 100, 98], [99.2, 100, 98]])
    >>> shapes(speed, curves, layout, 0).flatness.value.round(3).tolist()
    [0.901, 0.98]
    """
    tops = np.array([torque[layout.setup == setup].max(axis=1).mean() for setup in range(layout.setups)])
    level = LEVEL * float(tops[baseline])
    power = geometry.power(torque, speed_rpm)
    fall = 1 - power[:, -1] / power.max(axis=1)
    last = power.argmax(axis=1) == power.shape[1] - 1
    climbing = np.array([last[layout.setup == setup].mean() > 0.5 for setup in range(layout.setups)])
    return Shapes(
        level, _figure(flatness(torque), layout, 1.0), _figure(width_above(speed_rpm, torque, level), layout, 1000.0),
        _figure(fall, layout, 1.0), climbing,
    )  # fmt: skip


def _figure(values: Array, layout: Layout, scale: float) -> ShapeFigure:
    """Means of the setups and half their intervals; put on the exponential scale, on which the model is additive."""
    means = np.array([values[layout.setup == setup].mean() for setup in range(layout.setups)])
    if len(layout.setup) <= layout.setups:
        return ShapeFigure(means, np.full(layout.setups, np.nan))
    spread = values - means[layout.setup]
    scatter = float(np.sqrt((spread**2).sum() / (len(values) - layout.setups)))
    if scatter <= 1e-9 * scale:
        return ShapeFigure(means, np.zeros(layout.setups))
    fitted = fit(np.exp(values / scale), Layout.of(layout.setup), ALONE)
    return ShapeFigure(means, fitted.own_half_widths * scale)
