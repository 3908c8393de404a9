"""What is odd about a pull, where on the curve, and what speaks for it. Shown, never taken away."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum
from functools import lru_cache

import numpy as np
from torvix_core.engine import geometry
from torvix_core.pull.overlay import climb
from torvix_core.pull.reduction import NEXT_BINS, Reduction, usable
from torvix_core.pull.trace import BANKS, SPEED, TORQUE, Trace, TraceProblem
from torvix_core.units.checked import Array

DIP = 0.025  # of the torque around it, where the mixture speaks for a stumble [prac]
DEEP_DIP = 0.06  # where nothing else is known; shallower may be the inlet's own tuning [prac]
LOW_END = 0.4  # of the sweep: a stumble belongs to its lower part [prac]
MIXTURE_OFF = 0.025  # lambda, in a dip against the rest of the sweep [prac]
ROUGH = 4.0  # times the usual scatter within a bin, and
ROUGH_SHARE = 0.012  # of the torque, in two bins running: misfire [prac]
SLIP = 0.06  # of the boost, lost within SLIP_RPM while the speed rises: belt slip, or a valve that opens [prac]
SLIP_RPM = 300.0
STUCK_SHARE = 0.4  # of the samples that were used, without any change
STEP_K = 8.0  # between two samples of a temperature [prac]
KNOCK = 0.5  # mean of the knock channel in a bin, which is 0 or 1 on the stands known here
SPIKE_SHOWS = 0.005  # of the peak: a highest reading in the load-in by so much more would be quoted [prac]
TEMPERATURE = "_temperature"
# Channels that never read the same twice while an engine sweeps; others may, with few digits
LIVELY = ("lambda", *BANKS, "manifold_pressure", "air_flow", "fuel_flow", "boost", "exhaust_pressure",
          "turbine_speed")  # fmt: skip


class AnomalyKind(StrEnum):
    STUMBLE = "stumble"
    MISFIRE = "misfire"
    BOOST_LOST = "boost_lost"
    STUCK = "stuck"
    STEPPED = "stepped"
    RPM_JUMP = "rpm_jump"
    KNOCK = "knock"
    LOAD_IN_PEAK = "load_in_peak"
    CLIMBING = "climbing"


@dataclass(frozen=True)
class Anomaly:
    """One oddity between two speeds. `size` is a share of the torque unless the kind says otherwise."""

    kind: AnomalyKind
    low_rpm: float
    high_rpm: float
    size: float = 0.0
    channel: str = ""
    evidence: dict[str, float] = field(default_factory=dict)  # SI


def anomalies(trace: Trace, reduction: Reduction) -> tuple[Anomaly, ...]:
    """What stands out in a reduced pull.

    Shapes: any.
    Units:  rpm; sizes as each kind says; evidence SI.
    Errors: none.
    Source: what an experienced eye looks for [prac]; the limits stand at the head of this module.
    >>> from torvix_core.pull.reduction import Options, reduce_sweep
    >>> time = np.arange(0, 10, 0.02)
    >>> trace = Trace(time, ("rpm", "torque"), np.stack([2000 + 400 * time, 200 + 0 * time]))
    >>> [odd.kind.value for odd in anomalies(trace, reduce_sweep(trace, Options()))]
    ['climbing']
    """
    rows = dict(zip(reduction.names, reduction.means, strict=True))
    sweeps = reduction.cut.sweep_rate_rpm_s > 0
    found: list[Anomaly] = []
    if sweeps and (reduction.torque > 0).all():  # shares of a torque that is none say nothing
        found += _stumbles(reduction, rows.get("lambda"))
        found += _rough(reduction)
        found += _load_in_peak(trace, reduction)
    found += _boost(reduction, rows.get("boost"))
    found += _knock(reduction, rows.get("knock"))
    found += _sensors(trace, reduction)
    last = climb(reduction.speed_rpm, geometry.power(reduction.torque, reduction.speed_rpm)) if sweeps else None
    if last is not None and last.climbs:
        top = float(reduction.speed_rpm[-1])
        found.append(Anomaly(AnomalyKind.CLIMBING, top - 300, top, last.per_100_rpm))
    return tuple(found)


def _runs(where: np.ndarray, least: int = 1) -> list[tuple[int, int]]:
    """Stretches [begin, end) of at least so many."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], where, [False]]))).reshape(-1, 2)
    return [(begin, end) for begin, end in edges[edges[:, 1] - edges[:, 0] >= least].tolist()]


def _stumbles(reduction: Reduction, mixture: Array | None) -> list[Anomaly]:
    """Dips in the lower part of the sweep, against a smooth curve through what does not dip."""
    speed, torque = reduction.speed_rpm, reduction.torque
    if len(speed) < NEXT_BINS + 4:
        return []
    depth = 1 - torque / _undipped(speed, torque)
    low = speed <= speed[0] + LOW_END * (speed[-1] - speed[0])
    found = []
    for begin, end in _runs((depth > DIP / 2) & low, 2):
        deepest = float(depth[begin:end].max())
        evidence: dict[str, float] = {}
        if mixture is not None:
            # Against the mixture at once before and after, since carburetors drift over a whole sweep.
            beside = [*range(max(0, begin - 4), begin), *range(end, min(len(speed), end + 4))]
            if beside:
                evidence = {
                    "lambda": float(mixture[begin:end].mean()), "lambda_around": float(mixture[beside].mean()),
                }  # fmt: skip
        off = abs(evidence["lambda"] - evidence["lambda_around"]) if evidence else 0.0
        if deepest >= (DIP if off >= MIXTURE_OFF else DEEP_DIP):
            found.append(
                Anomaly(AnomalyKind.STUMBLE, float(speed[begin]), float(speed[end - 1]), deepest, "", evidence)
            )
    return found


def _undipped(speed: Array, torque: Array) -> Array:
    """A cubic through the lower two thirds of the curve, in which bins that lie well below it have no say."""
    x = (speed - speed[0]) / (speed[-1] - speed[0])
    used = x <= 2 / 3
    for _ in range(6):
        through = np.polyval(np.polyfit(x[used], torque[used], 3), x)
        dips = torque < through * (1 - DIP / 4)
        rest = (x <= 2 / 3) & ~dips
        if np.count_nonzero(rest) < 6 or (rest == used).all():
            break  # nothing is left, or the same bins give the same curve
        used = rest
    return np.asarray(through)


def _rough(reduction: Reduction) -> list[Anomaly]:
    scatter, torque = reduction.torque_scatter, reduction.torque
    usual = float(np.median(scatter))
    where = (scatter > ROUGH * usual) & (scatter > ROUGH_SHARE * torque)
    return [
        Anomaly(
            AnomalyKind.MISFIRE, float(reduction.speed_rpm[begin]), float(reduction.speed_rpm[end - 1]),
            float((scatter / torque)[begin:end].max()), "", {"usual_scatter": usual},
        )
        for begin, end in _runs(where, 2)
    ]  # fmt: skip


def _load_in_peak(trace: Trace, reduction: Reduction) -> list[Anomaly]:
    """The highest reading of the recording lies in what was cut off its start: a peak that a printout would quote."""
    time, values = usable(trace, reduction.findings)
    before = time < reduction.cut.start_s
    if np.count_nonzero(before) < 5:
        return []
    torque, speed = values[trace.rows[TORQUE]][before], values[trace.rows[SPEED]][before]
    # Three samples together: one alone is noise, and the spike of a load-in lasts longer.
    smooth = np.convolve(torque, np.ones(3) / 3, "valid")
    place = int(smooth.argmax()) + 1
    peak = float(reduction.torque.max() - reduction.inertia_torque.mean())
    if peak <= 0:
        return []  # all of it was inertia: there is no peak that anybody would quote
    over = float(smooth[place - 1]) / peak - 1
    if over <= SPIKE_SHOWS:
        return []
    at = float(speed[place])
    return [Anomaly(AnomalyKind.LOAD_IN_PEAK, at, at, over, "", {"torque": float(smooth[place - 1])})]


def _boost(reduction: Reduction, boost: Array | None) -> list[Anomaly]:
    """Boost that is lost at once, not the droop of a small blower over the whole sweep."""
    if boost is None or len(boost) < 8 or float(boost.max()) < 10_000:
        return []
    bins = max(1, round(SLIP_RPM / max(float(np.median(np.diff(reduction.speed_rpm))), 1.0)))
    change = boost[bins:] / np.maximum(boost[:-bins], 1.0) - 1
    usual = float(np.median(change))
    found = []
    for begin, end in _runs((change < usual - SLIP) & (boost[:-bins] > 10_000)):
        lost = -float(change[begin:end].min())
        found.append(
            Anomaly(
                AnomalyKind.BOOST_LOST,
                float(reduction.speed_rpm[begin]),
                float(reduction.speed_rpm[end - 1 + bins]),
                lost,
                "boost",
                {"boost_before": float(boost[begin]), "boost_after": float(boost[end - 1 + bins])},
            )
        )
    return found


def _knock(reduction: Reduction, knock: Array | None) -> list[Anomaly]:
    """Knock, and whether torque falls where it is heard: then something took the spark back."""
    if knock is None:
        return []
    found = []
    torque = reduction.torque
    for begin, end in _runs(knock > KNOCK):
        evidence = {}
        beside = [*range(max(0, begin - 4), begin), *range(end, min(len(torque), end + 4))]
        if len(beside) >= 4:
            line = np.polyfit(reduction.speed_rpm[beside], torque[beside], 1)
            there = np.polyval(line, reduction.speed_rpm[begin:end])
            evidence = {"torque_lost": float((1 - torque[begin:end] / there).max())}
        found.append(
            Anomaly(
                AnomalyKind.KNOCK, float(reduction.speed_rpm[begin]), float(reduction.speed_rpm[end - 1]),
                float(knock[begin:end].max()), "knock", evidence,
            )
        )  # fmt: skip
    return found


@lru_cache(maxsize=64)
def _looked_at(names: tuple[str, ...]) -> list[int]:
    """Rows of the channels that must not stand still, or not jump."""
    return [row for row, name in enumerate(names) if name in LIVELY or name.endswith(TEMPERATURE)]


def _sensors(trace: Trace, reduction: Reduction) -> list[Anomaly]:
    """Sensors that stand still where they ought to move, temperatures that jump, speed that jumps."""
    used = (trace.time >= reduction.cut.start_s) & (trace.time <= reduction.cut.end_s)
    speed = trace.channel(SPEED)[used]
    if len(speed) < 20:
        return []
    found = []

    def where(begin: int, end: int) -> tuple[float, float]:
        there = speed[begin : end + 1]
        return (float(np.nanmin(there)), float(np.nanmax(there))) if np.isfinite(there).any() else (0.0, 0.0)

    rows = _looked_at(trace.names)
    values = trace.values[rows][:, used]
    every_step = values[:, 1:] - values[:, :-1]
    longest = np.count_nonzero(every_step == 0, axis=1)  # a run of steps without change is no longer than all of them
    with np.errstate(invalid="ignore"):
        jumps = (np.abs(every_step) > STEP_K).any(axis=1)
    for row in np.flatnonzero((longest >= STUCK_SHARE * len(speed) - 1) | jumps):
        name, samples, steps = trace.names[rows[row]], values[row], every_step[row]
        if name in LIVELY:
            for begin, end in _runs(steps == 0, int(STUCK_SHARE * len(samples))):
                found.append(
                    Anomaly(AnomalyKind.STUCK, *where(begin, end), size=(end - begin) / len(samples), channel=name,
                            evidence={"value": float(samples[begin])})
                )  # fmt: skip
        else:
            for jump in np.flatnonzero(np.abs(steps) > STEP_K)[:3]:
                found.append(
                    Anomaly(
                        AnomalyKind.STEPPED, *where(int(jump), int(jump) + 1), size=float(steps[jump]), channel=name
                    )
                )
    for finding in reduction.findings:
        if finding.problem is TraceProblem.RPM_JUMP:
            at = float(np.interp(finding.first_s, trace.time, trace.channel(SPEED)))
            found.append(Anomaly(AnomalyKind.RPM_JUMP, at, at, float(finding.samples), SPEED))
    return found
