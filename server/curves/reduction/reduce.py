"""From a pull's raw samples to its curve, made once and stored with the options and the version that made it."""

from __future__ import annotations

import logging
from dataclasses import asdict, replace
from typing import Any

import numpy as np
from django.db import DatabaseError
from torvix_core import VERSION
from torvix_core.pull import published_figures_check
from torvix_core.pull.anomalies import anomalies
from torvix_core.pull.reduction import NotASweep, Options, StandInertia, reduce_sweep
from torvix_core.pull.steps import reduce_steps
from torvix_core.pull.trace import SPEED, TORQUE, Trace
from torvix_core.units.checked import Array

from curves.models import Reduced, ReductionOverride
from curves.reduction.nature import OF_FIGURES
from shop.refusals import Refusal
from stand.models import Pull, PullState, Purpose
from stand.pulls.samples import figures_of, read_raw, read_trace

log = logging.getLogger("torvix.curves")


def options_for(pull: Pull) -> Options:
    """As the stand's facts and the newest wish of a person say; defaults for the rest."""
    usual = Options(stand_inertia=StandInertia(pull.inertia_in_torque), inertia=pull.inertia)
    wish: ReductionOverride | None = pull.reduction_overrides.last()
    if wish is None:
        return usual
    wanted = dict(wish.options)
    if "stand_inertia" in wanted:
        wanted["stand_inertia"] = StandInertia(wanted["stand_inertia"])
    return replace(usual, **wanted)


def reduce_pull(pull: Pull) -> Reduced | None:
    """Make (or make again) the curve of a complete pull. None for a pull that never completed."""
    if pull.state != PullState.COMPLETE:
        return None
    reduced, _ = Reduced.objects.update_or_create(pull=pull, defaults=reduced_fields(pull))
    return reduced


def reduced_fields(pull: Pull) -> dict[str, Any]:
    """What is kept of a complete pull's curve, or why there is none; nothing is written."""
    options = options_for(pull)
    try:
        fields = (
            fields_of_figures(*figures_of(read_raw(pull)))
            if pull.origin in OF_FIGURES
            else fields_of_trace(read_trace(pull), options, steps=pull.purpose == Purpose.STEPS)
        )
    except (NotASweep, ValueError, Refusal) as error:
        fields = {"refused": str(error)[:300], **{name: kind() for name, kind in EMPTY.items()}}
    except DatabaseError:
        raise
    except Exception as error:
        # Samples of a kind that nobody thought of. They are kept; that no curve comes of them is said, not fatal.
        log.exception("no curve of %s", pull)
        reason = f"The curve could not be computed ({type(error).__name__}: {error}). The samples are kept."
        fields = {"refused": reason[:300], **{name: kind() for name, kind in EMPTY.items()}}
    return fields | {"core_version": VERSION, "options": asdict(options)}


EMPTY: dict[str, type] = {
    "speed_rpm": list, "torque": list, "torque_scatter": list, "samples": list, "means": dict, "cut": dict,
    "findings": list, "anomalies": list,
}  # fmt: skip


def fields_of_trace(trace: Trace, options: Options, steps: bool = False) -> dict[str, Any]:
    """What is kept of a reduced trace. NotASweep and ValueError as the core raises them."""
    reduction = reduce_steps(trace, options) if steps else reduce_sweep(trace, options)
    rows = dict(zip(reduction.names, reduction.means, strict=True))
    return {
        "refused": "",
        "speed_rpm": reduction.speed_rpm.tolist(),
        "torque": reduction.torque.tolist(),
        "torque_scatter": reduction.torque_scatter.tolist(),
        "samples": reduction.samples.tolist(),
        "means": {name: row.tolist() for name, row in rows.items() if name not in (SPEED, TORQUE)},
        "cut": asdict(reduction.cut),
        "findings": [asdict(finding) for finding in reduction.findings],
        "anomalies": [asdict(odd) for odd in anomalies(trace, reduction)],
    }


def fields_of_figures(speed_rpm: Array, torque: Array) -> dict[str, Any]:
    """What is kept of printed figures: scatter and channels stay unknown, nothing lies beyond the figures."""
    grid, values, between = published_figures_check.to_grid(speed_rpm, torque)
    return {
        "refused": "", "speed_rpm": grid.tolist(), "torque": values.tolist(), "torque_scatter": [],
        "samples": np.where(between, 0, 1).tolist(), "means": {}, "cut": {}, "findings": [], "anomalies": [],
    }  # fmt: skip
