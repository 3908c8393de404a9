"""Gains by speed as they are drawn: measured ones, and those that nobody measured."""

from __future__ import annotations

from ninja import Schema
from torvix_core.units.checked import Array

from curves.reduction.nature import Nature
from verdicts.estimates.gains import GainCurve


class GainOut(Schema):
    """A curve of a gain; `nature` as its pulls have it, or inferred or transferred. `setup_id` of this test, if any."""

    nature: str
    label: str
    setup_id: int | None
    speed_rpm: list[float]
    percent: list[float]
    low_percent: list[float]
    high_percent: list[float]


def gain_out(label: str, gain: GainCurve, setup_id: int | None = None) -> GainOut:
    drawn = estimated_out(gain.nature, label, gain.speed_rpm, gain.change, gain.low, gain.high)
    return drawn.model_copy(update={"setup_id": setup_id})


def estimated_out(nature: Nature, label: str, speed_rpm: Array, change: Array, low: Array, high: Array) -> GainOut:
    percent, low_percent, high_percent = ((each * 100).tolist() for each in (change, low, high))
    return GainOut(
        nature=nature, label=label, setup_id=None, speed_rpm=speed_rpm.tolist(), percent=percent,
        low_percent=low_percent, high_percent=high_percent,
    )  # fmt: skip
