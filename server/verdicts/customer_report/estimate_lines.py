"""Estimates that were kept of a test, as a report prints them: apart from what was measured, with their own word."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from torvix_core.units import quantities

from curves.reduction.nature import WORDS, Nature
from programmes.models import Programme
from verdicts.comparison.aligned_pulls import Comparison
from verdicts.curves.service import torque_means
from verdicts.judging.answers import WorkedVerdict


def estimate_lines(programme: Programme) -> list[str]:
    """What was kept, the newest first; each sentence says itself that nobody measured it."""
    return [one.sentence for one in programme.estimates.all()]


def drawn_estimates(programme: Programme, found: WorkedVerdict, units: Mapping[str, str]) -> list[dict[str, Any]]:
    """Inferred parts as torque on the speeds of the chart; None outside what they were drawn for.

    A transferred gain is of another engine and its speeds: it has no place among these.
    """
    compared = found.comparison
    kept = programme.estimates.filter(nature=Nature.INFERRED).select_related("part").prefetch_related("curves")
    drawn = []
    for one in kept:
        places = {setup.pk: place for place, setup in enumerate(compared.setups)}
        curve = next((curve for curve in one.curves.all() if curve.against_id in places), None)
        if curve is None:
            continue
        base = torque_means(compared, found.curves)[places[curve.against_id]]
        torque, low, high = (
            _on(compared, one.speed_rpm, shares, base, units["torque"])
            for shares in (curve.change, curve.low, curve.high)
        )
        label = f"{one.part}, {WORDS[Nature.INFERRED]}"
        drawn.append({"label": label, "nature": one.nature, "torque": torque, "low": low, "high": high})
    return drawn


def _on(compared: Comparison, speed: list[float], shares: list[float], base: Any, unit: str) -> list[float | None]:
    found = np.interp(compared.speed_rpm, speed, shares, left=np.nan, right=np.nan)
    torque = quantities.from_si(base * (1 + found), unit)
    return [None if np.isnan(value) else float(value) for value in torque]
