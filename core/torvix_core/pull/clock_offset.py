"""By how much one recording of the engine speed lags behind another: two instruments, each with a delay of its own."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from torvix_core.units.checked import Array

MOST_S = 2.0  # of lag that is looked for
STEP_S = 0.02  # between lags that are tried first
LEAST_S = 2.0  # of shared recording
LEAST_SAMPLES = 20
LEAST_RPM = 300.0  # that the speed moves within it
ROUNDS = 6
Z95 = 1.959964  # normal distribution


@dataclass(frozen=True)
class ClockOffset:
    """`seconds` by which the second recording lags behind the first, and half the width of its 95 % interval."""

    seconds: float
    error_s: float


def clock_offset(
    time_s: ArrayLike, speed_rpm: ArrayLike, other_time_s: ArrayLike, other_speed_rpm: ArrayLike
) -> ClockOffset:
    """The lag at which both speeds agree best, whatever constant lies between their readings.

    Shapes: (n,) twice and (m,) twice; times grow. NaN readings are passed over.
    Units:  s, rpm.
    Errors: ValueError where they share less than LEAST_S, or the speed does not move enough to tell.
    Source: least squares for a shift in time and a constant; its error by the slope of the speed (Gauss-Newton), with
            residuals that resemble their neighbors counted as fewer (AR(1), textbook).
    >>> t = np.arange(0, 12, 0.02)
    >>> speed = 4500 + 1500 * np.sin(t / 2)
    >>> round(clock_offset(t, speed, t + 0.15, speed).seconds, 3)
    0.15
    """
    one_t, one = _read(time_s, speed_rpm)
    other_t, other = _read(other_time_s, other_speed_rpm)
    lags = np.arange(-MOST_S, MOST_S + STEP_S / 2, STEP_S)
    lag = float(lags[int(np.argmin([_spread(one_t, one, other_t, other, float(lag)) for lag in lags]))])
    slope, residual = np.zeros(0), np.zeros(0)
    for _ in range(ROUNDS):
        at, there = _shared(one_t, other_t, lag)
        shifted = np.interp(at + lag, other_t, other)
        slope = np.gradient(shifted, at)
        slope = slope - slope.mean()
        residual = shifted - one[there]
        residual = residual - residual.mean()
        lag -= float(slope @ residual / (slope @ slope))
        lag = min(MOST_S, max(-MOST_S, lag))
    residual = residual - slope * float(slope @ residual / (slope @ slope))
    squares = float(residual @ residual)
    alike = min(0.99, max(0.0, float(residual[1:] @ residual[:-1]) / max(squares, 1e-12)))
    variance = squares / (len(residual) - 2) / float(slope @ slope) * (1 + alike) / (1 - alike)
    # Between two readings of the slower one nobody knows where the speed was.
    step = max(float(np.median(np.diff(one_t))), float(np.median(np.diff(other_t))))
    return ClockOffset(lag, float(Z95 * np.sqrt(variance) + step / 12**0.5 / len(residual) ** 0.5))


def _read(time_s: ArrayLike, speed_rpm: ArrayLike) -> tuple[Array, Array]:
    times, speeds = np.asarray(time_s, dtype=np.float64), np.asarray(speed_rpm, dtype=np.float64)
    there = np.isfinite(times) & np.isfinite(speeds)
    times, speeds = times[there], speeds[there]
    if len(times) < LEAST_SAMPLES or np.ptp(speeds) < LEAST_RPM:
        raise ValueError(f"the speed has to move by {LEAST_RPM:.0f} rpm on both")
    return times, speeds


def _shared(one_t: Array, other_t: Array, lag: float) -> tuple[Array, np.ndarray]:
    """Times of the first at which the second, moved by the lag, was read as well; and where they are."""
    there = (one_t + lag >= other_t[0]) & (one_t + lag <= other_t[-1])
    at = one_t[there]
    if len(at) < LEAST_SAMPLES or at[-1] - at[0] < LEAST_S:
        raise ValueError(f"both have to be recorded for {LEAST_S:.0f} s at the same time")
    return at, there


def _spread(one_t: Array, one: Array, other_t: Array, other: Array, lag: float) -> float:
    """Of the difference about its mean, rpm."""
    try:
        at, there = _shared(one_t, other_t, lag)
    except ValueError:
        return float("inf")
    return float(np.std(np.interp(at + lag, other_t, other) - one[there]))
