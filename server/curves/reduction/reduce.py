"""From a pull's raw samples to its curve, made once and stored with the options and the version that made it."""

from __future__ import annotations

import logging
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from typing import Any

import numpy as np
from django.db import DatabaseError, transaction
from torvix_core import VERSION
from torvix_core.pull import published_figures_check
from torvix_core.pull.anomalies import Anomaly, anomalies
from torvix_core.pull.reduction import Cut, NotASweep, Options, StandInertia, reduce_sweep
from torvix_core.pull.steps import reduce_steps
from torvix_core.pull.trace import SPEED, TORQUE, Trace, TraceFinding
from torvix_core.units.checked import Array

from curves.models import ChannelMean, CurveAnomaly, Reduced, SampleFinding
from curves.reduction.nature import OF_FIGURES
from shop.bulk_rows import copy_rows, next_keys
from shop.refusals import Refusal
from stand.models import Pull, PullState, Purpose
from stand.pulls.samples import figures_of, read_raw, read_trace

log = logging.getLogger("torvix.curves")


def options_for(pull: Pull) -> Options:
    """As the stand's facts and the newest wish of a person say; defaults for the rest."""
    usual = Options(stand_inertia=StandInertia(pull.inertia_in_torque), inertia=pull.inertia)
    wishes = list(pull.reduction_overrides.all())
    if not wishes:
        return usual
    wanted = dict(wishes[-1].options)
    if "stand_inertia" in wanted:
        wanted["stand_inertia"] = StandInertia(wanted["stand_inertia"])
    return replace(usual, **wanted)


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


def reduce_pull(pull: Pull) -> Reduced | None:
    """Make (or make again) the curve of a complete pull. None for a pull that never completed."""
    if pull.state != PullState.COMPLETE:
        return None
    (reduced,) = store([(pull, curve_of(pull))])
    return reduced


def curve_of(pull: Pull) -> Curve:
    """The curve of a complete pull from its samples; nothing is written."""
    options = options_for(pull)
    if pull.purpose == Purpose.CHECK:
        return Curve(options, refused="A check pass is too short for a curve: it says go or no go.")
    try:
        if pull.origin in OF_FIGURES:
            return curve_of_figures(*figures_of(read_raw(pull)), options)
        return curve_of_trace(read_trace(pull), options, steps=pull.purpose == Purpose.STEPS)
    except (NotASweep, ValueError, Refusal) as error:
        return Curve(options, refused=str(error)[:300])
    except DatabaseError:
        raise
    except Exception as error:
        # Samples of a kind that nobody thought of. They are kept; that no curve comes of them is said, not fatal.
        log.exception("no curve of %s", pull)
        reason = f"The curve could not be computed ({type(error).__name__}: {error}). The samples are kept."
        return Curve(options, refused=reason[:300])


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


@transaction.atomic
def store(curves: Sequence[tuple[Pull, Curve]]) -> list[Reduced]:
    """Keep curves in place of those that the pulls had, with the options and the version that made them."""
    pulls = [pull.pk for pull, _ in curves]
    # Whoever else makes one of them anew waits: the second finds the curve of the first, and takes its place.
    list(Pull.objects.select_for_update().filter(pk__in=pulls).order_by("pk").values_list("pk", flat=True))
    Reduced.objects.filter(pull__in=pulls).delete()
    keys = next_keys(Reduced, len(curves))
    made = [
        Reduced(
            pk=key, pull=pull, core_version=VERSION, options=asdict(curve.options), refused=curve.refused,
            speed_rpm=curve.speed_rpm, torque=curve.torque, torque_scatter=curve.torque_scatter,
            samples=curve.samples, **_cut_columns(curve.cut),
        )
        for key, (pull, curve) in zip(keys, curves, strict=True)
    ]  # fmt: skip
    columns = [field.attname for field in Reduced._meta.concrete_fields]
    copy_rows(Reduced, columns, ([getattr(one, name) for name in columns] for one in made))
    for one in made:
        one._state.adding = False  # it is in the database, as if it had been saved
    pairs = [(reduced, curve) for reduced, (_, curve) in zip(made, curves, strict=True)]
    copy_rows(
        ChannelMean,
        ("reduced", "channel", "values"),
        ((reduced.pk, name, values) for reduced, curve in pairs for name, values in curve.means.items()),
    )
    SampleFinding.objects.bulk_create(
        SampleFinding(reduced=reduced, **asdict(finding)) for reduced, curve in pairs for finding in curve.findings
    )
    CurveAnomaly.objects.bulk_create(
        CurveAnomaly(reduced=reduced, **asdict(odd)) for reduced, curve in pairs for odd in curve.anomalies
    )
    return made


def _cut_columns(cut: Cut | None) -> dict[str, Any]:
    if cut is None:
        return {}
    return {
        "cut_start_s": cut.start_s, "cut_end_s": cut.end_s, "cut_start_rpm": cut.start_rpm,
        "cut_end_rpm": cut.end_rpm, "sweep_rate_rpm_s": cut.sweep_rate_rpm_s, "cut_start_by": cut.start_by,
        "cut_end_by": cut.end_by,
    }  # fmt: skip
