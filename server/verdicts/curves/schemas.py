"""Curves of the setups over each other: means, pulls, differences to any of them, overlays, and the 100 rpm table."""

from __future__ import annotations

import numpy as np
from torvix_core.engine import geometry
from torvix_core.judging.effects import Effects
from torvix_core.judging.lead_strip import Lead
from torvix_core.judging.sentences import Wording
from torvix_core.pull.curve import Peak
from torvix_core.units import quantities
from torvix_core.units.checked import Array

from curves.pull_log.schemas import PeakOut
from curves.reduction.inspection import FIXED, FOLLOWS, NAMES
from curves.reduction.nature import nature_of
from engines.builds.service import applied_allowance
from programmes.models import Programme
from shop.schema import Schema
from verdicts.comparison.aligned_pulls import Comparison
from verdicts.curves.service import torque_means
from verdicts.judging import service as judging

TEMPERATURES = {
    "oil_temperature": "Oil temperature", "coolant_temperature": "Coolant temperature",
    "inlet_temperature": "Inlet air temperature", "manifold_temperature": "Manifold surface temperature",
}  # fmt: skip


class PullCurve(Schema):
    """`nature`: measured, figures or simulated; each is drawn in its own way, so that none is taken for another."""

    id: int
    number: int
    factor: float
    factor_inside: bool
    nature: str
    torque: list[float]
    power: list[float]


class DifferenceCurve(Schema):
    """To the reference, in the torque unit, with its 95 % interval for all speeds together."""

    value: list[float]
    low: list[float]
    high: list[float]
    state: list[str]


class SetupCurves(Schema):
    """`nature` is how its line is drawn; `made_of` in words, what is not recorded from an engine."""

    setup_id: int
    nature: str
    made_of: str
    torque: list[float]
    power: list[float]
    torque_half_width: list[float] | None
    peak_torque: PeakOut
    peak_power: PeakOut
    runs_longer: bool
    installed_peak_power: float | None
    supported: bool
    difference: DifferenceCurve | None
    pulls: list[PullCurve]


class LeadOut(Schema):
    """The setups that lead, the highest first. Of one alone the gain over the runner-up; of several how they stand to
    each other, and by how much they differ at the most."""

    low_rpm: float
    high_rpm: float
    setup_ids: list[int]
    runner_up_id: int | None
    gain: float
    half_width: float
    state: str
    at_most_percent: float


class CrossoverOut(Schema):
    """Where one setup overtakes another; the torque of both there. No half width where it runs out of what was run."""

    speed_rpm: float
    half_width_rpm: float | None
    torque: float
    before_id: int
    after_id: int


class UnhealthyOut(Schema):
    """Speeds at which a counted pull of a setup was not healthy."""

    setup_id: int
    pull_id: int
    low_rpm: float
    high_rpm: float
    words: str


class AllowanceOut(Schema):
    """What installed accessories are allowed to take at peak power. Never in the curves."""

    power: float
    items: list[str]


class Curves(Schema):
    allowance: AllowanceOut | None
    standard: str
    standard_label: str
    school: str
    counting: str
    torque_unit: str
    power_unit: str
    baseline_id: int
    reference_id: int
    speed_rpm: list[float]
    setups: list[SetupCurves]
    leads: list[LeadOut]
    crossovers: list[CrossoverOut]
    unhealthy: list[UnhealthyOut]
    sentences: list[str]
    notes: list[str]


class OverlayOut(Schema):
    """Means of one further quantity: by setup, in its unit; null where a pull lacks it."""

    key: str
    name: str
    unit: str
    setups: dict[int, list[float | None]]


class Overlays(Schema):
    speed_rpm: list[float]
    overlays: list[OverlayOut]


def wording_out(comparison: Comparison, unit: str) -> Wording:
    return Wording(tuple(setup.letter for setup in comparison.setups), unit, quantities.to_si_rule(unit).scale)


def _peak(top: Peak, unit: str) -> PeakOut:
    return PeakOut(
        value=float(quantities.from_si(top.value, unit)), speed_rpm=top.speed_rpm, still_climbing=top.still_climbing
    )


def _difference(
    effects: Effects | None, index: int, reference: int, smallest: float, unit: str
) -> DifferenceCurve | None:
    if effects is None or index == reference or not effects.linked(index, reference):
        return None
    found, base = effects.difference(index, reference), effects.mean[reference]

    def shown(share: Array) -> list[float]:
        values: list[float] = quantities.from_si(share * base, unit).tolist()
        return values

    return DifferenceCurve(
        value=shown(found.change), low=shown(found.low), high=shown(found.high), state=found.states(smallest).tolist()
    )


def setup_curves_out(
    comparison: Comparison, effects: Effects | None, index: int, reference: int, units: dict[str, str]
) -> SetupCurves:  # fmt: skip
    torque_unit, power_unit = units["torque"], units["power"]
    torque = torque_means(comparison, effects)[index]
    top, strongest, longer = judging.peaks(comparison, index, torque)
    half = None
    if effects is not None:
        half = quantities.from_si(effects.own_half_widths[index] * torque, torque_unit).tolist()
    allowance = applied_allowance(comparison.programme.build)
    pulls = [
        PullCurve(
            id=found.pull.pk, number=found.pull.number, factor=found.factor, factor_inside=found.inside,
            nature=nature_of(found.pull),
            torque=quantities.from_si(comparison.torque[row], torque_unit).tolist(),
            power=quantities.from_si(comparison.power[row], power_unit).tolist(),
        )
        for row, found in enumerate(comparison.kept)
        if comparison.setup_of[row] == index
    ]  # fmt: skip
    return SetupCurves(
        setup_id=comparison.setups[index].pk,
        nature=comparison.nature_of(index),
        made_of=comparison.made_of(index),
        torque=quantities.from_si(torque, torque_unit).tolist(),
        power=quantities.from_si(geometry.power(torque, comparison.speed_rpm), power_unit).tolist(),
        torque_half_width=half,
        peak_torque=_peak(top, torque_unit),
        peak_power=_peak(strongest, power_unit),
        runs_longer=longer,
        installed_peak_power=(
            None if allowance is None else float(quantities.from_si(strongest.value - allowance, power_unit))
        ),
        supported=effects is None or effects.linked(index, comparison.baseline),
        difference=_difference(effects, index, reference, comparison.programme.smallest_difference, torque_unit),
        pulls=pulls,
    )


def lead_out(comparison: Comparison, lead: Lead, unit: str) -> LeadOut:
    setups = comparison.setups
    return LeadOut(
        low_rpm=lead.low_rpm, high_rpm=lead.high_rpm, setup_ids=[setups[leader].pk for leader in lead.leaders],
        runner_up_id=None if lead.runner_up is None else setups[lead.runner_up].pk, state=lead.state,
        at_most_percent=lead.at_most * 100,
        gain=float(quantities.difference_from_si(lead.gain, unit)),
        half_width=float(quantities.difference_from_si(lead.half_width, unit)),
    )  # fmt: skip


def allowance_out(programme: Programme, unit: str) -> AllowanceOut | None:
    power = applied_allowance(programme.build)
    if power is None:
        return None
    applied = [row for row in programme.build.installation.all() if row.applied]
    items = [f"{row.get_item_display()}: {row.installed or 'as installed'}" for row in applied]
    return AllowanceOut(power=float(quantities.from_si(power, unit)), items=items)


def overlay_out(name: str, setups: dict[int, list[Array]], units: dict[str, str]) -> OverlayOut:
    unit = units["temperature"] if name in TEMPERATURES else units[FOLLOWS[name]] if name in FOLLOWS else FIXED[name]
    shown = {}
    for setup, curves in setups.items():
        values = quantities.from_si(np.mean(curves, axis=0), unit)
        shown[setup] = [float(value) if np.isfinite(value) else None for value in values]
    return OverlayOut(key=name, name=TEMPERATURES.get(name) or NAMES[name], unit=unit, setups=shown)
