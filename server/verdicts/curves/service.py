"""Curves of the setups over each other: means, pulls, differences to any of them, overlays, and the 100 rpm table."""

from __future__ import annotations

import numpy as np
from torvix_core.air.standards import DEFINITIONS
from torvix_core.engine import geometry
from torvix_core.judging.effects import Effects
from torvix_core.units import quantities
from torvix_core.units.checked import Array

from curves.files.write import TableSheet
from verdicts.comparison.aligned_pulls import Comparison


def torque_means(comparison: Comparison, effects: Effects | None) -> Array:
    """The torque curve that stands for each setup (setups, bins), N·m: brought to the middle of the day."""
    return comparison.means(comparison.torque) if effects is None else effects.mean


def setups_table(comparison: Comparison, effects: Effects | None, units: dict[str, str]) -> TableSheet:
    """A row for each 100 rpm, torque and power of each setup, and its difference to the baseline with the interval."""
    torque_unit, base = units["torque"], comparison.baseline
    torque = torque_means(comparison, effects)
    heads, columns = ["rpm"], [comparison.speed_rpm]
    for index, setup in enumerate(comparison.setups):
        power = geometry.power(torque[index], comparison.speed_rpm)
        heads += [f"{setup.letter} torque [{torque_unit}]", f"{setup.letter} power [{units['power']}]"]
        columns += [quantities.from_si(torque[index], torque_unit), quantities.from_si(power, units["power"])]
        if effects is not None and index != base and effects.linked(index, base):
            found, letter = effects.difference(index, base), comparison.setups[base].letter
            heads += [f"{setup.letter} to {letter} [{torque_unit}]", f"{setup.letter} to {letter} ± [{torque_unit}]"]
            columns += [quantities.from_si(share * effects.mean[base], torque_unit)
                        for share in (found.change, found.half_width)]  # fmt: skip
    about = [
        comparison.programme.question, f"Standard: {DEFINITIONS[comparison.standard].label}.",
        *(f"{setup.letter}: {setup.name}" for setup in comparison.setups), *comparison.notes,
    ]  # fmt: skip
    return TableSheet("Setups", about, heads, np.column_stack(columns).tolist())
