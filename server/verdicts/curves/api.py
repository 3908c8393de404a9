"""Curves of the setups over each other: means, pulls, differences to any of them, overlays, and the 100 rpm table."""

from __future__ import annotations

import numpy as np
from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema
from torvix_core.air.standards import DEFINITIONS
from torvix_core.engine import geometry
from torvix_core.judging import representative_pull, sentences
from torvix_core.judging.effects import Effects
from torvix_core.judging.lead_strip import WASH, Lead
from torvix_core.judging.sentences import Wording
from torvix_core.pull.curve import Peak, shared_grid
from torvix_core.units import quantities
from torvix_core.units.checked import Array

from curves.archive import exports
from curves.files.write import TableSheet, sheet_csv, sheet_xlsx
from curves.models import Reduced
from curves.pull_log.api import PeakOut, standard_asked
from curves.reduction.inspection import FIXED, FOLLOWS, NAMES, derived_curves, engine_of
from curves.reduction.nature import nature_of
from engines.builds.service import applied_allowance
from programmes.models import Programme
from shop.permissions import is_person, units_of
from shop.refusals import Invalid
from verdicts.access import programme_of
from verdicts.comparison import aligned_pulls as comparisons
from verdicts.comparison.aligned_pulls import Comparison
from verdicts.judging import service as judging

router = Router(tags=["curves of setups"])
TEMPERATURES = {
    "oil_temperature": "Oil temperature", "coolant_temperature": "Coolant temperature",
    "inlet_temperature": "Inlet air temperature", "manifold_temperature": "Manifold temperature",
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
    """To the reference, in the torque unit, with its 95 % interval for all setups and speeds together."""

    value: list[float]
    low: list[float]
    high: list[float]
    wash: list[bool]


class SetupCurves(Schema):
    """`made_of`: in words, what is not recorded from an engine."""

    setup_id: int
    made_of: str
    torque: list[float]
    power: list[float]
    torque_half_width: list[float] | None
    peak_torque: PeakOut
    peak_power: PeakOut
    peak_beyond: bool
    installed_peak_power: float | None
    supported: bool
    difference: DifferenceCurve | None
    pulls: list[PullCurve]


class LeadOut(Schema):
    """`setup_id` is null where the leaders are a wash."""

    low_rpm: float
    high_rpm: float
    setup_id: int | None
    runner_up_id: int | None
    gain: float
    half_width: float


class CrossoverOut(Schema):
    """Where the lead passes on; the torque of both there. No half width where it runs out of what was run."""

    speed_rpm: float
    half_width_rpm: float | None
    torque: float
    before_id: int
    after_id: int


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


def _wording(comparison: Comparison, unit: str) -> Wording:
    return Wording(tuple(setup.letter for setup in comparison.setups), unit, quantities.to_si_rule(unit).scale)


def torque_means(comparison: Comparison, effects: Effects | None) -> Array:
    """The torque curve that stands for each setup (setups, bins), N·m: brought to the middle of the day."""
    return comparison.means(comparison.torque) if effects is None else effects.mean


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
        value=shown(found.change), low=shown(found.low), high=shown(found.high), wash=found.is_wash(smallest).tolist()
    )


def _setup_curves(
    comparison: Comparison, effects: Effects | None, index: int, reference: int, units: dict[str, str]
) -> SetupCurves:  # fmt: skip
    torque_unit, power_unit = units["torque"], units["power"]
    torque = torque_means(comparison, effects)[index]
    top, strongest, beyond = judging.peaks(comparison, index, torque)
    half = None
    if effects is not None:
        half = quantities.from_si(effects.own_half_width(index) * torque, torque_unit).tolist()
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
        made_of=comparison.made_of(index),
        torque=quantities.from_si(torque, torque_unit).tolist(),
        power=quantities.from_si(geometry.power(torque, comparison.speed_rpm), power_unit).tolist(),
        torque_half_width=half,
        peak_torque=_peak(top, torque_unit),
        peak_power=_peak(strongest, power_unit),
        peak_beyond=beyond,
        installed_peak_power=(
            None if allowance is None else float(quantities.from_si(strongest.value - allowance, power_unit))
        ),
        supported=effects is None or effects.linked(index, comparison.baseline),
        difference=_difference(effects, index, reference, comparison.programme.smallest_difference, torque_unit),
        pulls=pulls,
    )


def _lead(comparison: Comparison, lead: Lead, unit: str) -> LeadOut:
    def named(index: int) -> int | None:
        return None if index == WASH else comparison.setups[index].pk

    return LeadOut(
        low_rpm=lead.low_rpm, high_rpm=lead.high_rpm, setup_id=named(lead.leader), runner_up_id=named(lead.runner_up),
        gain=float(quantities.difference_from_si(lead.gain, unit)),
        half_width=float(quantities.difference_from_si(lead.half_width, unit)),
    )  # fmt: skip


def _allowance(programme: Programme, unit: str) -> AllowanceOut | None:
    power = applied_allowance(programme.build)
    if power is None:
        return None
    applied = [row for row in programme.build.installation.all() if row.applied]
    items = [f"{row.get_item_display()}: {row.installed or 'as installed'}" for row in applied]
    return AllowanceOut(power=float(quantities.from_si(power, unit)), items=items)


@router.get("/programmes/{programme_id}/curves", response=Curves, operation_id="curves")
def read_curves(
    request: HttpRequest, programme_id: int, standard: str = "", school: str = "", reference: int = 0,
    counting: str = "",
):  # fmt: skip
    """Every setup's curve, and its difference to one of them: the baseline unless another is asked for."""
    assert is_person(request.user)
    programme = programme_of(request.user, programme_id)
    chosen, units = standard_asked(programme, standard), units_of(request.user)
    comparison = comparisons.compare(programme, chosen, judging.counting_of(counting))
    wanted = judging.school_of(school)
    effects = comparison.curves(wanted)
    against = comparison.baseline
    if reference:
        places = [place for place, setup in enumerate(comparison.setups) if setup.pk == reference]
        if not places:
            raise Invalid("There is nothing to hold the curves against.", fields={"reference": "has no kept pull"})
        against = places[0]
    leads, crossovers = comparisons.strip(comparison, effects)
    torque, unit = torque_means(comparison, effects), units["torque"]

    def torque_at(speed_rpm: float, setup: int) -> float:
        return float(quantities.from_si(np.interp(speed_rpm, comparison.speed_rpm, torque[setup]), unit))

    notes = list(comparison.notes)
    if effects is None:
        notes.insert(
            0, "No intervals: no setup has two accepted pulls, so the scatter is not known: repeat one of them."
        )
    elif wanted is not representative_pull.School.MEAN:
        notes.insert(0, f"{representative_pull.LABELS[wanted]} of each setup.")
    if comparison.counting is comparisons.Counting.FIRST:
        notes.insert(0, "First pulls after a change alone: they read high, and compare only among themselves.")
    return Curves(
        allowance=_allowance(programme, units["power"]), standard=chosen, standard_label=DEFINITIONS[chosen].label,
        school=wanted, counting=comparison.counting, torque_unit=unit, power_unit=units["power"],
        baseline_id=comparison.setups[comparison.baseline].pk, reference_id=comparison.setups[against].pk,
        speed_rpm=comparison.speed_rpm.tolist(),
        setups=[_setup_curves(comparison, effects, at, against, units) for at in range(len(comparison.setups))],
        leads=[_lead(comparison, lead, unit) for lead in leads],
        crossovers=[
            CrossoverOut(
                speed_rpm=cross.speed_rpm, half_width_rpm=cross.half_width_rpm,
                torque=torque_at(cross.speed_rpm, cross.before),
                before_id=comparison.setups[cross.before].pk, after_id=comparison.setups[cross.after].pk,
            )
            for cross in crossovers
        ],
        sentences=[told for told in [sentences.strip_sentence(leads, _wording(comparison, unit))] if told],
        notes=notes,
    )  # fmt: skip


@router.get("/programmes/{programme_id}/overlays", response=Overlays, operation_id="overlays")
def read_overlays(request: HttpRequest, programme_id: int, standard: str = "", counting: str = ""):
    """Mixture, boost, filling, consumption and temperatures of each setup, as the mean of its kept pulls."""
    assert is_person(request.user)
    programme, units = programme_of(request.user, programme_id), units_of(request.user)
    comparison = comparisons.compare(programme, standard_asked(programme, standard), judging.counting_of(counting))
    engines = {build.pk: engine_of(build) for build in {one.pull.build for one in comparison.kept}}
    grid, found = comparison.speed_rpm, dict[str, dict[int, list[Array]]]()
    for one in comparison.kept:
        reduced: Reduced = one.pull.reduced
        speed = np.array(reduced.speed_rpm)
        told = {
            name: values
            for name, values in derived_curves(one.pull, engines[one.pull.build_id]).items()
            if name != "power"
        }
        told |= {
            name: np.array(reduced.means[name], dtype=np.float64) for name in TEMPERATURES if name in reduced.means
        }
        for name, values in told.items():
            on_grid = shared_grid([speed, grid], [values, np.zeros(len(grid))])[1][0]
            found.setdefault(name, {}).setdefault(one.pull.setup_id, []).append(on_grid)
    return Overlays(speed_rpm=grid.tolist(), overlays=[_overlay(name, each, units) for name, each in found.items()])


def _overlay(name: str, setups: dict[int, list[Array]], units: dict[str, str]) -> OverlayOut:
    unit = units["temperature"] if name in TEMPERATURES else units[FOLLOWS[name]] if name in FOLLOWS else FIXED[name]
    shown = {}
    for setup, curves in setups.items():
        values = quantities.from_si(np.mean(curves, axis=0), unit)
        shown[setup] = [float(value) if np.isfinite(value) else None for value in values]
    return OverlayOut(key=name, name=TEMPERATURES.get(name) or NAMES[name], unit=unit, setups=shown)


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


@router.get("/programmes/{programme_id}/setups.{kind}", operation_id="setups_file", response={200: None})
def setups_file(
    request: HttpRequest, programme_id: int, kind: str, standard: str = "", school: str = "", counting: str = ""
):  # fmt: skip
    """The table of the setups' curves as CSV or XLSX."""
    assert is_person(request.user)
    programme = programme_of(request.user, programme_id)
    if kind not in exports.SHEET_TYPES:
        raise Invalid("There is no such kind of file.", fields={"kind": f"one of {', '.join(exports.SHEET_TYPES)}"})
    comparison = comparisons.compare(programme, standard_asked(programme, standard), judging.counting_of(counting))
    sheet = setups_table(comparison, comparison.curves(judging.school_of(school)), units_of(request.user))
    answer = HttpResponse(
        sheet_csv(sheet) if kind == "csv" else sheet_xlsx(sheet), content_type=exports.SHEET_TYPES[kind]
    )
    name = exports.file_name(programme.question, "setups", comparison.standard)
    answer["Content-Disposition"] = f'attachment; filename="{name}.{kind}"'
    answer["Cache-Control"] = "private, no-store"
    return answer
