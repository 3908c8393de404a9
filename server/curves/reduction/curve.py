"""What is kept of a pull's curve, and its making from the channels of a recording. Asks no database."""

from __future__ import annotations

import logging
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from torvix_core.pull import published_figures_check
from torvix_core.pull.anomalies import Anomaly, anomalies
from torvix_core.pull.reduction import Cut, NotASweep, Options, reduce_sweep
from torvix_core.pull.steps import reduce_steps
from torvix_core.pull.trace import SPEED, TORQUE, Trace, TraceFinding
from torvix_core.units.checked import Array

from shop.refusals import Refusal
from stand.pulls.raw_channels import RawChannels, figures_of, trace_of

log = logging.getLogger("torvix.curves")


@dataclass(frozen=True)
class Curve:
    """What is kept of a pull's curve, or why there is none; lists have a value for each bin."""

    options: Options
    refused: str = ""
    speed_rpm: list[float] = field(default_factory=list)
    torque: list[float] = field(default_factory=list)  # N·m
    torque_scatter: list[float] = field(default_factory=list)
    samples: list[int] = field(default_factory=list)
    means: Mapping[str, list[float]] = field(default_factory=dict)  # SI, by channel
    cut: Cut | None = None
    findings: Sequence[TraceFinding] = ()
    anomalies: Sequence[Anomaly] = ()


@dataclass(frozen=True)
class RecordingKind:
    """How a recording is to be taken. `label` names it where something is wrong."""

    label: str
    options: Options
    is_figures: bool = False  # printed, not sampled
    is_steps: bool = False
    is_check_pass: bool = False


def curve_of_channels(kind: RecordingKind, channels: RawChannels) -> Curve:
    """The curve of a recording, or why it gives none."""
    if kind.is_check_pass:
        return Curve(kind.options, refused="A check pass is too short for a curve: it says go or no go.")
    try:
        if kind.is_figures:
            return curve_of_figures(*figures_of(channels), kind.options)
        return curve_of_trace(trace_of(channels, kind.label), kind.options, steps=kind.is_steps)
    except (NotASweep, ValueError, Refusal) as error:
        return Curve(kind.options, refused=str(error)[:300])
    except Exception as error:
        # Samples of a kind that nobody thought of. They are kept; that no curve comes of them is said, not fatal.
        log.exception("no curve of %s", kind.label)
        reason = f"The curve could not be computed ({type(error).__name__}: {error}). The samples are kept."
        return Curve(kind.options, refused=reason[:300])


def curve_of_trace(trace: Trace, options: Options, steps: bool = False) -> Curve:
    """A reduced trace. NotASweep and ValueError as the core raises them."""
    reduction = reduce_steps(trace, options) if steps else reduce_sweep(trace, options)
    rows = dict(zip(reduction.names, reduction.means, strict=True))
    return Curve(
        options,
        speed_rpm=reduction.speed_rpm.tolist(),
        torque=reduction.torque.tolist(),
        torque_scatter=reduction.torque_scatter.tolist(),
        samples=reduction.samples.tolist(),
        means={name: row.tolist() for name, row in rows.items() if name not in (SPEED, TORQUE)},
        cut=reduction.cut,
        findings=reduction.findings,
        anomalies=anomalies(trace, reduction),
    )


def curve_of_figures(speed_rpm: Array, torque: Array, options: Options) -> Curve:
    """Printed figures: scatter and channels stay unknown, nothing lies beyond the figures."""
    grid, values, between = published_figures_check.to_grid(speed_rpm, torque)
    samples = np.where(between, 0, 1).tolist()
    return Curve(options, speed_rpm=grid.tolist(), torque=values.tolist(), samples=samples)
