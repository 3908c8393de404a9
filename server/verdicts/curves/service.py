"""Curves of the setups over each other: means, pulls, differences to any of them, overlays, and the 100 rpm table."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from torvix_core.air.standards import DEFINITIONS
from torvix_core.engine import geometry
from torvix_core.judging.effects import Effects
from torvix_core.judging.lead_strip import Lead
from torvix_core.units import quantities
from torvix_core.units.checked import Array

from curves.files.write import TableSheet
from curves.reduction.nature import head_of
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
        name = head_of(setup.letter, comparison.nature_of(index))
        heads += [f"{name} torque [{torque_unit}]", f"{name} power [{units['power']}]"]
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


def drawn_curves(
    comparison: Comparison, effects: Effects | None, leads: Sequence[Lead], units: Mapping[str, str]
) -> dict[str, Any]:
    """What a chart of the setups is drawn from, in a person's units; a report keeps it as it is."""
    torque = torque_means(comparison, effects)

    def half(index: int) -> list[float]:
        if effects is None:
            return []
        values: list[float] = quantities.from_si(
            effects.own_half_widths[index] * torque[index], units["torque"]
        ).tolist()
        return values

    return {
        "speed_rpm": comparison.speed_rpm.tolist(), "torque_unit": units["torque"], "power_unit": units["power"],
        "setups": [
            {"position": setup.position, "nature": str(comparison.nature_of(index)),
             "torque": quantities.from_si(torque[index], units["torque"]).tolist(),
             "power": quantities.from_si(comparison.power_of(torque[index]), units["power"]).tolist(),
             "half_width": half(index)}
            for index, setup in enumerate(comparison.setups)
        ],
        "leads": [
            {"low_rpm": lead.low_rpm, "high_rpm": lead.high_rpm,
             "positions": [comparison.setups[leader].position for leader in lead.leaders], "state": str(lead.state),
             "gain": float(quantities.difference_from_si(lead.gain, units["torque"])),
             "half_width": float(quantities.difference_from_si(lead.half_width, units["torque"]))}
            for lead in leads
        ],
    }  # fmt: skip
