"""The raw samples of one pull, and the checks made on them before anything is computed from them."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray
from torvix_core.units.checked import Array

# Channel names that the computation itself asks for
SPEED, TORQUE, THROTTLE, MIXTURE = "rpm", "torque", "throttle", "lambda"

GAP_STEPS = 2.5  # a step in time this many times the usual one is a gap
JITTER_OVER = 100  # samples over which the mean unevenness of a stream fades
RPM_JUMP = 250.0  # rpm between two samples; a sweep of 1000 rpm/s read at 50 Hz moves 20 [prac]
STUCK_SHARE = 0.5  # of the pull without one change in speed or torque: the sensor is stuck [prac]

SLOW_LEAST = 4  # readings that tell of a rate of their own
SLOW_WAITS = 2.5  # times its own interval a slow channel may say nothing

BANKS = ("lambda_left", "lambda_right")  # of a stand that reads the mixture of each bank

# What a channel can read, SI; outside it the sensor is broken or the unit wrong [prac]
PLAUSIBLE = {
    SPEED: (0.0, 20_000.0),
    TORQUE: (-500.0, 5_000.0),
    THROTTLE: (-0.05, 1.05),
    "lambda": (0.5, 2.0),
    "lambda_left": (0.5, 2.0),
    "lambda_right": (0.5, 2.0),
    "oil_temperature": (233.15, 453.15),
    "coolant_temperature": (233.15, 413.15),
    "inlet_temperature": (233.15, 473.15),
    "manifold_temperature": (233.15, 523.15),
    "oil_pressure": (-10_000.0, 1_500_000.0),
    "manifold_pressure": (5_000.0, 600_000.0),
    "fuel_flow": (-0.001, 0.5),
    "air_flow": (-0.01, 5.0),
    "exhaust_temperature": (233.15, 1_500.0),
    "fuel_pressure": (-10_000.0, 1_500_000.0),
    "boost": (-100_000.0, 600_000.0),
    "exhaust_pressure": (-20_000.0, 800_000.0),
    "turbine_speed": (0.0, 400_000.0),
    "knock": (0.0, 1e6),
}


class TraceProblem(StrEnum):
    TIME_BACKWARDS = "time_backwards"
    GAP = "gap"
    RPM_JUMP = "rpm_jump"
    STUCK = "stuck"
    MISSING = "missing"
    IMPLAUSIBLE = "implausible"


@dataclass(frozen=True)
class TraceFinding:
    """One thing wrong with a trace: what, in which channel ("" for the time base), how many samples, first when."""

    problem: TraceProblem
    channel: str
    samples: int
    first_s: float


@dataclass(frozen=True)
class Trace:
    """Samples of a pull: time (n,) in s from its start, one row of `values` (channels, n) for each name, SI.

    NaN marks a sample that the stand did not send.
    """

    time: Array
    names: tuple[str, ...]
    values: Array

    def __post_init__(self) -> None:
        if self.time.ndim != 1 or self.values.shape != (len(self.names), len(self.time)):
            raise ValueError(
                f"values must have a row for each of {len(self.names)} channels and a column for each of "
                f"{len(self.time)} times, not {self.values.shape}"
            )

    @cached_property
    def rows(self) -> dict[str, int]:
        return {name: row for row, name in enumerate(self.names)}

    @cached_property
    def extremes(self) -> tuple[Array, Array]:
        """Lowest and highest value of each channel, NaN where any sample is missing; one pass for all who ask."""
        return self.values.min(axis=1), self.values.max(axis=1)

    def __contains__(self, name: str) -> bool:
        return name in self.rows

    def channel(self, name: str) -> Array:
        """The samples of one channel, or a ValueError that names those there are."""
        if name not in self.rows:
            raise ValueError(f"the trace has no channel {name!r}; it has {', '.join(self.names)}")
        samples: Array = self.values[self.rows[name]]
        return samples


def check(trace: Trace) -> tuple[TraceFinding, ...]:
    """What is wrong with a trace: time running backwards, gaps, jumps, stuck, silent or impossible sensors.

    Shapes: any trace; one finding for each problem and channel.
    Units:  `first_s` s.
    Errors: none; an empty trace is one MISSING finding.
    Source: common practice, no source [prac]; the limits stand at the head of this module.
    >>> trace = Trace(np.arange(4.0), ("rpm", "lambda"), np.array([[1, 2, 3, 4.0], [1, 1, 9.0, 1]]))
    >>> [(finding.problem.value, finding.channel) for finding in check(trace)]
    [('implausible', 'lambda')]
    """
    if len(trace.time) < 2:
        return (TraceFinding(TraceProblem.MISSING, "", len(trace.time), 0.0),)
    found: list[TraceFinding] = []
    _check_time(trace, found)
    floors, ceilings = _limits(trace.names)
    lows, highs = trace.extremes
    within = (lows >= floors) & (highs <= ceilings)  # false, too, where a missing sample makes them NaN
    if not within.all():
        for row in np.flatnonzero(~within):
            samples, name = trace.values[row], trace.names[row]
            _mark(found, trace, TraceProblem.MISSING, name, silent(samples, name))
            _mark(found, trace, TraceProblem.IMPLAUSIBLE, name, (samples < floors[row]) | (samples > ceilings[row]))
    for name in (SPEED, TORQUE):
        if name in trace.rows:
            _check_motion(trace, name, found)
    return tuple(found)


def silent(samples: Array, name: str = "") -> NDArray[np.bool_]:
    """Where a channel said nothing although it should have. One that is slower than the others has a rate of its own:
    between its readings nothing is missing. Speed and torque are needed in every sample.

    Shapes: (n,), as `samples`.
    Units:  none.
    Errors: none.
    Source: house rule: its own rate is the median distance of its readings; a wait of SLOW_WAITS of them is silence.
    >>> slow = np.array([90, np.nan, np.nan, 91, np.nan, np.nan, 92, *[np.nan] * 8, 93, np.nan])
    >>> int(silent(slow).sum()), int(silent(slow, "torque").sum())
    (8, 13)
    """
    missing = np.isnan(samples)
    read = np.flatnonzero(~missing)
    if name in (SPEED, TORQUE) or len(read) < SLOW_LEAST:
        return missing
    own = float(np.median(read[1:] - read[:-1]))
    if own < 2:
        return missing
    ends = np.concatenate([[-1], read, [len(samples)]])
    waits = np.repeat(ends[1:] - ends[:-1], ends[1:] - ends[:-1])[: len(samples)]
    quiet: NDArray[np.bool_] = missing & (waits > SLOW_WAITS * own)
    return quiet


def impossible(trace: Trace) -> NDArray[np.bool_]:
    """Where a sample lies outside what its channel can read.

    Shapes: (channels, n), as `trace.values`.
    Units:  [-].
    Errors: none; a missing sample is not impossible.
    Source: PLAUSIBLE, common practice, no source [prac].
    >>> impossible(Trace(np.arange(3.0), ("lambda",), np.array([[0.9, 9999.0, np.nan]]))).tolist()
    [[False, True, False]]
    """
    floors, ceilings = _limits(trace.names)
    outside: NDArray[np.bool_] = (trace.values < floors[:, None]) | (trace.values > ceilings[:, None])
    return outside


@lru_cache(maxsize=64)
def _limits(names: tuple[str, ...]) -> tuple[Array, Array]:
    pairs = np.array([PLAUSIBLE.get(name, (-np.inf, np.inf)) for name in names]).reshape(-1, 2)
    return pairs[:, 0].copy(), pairs[:, 1].copy()


def _check_time(trace: Trace, found: list[TraceFinding]) -> None:
    steps = trace.time[1:] - trace.time[:-1]
    usual = (trace.time[-1] - trace.time[0]) / len(steps)
    # Equal steps have the least sum of squares for their length, so one product clears an even time base.
    if steps @ steps < usual * usual * (len(steps) + 0.5):
        return
    if steps.min() <= 0:
        _mark(found, trace, TraceProblem.TIME_BACKWARDS, "", steps <= 0)
    if steps.max() > GAP_STEPS * usual:
        _mark(found, trace, TraceProblem.GAP, "", steps > GAP_STEPS * np.median(steps))


def _check_motion(trace: Trace, name: str, found: list[TraceFinding]) -> None:
    samples = trace.channel(name)
    steps = samples[1:] - samples[:-1]
    # No step can be longer than all of them together.
    if name == SPEED and steps @ steps > RPM_JUMP**2 and np.abs(steps).max() > RPM_JUMP:
        _mark(found, trace, TraceProblem.RPM_JUMP, name, np.abs(steps) > RPM_JUMP)
    if np.count_nonzero(steps) < (1 - STUCK_SHARE) * len(steps):
        _mark(found, trace, TraceProblem.STUCK, name, steps == 0)


def _mark(found: list[TraceFinding], trace: Trace, problem: TraceProblem, channel: str, where: np.ndarray) -> None:
    count = int(np.count_nonzero(where))
    if count:
        found.append(TraceFinding(problem, channel, count, float(trace.time[int(np.argmax(where))])))


@dataclass
class SampleSteps:
    """Since it was made. `jitter_s` is the mean distance of a step from the usual one, over the last hundred or so."""

    usual_s: float
    samples: int = 0
    gaps: int = 0
    longest_s: float = 0.0  # of the gaps
    jitter_s: float = 0.0
    _last_s: float = field(default=float("nan"))

    def take(self, times_s: Array) -> None:
        """Count some more.

        Shapes: (samples,), rising, after those that were taken before.
        Units:  seconds.
        Errors: none.
        Source: GAP_STEPS, as in the check of a whole recording; no step is counted across a clock that is set back.
        >>> steps = SampleSteps(0.02)
        >>> steps.take(np.array([0.0, 0.02, 0.04, 0.54, 0.56]))
        >>> steps.gaps, round(steps.longest_s, 3)
        (1, 0.5)
        """
        if not len(times_s):
            return
        apart = np.diff(np.concatenate([[self._last_s], times_s]))
        self.samples += len(times_s)
        self._last_s = float(times_s[-1])
        apart = apart[np.isfinite(apart) & (apart > 0)]
        if not len(apart):
            return
        wide = apart[apart > GAP_STEPS * self.usual_s]
        self.gaps += len(wide)
        self.longest_s = max(self.longest_s, float(wide.max(initial=0.0)))
        even = apart[apart <= GAP_STEPS * self.usual_s]
        if len(even):
            share = min(1.0, len(even) / JITTER_OVER)
            self.jitter_s += (float(np.abs(even - self.usual_s).mean()) - self.jitter_s) * share
