"""Channels as a stand sends them, or a file holds them, in the terms of the computation. Asks no database."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray
from torvix_core.pull import published_figures_check
from torvix_core.pull.trace import SPEED, TORQUE, Trace
from torvix_core.units import quantities

from shop.refusals import Refusal

TIME = "time"
Array = NDArray[np.float64]
RawChannels = Mapping[str, tuple[str, Array]]  # unit and samples by name


class NoSamples(Refusal):
    """The pull ended before the stand sent a sample."""

    code = "no_samples"


def trace_of(channels: RawChannels, of: str = "It") -> Trace:
    """Channels, `time` among them, as a trace in SI from the first sample on; units we do not know are not in it.
    NoSamples says so of `of`."""
    if TIME not in channels:
        raise NoSamples(f"{of} holds no samples: it ended before the stand sent any.")
    time = channels[TIME][1]
    known = {name: given for name, given in channels.items() if name != TIME and is_known(given[0])}
    values = np.empty((len(known), len(time)))
    for row, (unit, samples) in zip(values, known.values(), strict=True):
        rule = quantities.to_si_rule(unit)
        np.multiply(samples, rule.scale, out=row)
        row += rule.offset
    return Trace(time - time[0], tuple(known), values)


def figures_of(channels: RawChannels) -> tuple[Array, Array]:
    """Speed in rpm and torque in N·m of printed figures, the rows that have one; torque from power where it lacks."""
    wanted = (SPEED, TORQUE, "power")
    raw = {name: quantities.to_si(channels[name][1], channels[name][0]) for name in wanted if name in channels}
    speed = raw[SPEED]
    nothing = np.full(len(speed), np.nan)
    torque = published_figures_check.torque_of(speed, raw.get(TORQUE, nothing), raw.get("power", nothing))
    there = np.isfinite(torque)
    return speed[there], torque[there]


def is_known(unit: str) -> bool:
    return quantities.SPELLINGS.get(unit, unit) in quantities.UNITS
