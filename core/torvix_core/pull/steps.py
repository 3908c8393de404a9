"""From the samples of a step test, in which the brake holds one speed after another, to points of a curve."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from torvix_core.pull.reduction import Cut, CutBy, NotASweep, Options, Reduction, usable
from torvix_core.pull.trace import SPEED, THROTTLE, TORQUE, Trace, check
from torvix_core.units.checked import Array

HELD_RPM_S = 40.0  # rpm/s; slower than this the speed is held [prac]
LOOK_S = 0.3  # over which the rate is taken
LEAST_HOLD_S = 0.5  # of held speed after the settling; shorter is no hold [prac]
MINIMUM_HOLDS = 2


@dataclass(frozen=True)
class Hold:
    """One held speed: samples [begin, end) after settling."""

    begin: int
    end: int


def holds(time: Array, speed: Array, throttle: Array | None, options: Options) -> tuple[Hold, ...]:
    """The stretches in which the speed is held under open throttle, without the settling at their start.

    Shapes: (n,) each.
    Units:  s, rpm, any.
    Errors: none; an empty tuple where nothing is held.
    Source: common practice, no source; the limits stand at the head of this module.
    >>> time = np.arange(0, 9, 0.1)
    >>> speed = np.repeat([3000.0, 3500, 4000], 30)
    >>> [(hold.begin, hold.end) for hold in holds(time, speed, None, Options())]
    [(4, 28), (36, 58), (66, 90)]
    """
    if len(time) < 4:
        return ()
    reach = max(1, round(LOOK_S / 2 / max(float(np.median(np.diff(time))), 1e-6)))
    place = np.arange(len(time))
    before, after = np.maximum(place - reach, 0), np.minimum(place + reach, len(time) - 1)
    rate = (speed[after] - speed[before]) / np.maximum(time[after] - time[before], 1e-9)
    still = np.abs(rate) <= HELD_RPM_S
    if throttle is not None and np.isfinite(throttle).all():
        still &= throttle >= options.throttle_open * throttle.max()
    edges = np.flatnonzero(np.diff(np.concatenate([[False], still, [False]])))
    found = []
    for begin, end in edges.reshape(-1, 2):
        settled = int(time.searchsorted(time[begin] + options.settle_s - 1e-9))
        if settled < end and time[end - 1] - time[settled] >= LEAST_HOLD_S:
            found.append(Hold(settled, int(end)))
    return tuple(found)


def reduce_steps(trace: Trace, options: Options) -> Reduction:
    """One point for each held speed, brought to the nearest multiple of the bin width.

    Nothing is smoothed and nothing lies between the points: a step test says what it held and no more.

    Shapes: as `reduce_sweep`.
    Units:  SI and rpm.
    Errors: NotASweep if fewer than two speeds were held under open throttle; ValueError without speed or torque.
    Source: mean of the samples of a hold; a point is moved along the line to its neighbour, at most half a bin [prac].
    >>> time = np.arange(0, 9, 0.1)
    >>> speed, torque = np.repeat([3000.0, 3500, 4000], 30), np.repeat([9.0, 8, 7], 30)
    >>> found = reduce_steps(Trace(time, ("rpm", "torque"), np.stack([speed, torque])), Options())
    >>> found.speed_rpm.tolist(), found.torque.tolist()
    ([3000.0, 3500.0, 4000.0], [9.0, 8.0, 7.0])
    """
    findings = check(trace)
    time, values = usable(trace, findings)
    speed, torque = values[trace.rows[SPEED]], values[trace.rows[TORQUE]]
    throttle = values[trace.rows[THROTTLE]] if THROTTLE in trace.rows else None
    start = -np.inf if options.cut_start_s is None else options.cut_start_s
    end = np.inf if options.cut_end_s is None else options.cut_end_s
    held = [
        hold
        for hold in holds(time, speed, throttle, options)
        if time[hold.begin] >= start and time[hold.end - 1] <= end
    ]
    if len(held) < MINIMUM_HOLDS:
        raise NotASweep("fewer than two speeds are held under open throttle: this is no step test")
    means = np.stack([values[:, hold.begin : hold.end].mean(axis=1) for hold in held], axis=1)
    scatter = np.array([torque[hold.begin : hold.end].std(ddof=1) for hold in held])
    samples = np.array([hold.end - hold.begin for hold in held])
    order = np.argsort(means[trace.rows[SPEED]], kind="stable")
    means, scatter, samples = means[:, order], scatter[order], samples[order]
    at, force = means[trace.rows[SPEED]], means[trace.rows[TORQUE]]
    centres = np.round(at / options.bin_width_rpm) * options.bin_width_rpm
    first = np.concatenate([[True], np.diff(centres) > 0])  # a speed held twice: the first visit is the curve's
    means, scatter, samples, at, force, centres = (
        means[:, first], scatter[first], samples[first], at[first], force[first], centres[first],
    )  # fmt: skip
    if len(centres) < MINIMUM_HOLDS:
        raise NotASweep("all holds are at one speed: a curve needs two")
    slope = np.gradient(force, at)
    whole = ~np.isnan(means).any(axis=1)
    by = CutBy.HAND if options.cut_start_s is not None or options.cut_end_s is not None else CutBy.RATE
    begin_s, end_s = float(min(time[hold.begin] for hold in held)), float(max(time[hold.end - 1] for hold in held))
    return Reduction(
        speed_rpm=centres,
        torque=force + slope * (centres - at),
        torque_scatter=scatter,
        inertia_torque=np.zeros(len(centres)),
        acceleration_rpm_s=np.zeros(len(centres)),
        samples=samples,
        names=tuple(name for name, kept in zip(trace.names, whole, strict=True) if kept),
        means=means[whole],
        cut=replace(Cut(begin_s, end_s, float(at[0]), float(at[-1]), 0.0), start_by=by, end_by=by),
        findings=findings,
    )
