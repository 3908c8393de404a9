"""From the raw samples of a sweep to a curve on a 100 rpm grid: cut, add inertia, average, smooth lightly.

Everything works on whole arrays: the sweep is monotonic once its ends are cut, so each bin is one run of
samples and all channels are averaged in one call.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache
from math import ceil, floor, pi

import numpy as np
from torvix_core.pull.trace import (
    BANKS,
    MIXTURE,
    SPEED,
    THROTTLE,
    TORQUE,
    Trace,
    TraceFinding,
    TraceProblem,
    check,
    impossible,
)
from torvix_core.units.checked import Array

MINIMUM_BINS = 3  # fewer do not make a curve
TOO_FEW_BINS = "fewer than three bins have samples: the speed hardly rises, or the sweep is too fast"


class StandInertia(StrEnum):
    """Whether the stand already adds the torque that speeds up the rotating parts."""

    INCLUDED = "included"
    NOT_INCLUDED = "not_included"
    UNKNOWN = "unknown"


@dataclass(frozen=True)
class Options:
    """How a pull is reduced; kept with every result. Defaults are common practice, no source [prac]."""

    bin_width_rpm: float = 100.0
    minimum_samples: int = 3  # a bin with fewer is empty; at least 2
    steady_within: float = 0.25  # of the usual sweep rate
    settle_s: float = 0.4  # torque still rings after the rate is steady
    roll_off_s: float = 0.1  # before the highest speed: torque collapses before the speed shows it
    spike: float = 0.01  # of the torque: a first bin this far above what follows still holds the load-in
    cut_start_s: float | None = None  # from the start of the trace, where somebody set the cut by hand
    cut_end_s: float | None = None
    throttle_open: float = 0.95  # of the widest opening of the pull
    smooth_bins: int = 5  # odd; 1 switches smoothing off
    smooth_degree: int = 2
    stand_inertia: StandInertia = StandInertia.UNKNOWN
    inertia: float = 0.0  # kg·m², of everything that the brake speeds up


class CutBy(StrEnum):
    """Why the curve begins or ends where it does."""

    WHOLE = "whole"  # as recorded
    RATE = "rate"  # where the sweep rate is steady and the throttle open
    SPIKE = "spike"  # torque stood out from what follows, or broke off from what went before
    HAND = "hand"  # set by somebody


@dataclass(frozen=True)
class Cut:
    """The part of the pull that was used, why it was cut there, and the sweep rate found."""

    start_s: float
    end_s: float
    start_rpm: float
    end_rpm: float
    sweep_rate_rpm_s: float
    start_by: CutBy = CutBy.RATE
    end_by: CutBy = CutBy.RATE


@dataclass(frozen=True)
class Reduction:
    """An observed curve: every array is (bins,), `means` is (names, bins).

    Bins without samples are not there, nor are channels that lack a value in some bin; the findings name those.
    """

    speed_rpm: Array
    torque: Array  # N·m, with inertia where the stand leaves it out
    torque_scatter: Array  # N·m, standard deviation of the samples in the bin about the local slope
    inertia_torque: Array  # N·m, the part that was added
    acceleration_rpm_s: Array
    samples: np.ndarray
    names: tuple[str, ...]
    means: Array
    cut: Cut
    findings: tuple[TraceFinding, ...]


class NotASweep(ValueError):
    """The trace holds no stretch in which the speed rises steadily under open throttle."""


def reduce_sweep(trace: Trace, options: Options) -> Reduction:
    """Reduce one sweep to bins centred on multiples of the bin width.

    Shapes: a trace of n samples; arrays of one length, a value for each bin that has samples.
    Units:  SI and rpm.
    Errors: NotASweep if no steady upward sweep of at least three bins is found; ValueError if speed or torque
            is not among the channels.
    Source: T = T_brake + I·dω/dt [phys]; binning and cutting are common practice [prac].
    >>> t = np.arange(0, 10, 0.02)
    >>> sweep = Trace(t, ("rpm", "torque"), np.stack([2000 + 400 * t, np.full(len(t), 200.0)]))
    >>> reduced = reduce_sweep(sweep, Options(stand_inertia=StandInertia.NOT_INCLUDED, inertia=0.6))
    >>> round(float(reduced.torque[10]), 1), round(float(reduced.inertia_torque[10]), 1)
    (225.1, 25.1)
    """
    findings = check(trace)
    time, values = usable(trace, findings)
    speed, torque = values[trace.rows[SPEED]], values[trace.rows[TORQUE]]
    begins, ends, centres = _bins(time, speed, options)
    samples = ends - begins
    means = _means(values, begins, ends)
    mean_square = _sums((torque * torque)[np.newaxis], begins, ends)[0] / samples
    mean_speed, mean_torque = means[trace.rows[SPEED]], means[trace.rows[TORQUE]]
    begins_s, ends_s = time[begins], time[ends - 1]

    acceleration = _slope((begins_s + ends_s) / 2, mean_speed)
    throttle = means[trace.rows[THROTTLE]] if THROTTLE in trace.rows else None
    if throttle is not None and np.isnan(throttle).any():
        throttle = None  # a throttle that was not read throughout cannot tell where it closed
    used, rate, start_by, end_by = _used(begins_s, ends_s, acceleration, mean_torque, throttle, options)
    centres, mean_speed, mean_torque, acceleration = (
        centres[used],
        mean_speed[used],
        mean_torque[used],
        acceleration[used],
    )
    added = np.zeros(len(centres))
    if options.stand_inertia is StandInertia.NOT_INCLUDED:
        added = acceleration * (options.inertia * pi / 30)
    slope = _slope(mean_speed, mean_torque)
    # A bin cut short has its mean off centre; the local slope brings it there.
    at_centre = mean_torque + slope * (centres - mean_speed) + added
    means = means[:, used]
    # A channel without a value in some bin is left out, never invented.
    whole = np.isnan(means).sum(axis=1) == 0
    names = tuple(name for name, kept in zip(trace.names, whole, strict=True) if kept)
    names, means = _with_mixture(names, means if whole.all() else means[whole])
    # The speed runs evenly through a bin, so the slope alone spreads the torque like n points at equal distances.
    rise, count = slope * acceleration * (ends_s[used] - begins_s[used]), samples[used]
    variance = mean_square[used] - mean_torque * mean_torque - rise * rise * (count + 1) / (12 * (count - 1))
    return Reduction(
        speed_rpm=centres,
        torque=_smooth(centres, at_centre, options),
        torque_scatter=np.sqrt(np.maximum(variance, 0.0)),
        inertia_torque=added,
        acceleration_rpm_s=acceleration,
        samples=count,
        names=names,
        means=means,
        cut=Cut(
            float(begins_s[used][0]),
            float(ends_s[used][-1]),
            float(mean_speed[0]),
            float(mean_speed[-1]),
            rate,
            start_by,
            end_by,
        ),
        findings=findings,
    )


def _with_mixture(names: tuple[str, ...], means: Array) -> tuple[tuple[str, ...], Array]:
    """Where each bank was read and nothing else, their mean is the engine's mixture: half of the cylinders each."""
    if MIXTURE in names or not set(BANKS) <= set(names):
        return names, means
    both = means[[names.index(bank) for bank in BANKS]].mean(axis=0, keepdims=True)
    return (*names, MIXTURE), np.concatenate([means, both])


def usable(trace: Trace, findings: tuple[TraceFinding, ...]) -> tuple[Array, Array]:
    """Samples at which speed and torque were both read; what a channel did not send, or cannot have read, is NaN.

    Shapes: time (m,) and values (channels, m), m at most the samples of the trace.
    Units:  as the trace.
    Errors: NotASweep where they were never read together; ValueError without speed or torque.
    Source: house rule.
    >>> trace = Trace(np.arange(3.0), ("rpm", "torque"), np.array([[1000.0, 1100, np.nan], [9, 9, 9]]))
    >>> usable(trace, check(trace))[0].tolist()
    [0.0, 1.0]
    """
    trace.channel(SPEED), trace.channel(TORQUE)
    if len(trace.time) < 2:
        raise NotASweep("the recording is empty")
    problems = {finding.problem for finding in findings}
    if not problems & {TraceProblem.MISSING, TraceProblem.IMPLAUSIBLE}:
        return trace.time, trace.values
    values = np.where(impossible(trace), np.nan, trace.values)
    read = ~np.isnan(values[[trace.rows[SPEED], trace.rows[TORQUE]]]).any(axis=0)
    if np.count_nonzero(read) < 2:
        raise NotASweep("speed and torque were never read together")
    return trace.time[read], values[:, read]


def _means(values: Array, begins: np.ndarray, ends: np.ndarray) -> Array:
    """Mean of each channel in each bin over the samples that are there; NaN where a bin has none."""
    means: Array = _sums(values, begins, ends) / (ends - begins)
    for row in np.flatnonzero(np.isnan(means).any(axis=1)):
        there = ~np.isnan(values[row : row + 1])
        held = _sums(there.astype(np.float64), begins, ends)[0]
        total = _sums(np.where(there, values[row : row + 1], 0.0), begins, ends)[0]
        means[row] = np.where(held > 0, total / np.maximum(held, 1), np.nan)
    return means


def _bins(time: Array, speed: Array, options: Options) -> tuple[np.ndarray, np.ndarray, Array]:
    """First sample, sample after the last, and centre of each bin that has enough samples.

    While the speed rises a bin is one run of samples. The highest speed so far always rises, also where the
    reading trembles; what comes after the highest of all, and just before, is roll-off.
    """
    width = options.bin_width_rpm
    rising = np.maximum.accumulate(speed)
    stop = int(time.searchsorted(time[rising.searchsorted(rising[-1])] - options.roll_off_s))
    if stop < 2:
        raise NotASweep(TOO_FEW_BINS)
    # Only bins whose centre was passed: a mean is brought to the centre, never beyond the samples.
    numbers = np.arange(ceil(rising[0] / width), floor(rising[stop - 1] / width) + 1)
    bounds = rising.searchsorted((np.append(numbers, numbers[-1:] + 1) - 0.5) * width)
    bounds = np.minimum(bounds, stop)
    begins, ends = bounds[:-1], bounds[1:]
    enough = ends - begins >= max(options.minimum_samples, 2)
    if np.count_nonzero(enough) < MINIMUM_BINS:
        raise NotASweep(TOO_FEW_BINS)
    if enough.all():
        return begins, ends, numbers * width
    return begins[enough], ends[enough], numbers[enough] * width


def _sums(values: Array, begins: np.ndarray, ends: np.ndarray) -> Array:
    """Sums over the columns [begin, end) of each bin, all rows in one call."""
    values = values[:, : ends[-1]]
    if np.array_equal(begins[1:], ends[:-1]):
        return np.add.reduceat(values, begins, axis=1)
    # A left-out bin lies between: sum it too, and drop it. The last end is the end of the values.
    return np.add.reduceat(values, np.stack([begins, ends], axis=1).ravel()[:-1], axis=1)[:, ::2]


def _used(
    begins_s: Array, ends_s: Array, acceleration: Array, torque: Array, throttle: Array | None, options: Options
) -> tuple[slice, float, CutBy, CutBy]:
    """The bins that are used, the sweep rate, and why they begin and end there. A cut by hand goes before all."""
    start, end = options.cut_start_s, options.cut_end_s
    if start is not None and end is not None:
        first, last = int(begins_s.searchsorted(start - 1e-9)), int(ends_s.searchsorted(end + 1e-9, "right"))
        if last - first < MINIMUM_BINS:
            raise NotASweep("fewer than three bins lie between the cuts that were set by hand: set them further apart")
        return slice(first, last), float(np.median(acceleration[first:last])), CutBy.HAND, CutBy.HAND
    steady, rate = _steady(acceleration, begins_s, throttle, options)
    first, last = steady.start, steady.stop
    start_by = CutBy.RATE if first else CutBy.WHOLE
    end_by = CutBy.RATE if last < len(acceleration) else CutBy.WHOLE
    spikes, breaks = _standing_out(torque[first:last], options)
    if spikes:
        first, start_by = first + spikes, CutBy.SPIKE
    if breaks:
        last, end_by = last - breaks, CutBy.SPIKE
    if start is not None:
        first, start_by = int(begins_s.searchsorted(start - 1e-9)), CutBy.HAND
    if end is not None:
        last, end_by = int(ends_s.searchsorted(end + 1e-9, "right")), CutBy.HAND
    if last - first < MINIMUM_BINS:
        raise NotASweep("fewer than three bins are left between the cuts: set them further apart")
    return slice(first, last), rate, start_by, end_by


LOOK_BINS, NEXT_BINS = 4, 8  # at each end, held against a parabola through the bins next to it [prac]
_POWERS = np.vander(np.arange(1.0, NEXT_BINS + 1), 3)
_AHEAD = np.linalg.pinv(_POWERS)[-1]  # the parabola's value one bin before
_BESIDE = np.eye(NEXT_BINS) - _POWERS @ np.linalg.pinv(_POWERS)  # what the bins have beside the parabola


def _standing_out(torque: Array, options: Options) -> tuple[int, int]:
    """How many bins at the start stand above what follows, and how many at the end fall off what went before.

    A brake that loads shows as a spike upward from the first bin on, a throttle that closes as a break downward to the
    last. A dip is the engine's own and stays: where the bins next to an end follow no parabola, nothing is cut.
    """
    if len(torque) < LOOK_BINS + NEXT_BINS:
        return 0, 0
    above = _off(torque[: LOOK_BINS + NEXT_BINS], options.spike)
    below = _off(-torque[: -(LOOK_BINS + NEXT_BINS + 1) : -1], 2 * options.spike)
    return above, below


def _off(torque: Array, share: float) -> int:
    """How many of the first bins, without a gap, lie above the parabola through those after each."""
    after = np.lib.stride_tricks.sliding_window_view(torque[1:], NEXT_BINS)[:LOOK_BINS]
    allowed = share * np.abs(torque[:LOOK_BINS])
    smooth = np.abs(after @ _BESIDE).max(axis=1) < 0.3 * allowed
    off = (torque[:LOOK_BINS] - after @ _AHEAD > allowed) & smooth
    last = np.flatnonzero(off)
    # The bins before one that stands out hold the same spike, whatever the parabola through it says.
    return int(last[-1]) + 1 if len(last) else 0


def _steady(acceleration: Array, begins_s: Array, throttle: Array | None, options: Options) -> tuple[slice, float]:
    """The bins from the first to the last in which the sweep is steady, and its rate in rpm/s.

    Load-in shows as a rate still changing, and torque rings a little longer; roll-off as a rate that falls or a
    throttle that closes.
    """
    ordered = np.sort(acceleration)
    brisk = ordered[int(0.9 * (len(ordered) - 1))]  # 90th percentile: what the sweep does while it sweeps
    usual = float(ordered[(int(ordered.searchsorted(0.5 * brisk)) + len(ordered)) // 2])
    steady = np.abs(acceleration - usual) <= options.steady_within * usual
    if throttle is not None:
        steady &= throttle >= options.throttle_open * throttle.max()
    first, last = int(steady.argmax()), len(steady) - int(steady[::-1].argmax())
    # A recording that begins in the middle of a steady sweep has no load-in to settle from.
    if first or begins_s[0] > 0:
        first = int(begins_s.searchsorted(begins_s[first] + options.settle_s))
    if last - first < MINIMUM_BINS or not steady[min(first, len(steady) - 1)]:
        raise NotASweep("the sweep rate is never steady: too short, or the brake hunts")
    return slice(first, last), usual


def _slope(x: Array, y: Array) -> Array:
    """dy/dx by central differences, one-sided at the ends."""
    slope = np.empty(len(y))
    slope[1:-1] = (y[2:] - y[:-2]) / (x[2:] - x[:-2])
    slope[0] = (y[1] - y[0]) / (x[1] - x[0])
    slope[-1] = (y[-1] - y[-2]) / (x[-1] - x[-2])
    return slope


def _smooth(speed_rpm: Array, torque: Array, options: Options) -> Array:
    """Local polynomial over neighbouring bins; a gap in the bins is not smoothed across."""
    if options.smooth_bins <= 1:
        return torque
    window, degree = options.smooth_bins, options.smooth_degree
    if speed_rpm[-1] - speed_rpm[0] < (len(speed_rpm) - 0.5) * options.bin_width_rpm:
        return smoothing_matrix(len(torque), window, degree) @ torque
    breaks = np.flatnonzero(speed_rpm[1:] - speed_rpm[:-1] > 1.5 * options.bin_width_rpm) + 1
    return np.concatenate([smoothing_matrix(len(part), window, degree) @ part for part in np.split(torque, breaks)])


@lru_cache(maxsize=256)
def smoothing_matrix(length: int, window: int, degree: int) -> Array:
    """The matrix that smooths `length` equally spaced values by local polynomials (Savitzky and Golay, 1964).

    Computed once for each length: solving for the coefficients costs far more than applying them.

    Shapes: (length, length).
    Units:  [-].
    Errors: ValueError if the window is even or not larger than the degree.
    Source: Savitzky and Golay, Anal. Chem. 36 (1964) 1627; the ends take the polynomial of the first and last window.
    >>> bool(np.allclose(smoothing_matrix(9, 5, 2) @ np.arange(9.0) ** 2, np.arange(9.0) ** 2))
    True
    """
    if window % 2 == 0 or window <= degree:
        raise ValueError("window must be odd and larger than degree")
    width = min(window, length)
    matrix = np.zeros((length, length))
    for row in range(length):
        begin = min(max(row - width // 2, 0), length - width)
        powers = np.vander(np.arange(begin - row, begin - row + width, dtype=float), min(degree, width - 1) + 1)
        matrix[row, begin : begin + width] = np.linalg.pinv(powers)[-1]
    return matrix
