"""The inspector: one pull raw and reduced, and how it is to be reduced."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

import numpy as np
from torvix_core import VERSION
from torvix_core.air.standards import DEFINITIONS, Standard
from torvix_core.pull.reduction import StandInertia
from torvix_core.units import quantities

from curves.intake.filing import standard_words
from curves.models import PrintedSheet, Reduced
from curves.reduction import correct, inspection, messages, nature, not_repaired
from shop.refusals import Refusal
from shop.schema import Schema
from stand.instruments import service as instruments
from stand.live.display import FIXED, FOLLOWS, channel_name
from stand.models import Note, Pull
from stand.weather import service as weather


class SeriesOut(Schema):
    """Samples over time or bins over speed; null where nothing was read."""

    key: str
    name: str
    unit: str
    values: list[float | None]


class RawOut(Schema):
    time_s: list[float]
    series: list[SeriesOut]
    thinned: bool


class CutOut(Schema):
    """Times from the first sample."""

    start_s: float
    end_s: float
    start_rpm: float
    end_rpm: float
    rate_rpm_s: float
    start_why: str
    end_why: str


class AirOfPull(Schema):
    barometer: float
    barometer_unit: str
    temperature: float
    temperature_unit: str
    humidity_percent: float
    from_log: bool


class FactOut(Schema):
    label: str
    text: str


class NoteLine(Schema):
    """`rpm` is where in the pull it was marked, with `label` for what was noticed."""

    at: datetime
    by: str
    label: str
    text: str
    rpm: float | None


class ReduceIn(Schema):
    """Empty fields leave it to the defaults; all empty goes back to them."""

    cut_start_s: float | None = None
    cut_end_s: float | None = None
    stand_inertia: str | None = None
    inertia: float | None = None
    smooth_bins: int | None = None


class InspectionOut(Schema):
    """`nature` is how the curve is drawn; `no_curve` says why there is none.

    Without samples, `figures` says what the printed figures are. `not_repaired` is what the factor cannot make up for.
    """

    pull_id: int
    number: int
    setup_id: int
    state: str
    nature: str
    has_samples: bool
    figures: str
    no_curve: str
    torque_unit: str
    power_unit: str
    speed_rpm: list[float]
    observed: list[float]
    corrected: list[float]
    power: list[float]
    scatter: list[float]
    samples: list[int]
    standard: str
    standard_label: str
    factor: float | None
    factor_why: str
    not_repaired: list[str]
    cut: CutOut | None
    air: AirOfPull | None
    channels: list[SeriesOut]
    derived: list[SeriesOut]
    findings: list[str]
    anomalies: list[str]
    marks: list[list[float]]
    provenance: list[FactOut]
    printed_sheet_id: int | None  # the picture that typed figures were read off
    notes: list[NoteLine]
    by_hand: bool
    wish: ReduceIn
    stand_inertia: str
    inertia: float
    inertia_unit: str


def listed_out(values: Any) -> list[float | None]:
    return [float(value) if np.isfinite(value) else None for value in values]


def unit_out(channel: str, units: Mapping[str, str]) -> str:
    return units[FOLLOWS[channel]] if channel in FOLLOWS else FIXED.get(channel, "")


def inspection_out(pull: Pull, standard: Standard, units: Mapping[str, str]) -> InspectionOut:
    weather.give_air([pull])
    reduced: Reduced | None = getattr(pull, "reduced", None)
    curve = reduced if reduced and reduced.speed_rpm else None
    no_curve = "" if curve else (reduced.refused if reduced else "It did not complete.")
    factor, why = None, ""
    corrected: list[float] = []
    power: list[float] = []
    torque_unit, power_unit = units["torque"], units["power"]
    if curve:
        try:
            found = correct.corrected(pull, standard)
            factor, corrected = found.factor, quantities.from_si(found.torque, torque_unit).tolist()
            power = quantities.from_si(found.power, power_unit).tolist()
            why = "" if found.inside else "The air lies outside the range that the standard vouches for."
        except Refusal as refusal:
            why = str(refusal)
    options = reduced.options if reduced else {}
    wish = pull.reduction_overrides.last()
    return InspectionOut(
        pull_id=pull.pk, number=pull.number, setup_id=pull.setup_id, state=pull.state,
        nature=nature.nature_of(pull), has_samples=pull.origin not in nature.OF_FIGURES,
        figures=standard_words(pull.figures_standard) if pull.figures_standard else "",
        no_curve=no_curve, torque_unit=torque_unit, power_unit=power_unit,
        speed_rpm=curve.speed_rpm if curve else [],
        observed=quantities.from_si(curve.torque, torque_unit).tolist() if curve else [],
        corrected=corrected, power=power,
        scatter=quantities.from_si(curve.torque_scatter, torque_unit).tolist() if curve else [],
        samples=curve.samples if curve else [], standard=standard, standard_label=DEFINITIONS[standard].label,
        factor=factor, factor_why=why,
        not_repaired=not_repaired.of_pull(pull, standard, units) if curve else [],
        cut=_cut(curve), air=_air(pull, units),
        channels=_channels(curve, units), derived=_derived(pull, units) if curve else [],
        findings=[messages.finding_words(finding) for finding in reduced.findings.all()] if reduced else [],
        anomalies=[inspection.anomaly_words(odd, units) for odd in reduced.anomalies.all()] if reduced else [],
        marks=[[odd.low_rpm, odd.high_rpm] for odd in reduced.anomalies.all()] if reduced else [],
        provenance=_provenance(pull, reduced, units),
        printed_sheet_id=PrintedSheet.objects.filter(pull=pull).values_list("pk", flat=True).first(),
        notes=[
            NoteLine(at=note.at, by=str(note.person or ""), label=note.get_kind_display(), text=str(note.text),
                     rpm=note.rpm)
            for note in _notes(pull)
        ],
        by_hand=bool(wish and wish.options),
        wish=wish_as_typed(wish.options if wish else {}, units),
        stand_inertia=options.get("stand_inertia", pull.inertia_in_torque),
        inertia=float(quantities.from_si(options.get("inertia", pull.inertia), units["inertia"])),
        inertia_unit=units["inertia"],
    )  # fmt: skip


def _notes(pull: Pull) -> list[Note]:
    return list(
        Note.objects.filter(pull=pull, archived_at=None).exclude(text="").select_related("person").defer("photo")
    )


def _cut(curve: Reduced | None) -> CutOut | None:
    cut = curve.cut if curve else None
    if cut is None:
        return None
    return CutOut(
        start_s=cut.start_s, end_s=cut.end_s, start_rpm=cut.start_rpm, end_rpm=cut.end_rpm,
        rate_rpm_s=cut.sweep_rate_rpm_s, start_why=inspection.CUT_WORDS[cut.start_by],
        end_why=inspection.END_WORDS[cut.end_by],
    )  # fmt: skip


def _air(pull: Pull, units: Mapping[str, str]) -> AirOfPull | None:
    if pull.air is None:
        return None
    return AirOfPull(
        barometer=float(quantities.from_si(pull.air.barometer, units["air_pressure"])),
        barometer_unit=units["air_pressure"],
        temperature=float(quantities.from_si(pull.air.temperature, units["temperature"])),
        temperature_unit=units["temperature"], humidity_percent=100 * pull.air.relative_humidity,
        from_log=pull.air.from_log,
    )  # fmt: skip


def _channels(curve: Reduced | None, units: Mapping[str, str]) -> list[SeriesOut]:
    if curve is None:
        return []
    found = []
    for name, values in curve.means.items():
        unit = unit_out(name, units)
        shown = quantities.from_si(values, unit) if unit else values
        found.append(SeriesOut(key=name, name=channel_name(name), unit=unit, values=listed_out(shown)))
    return found


def _derived(pull: Pull, units: Mapping[str, str]) -> list[SeriesOut]:
    found = []
    for name, values in inspection.derived_curves(pull).items():
        unit = units[inspection.FOLLOWS[name]] if name in inspection.FOLLOWS else inspection.FIXED[name]
        shown = listed_out(quantities.from_si(values, unit))
        found.append(SeriesOut(key=name, name=inspection.NAMES[name], unit=unit, values=shown))
    return found


def _provenance(pull: Pull, reduced: Reduced | None, units: Mapping[str, str]) -> list[FactOut]:
    """Where every figure of the pull comes from."""
    facts = [("Origin", pull.get_origin_display()), ("Source", pull.source)]
    if file := getattr(pull, "source_file", None):
        facts.append(("File kept", f"{file.size} bytes, SHA-256 {file.sha256[:16]}…"))
    facts += [
        ("Stand", str(pull.session.stand)), ("Torque", instruments.torque_words(pull.session.stand, pull.armed_at)),
        ("Operator", str(pull.operator)), ("Purpose", pull.get_purpose_display()),
        ("Engine", f"revision {pull.build.revision}"), ("Fuel", pull.session.fuel),
        ("Samples a second", f"{pull.rate_hz:.0f}" if pull.rate_hz else ""),
        ("Samples lost", str(pull.samples_lost) if pull.samples_lost else ""),
    ]  # fmt: skip
    if pull.torque_step:
        facts.append(
            ("Written in steps of", f"{quantities.from_si(pull.torque_step, units['torque']):.2g} {units['torque']}")
        )
    if reduced:
        told = {
            StandInertia.INCLUDED: "in the stand's torque already", StandInertia.NOT_INCLUDED: "added here",
            StandInertia.UNKNOWN: "not known whether in the torque",
        }  # fmt: skip
        if reduced.cut:
            facts.append(("Inertia", told[StandInertia(reduced.options["stand_inertia"])]))
            options = reduced.options
            facts.append((
                "Reduced with",
                f"bins of {options['bin_width_rpm']:.0f} rpm, at least {options['minimum_samples']} samples each, "
                f"smoothed over {options['smooth_bins']} bins",
            ))  # fmt: skip
        older = "" if reduced.core_version == VERSION else f"; this Torvix has core {VERSION} (./torvix rebuild)"
        facts.append(("Computed by", f"core {reduced.core_version}{older}"))
    if pull.judged_by:
        facts.append(("Judged", f"{pull.get_standing_display()}, {pull.judged_by}"))
    return [FactOut(label=label, text=text) for label, text in facts if text]


class InertiaOut(Schema):
    inertia: float
    half_width: float
    unit: str
    bins: int
    words: str


def inertia_out(reduced: Reduced) -> float:
    """The inertia torque that was added in the reduction, N·m."""
    if reduced.options["stand_inertia"] != StandInertia.NOT_INCLUDED:
        return 0.0
    return float(reduced.options["inertia"] * (reduced.sweep_rate_rpm_s or 0.0) * np.pi / 30)


def wish_as_typed(options: Mapping[str, Any], units: Mapping[str, str]) -> ReduceIn:
    """What is set by hand, as it would be sent again."""
    told = dict(options)
    if "inertia" in told:
        told["inertia"] = float(quantities.from_si(told["inertia"], units["inertia"]))
    return ReduceIn(**told)
