"""The inspector: one pull raw and reduced, and how it is to be reduced."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

import numpy as np
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router, Schema
from torvix_core.air.standards import DEFINITIONS, Standard
from torvix_core.pull import inertia
from torvix_core.pull.reduction import CutBy, StandInertia
from torvix_core.units import quantities

from curves.intake.filing import standard_words
from curves.models import Reduced
from curves.pull_log.api import standard_asked
from curves.reduction import correct, inspection, messages, nature
from programmes.models import Programme
from shop.models import Person
from shop.permissions import is_person, require_operator, units_of
from shop.refusals import Invalid, Refusal
from stand.live.display import FIXED, FOLLOWS, channel_name
from stand.models import Note, Pull
from stand.weather import service as weather

router = Router(tags=["inspector"])


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
    at: datetime
    by: str
    text: str


class ReduceIn(Schema):
    """Empty fields leave it to the defaults; all empty goes back to them."""

    cut_start_s: float | None = None
    cut_end_s: float | None = None
    stand_inertia: str | None = None
    inertia: float | None = None
    smooth_bins: int | None = None


class InspectionOut(Schema):
    """`no_curve` says why there is none. Without samples, `figures` says what the printed figures are."""

    pull_id: int
    number: int
    setup_id: int
    state: str
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
    cut: CutOut | None
    air: AirOfPull | None
    channels: list[SeriesOut]
    derived: list[SeriesOut]
    findings: list[str]
    anomalies: list[str]
    marks: list[list[float]]
    provenance: list[FactOut]
    notes: list[NoteLine]
    by_hand: bool
    wish: ReduceIn
    stand_inertia: str
    inertia: float
    inertia_unit: str


def _pull(person: Person, pull_id: int) -> Pull:
    seen = Programme.objects.visible_to(person)
    rows = Pull.objects.filter(session__programme__in=seen).select_related(
        "reduced", "session__programme", "session__stand", "setup", "build", "operator", "judged_by"
    )
    return get_object_or_404(rows, pk=pull_id)


def _listed(values: Any) -> list[float | None]:
    return [float(value) if np.isfinite(value) else None for value in values]


def _unit(channel: str, units: Mapping[str, str]) -> str:
    return units[FOLLOWS[channel]] if channel in FOLLOWS else FIXED.get(channel, "")


@router.get("/pulls/{pull_id}/raw", response=RawOut, operation_id="raw_samples")
def read_raw(request: HttpRequest, pull_id: int):
    """Every channel as it was recorded, in the person's units; thinned to what a screen can show."""
    assert is_person(request.user)
    pull, units = _pull(request.user, pull_id), units_of(request.user)
    wanted = {name: _unit(name, units) for name, _ in pull.channel_list}
    channels = inspection.raw_channels(pull, wanted)
    time = channels[0].time if channels else np.empty(0)
    return RawOut(
        time_s=[round(float(value), 4) for value in time],
        series=[
            SeriesOut(key=one.name, name=channel_name(one.name), unit=one.unit, values=_listed(one.values))
            for one in channels
        ],
        thinned=len(time) >= inspection.MOST_POINTS,
    )


@router.get("/pulls/{pull_id}/inspection", response=InspectionOut, operation_id="inspection")
def read_inspection(request: HttpRequest, pull_id: int, standard: str = ""):
    assert is_person(request.user)
    pull = _pull(request.user, pull_id)
    chosen = standard_asked(pull.session.programme, standard)
    return _inspection(pull, chosen, units_of(request.user))


def _inspection(pull: Pull, standard: Standard, units: Mapping[str, str]) -> InspectionOut:
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
    wish = pull.wishes.last()
    return InspectionOut(
        pull_id=pull.pk, number=pull.number, setup_id=pull.setup_id, state=pull.state,
        has_samples=pull.origin not in nature.OF_FIGURES,
        figures=standard_words(pull.figures_standard) if pull.figures_standard else "",
        no_curve=no_curve, torque_unit=torque_unit, power_unit=power_unit,
        speed_rpm=curve.speed_rpm if curve else [],
        observed=quantities.from_si(curve.torque, torque_unit).tolist() if curve else [],
        corrected=corrected, power=power,
        scatter=quantities.from_si(curve.torque_scatter, torque_unit).tolist() if curve else [],
        samples=curve.samples if curve else [], standard=standard, standard_label=DEFINITIONS[standard].label,
        factor=factor, factor_why=why, cut=_cut(curve), air=_air(pull, units),
        channels=_channels(curve, units), derived=_derived(pull, units) if curve else [],
        findings=[messages.finding_words(finding) for finding in reduced.findings] if reduced else [],
        anomalies=[inspection.anomaly_words(odd, units) for odd in reduced.anomalies] if reduced else [],
        marks=[[odd["low_rpm"], odd["high_rpm"]] for odd in reduced.anomalies] if reduced else [],
        provenance=_provenance(pull, reduced, units),
        notes=[NoteLine(at=note.at, by=str(note.person or ""), text=str(note.text)) for note in _notes(pull)],
        by_hand=bool(wish and wish.options),
        wish=_wish(wish.options if wish else {}, units),
        stand_inertia=options.get("stand_inertia", pull.inertia_in_torque),
        inertia=float(quantities.from_si(options.get("inertia", pull.inertia), units["inertia"])),
        inertia_unit=units["inertia"],
    )  # fmt: skip


def _wish(options: Mapping[str, Any], units: Mapping[str, str]) -> ReduceIn:
    """What is set by hand, as it would be sent again."""
    told = dict(options)
    if "inertia" in told:
        told["inertia"] = float(quantities.from_si(told["inertia"], units["inertia"]))
    return ReduceIn(**told)


def _notes(pull: Pull) -> list[Note]:
    return list(
        Note.objects.filter(pull=pull, archived_at=None).exclude(text="").select_related("person").defer("photo")
    )


def _cut(curve: Reduced | None) -> CutOut | None:
    if curve is None or not curve.cut:
        return None
    cut, words = curve.cut, inspection.CUT_WORDS
    return CutOut(
        start_s=cut["start_s"], end_s=cut["end_s"], start_rpm=cut["start_rpm"], end_rpm=cut["end_rpm"],
        rate_rpm_s=cut["sweep_rate_rpm_s"], start_why=words[CutBy(cut.get("start_by", CutBy.RATE))],
        end_why=inspection.END_WORDS[CutBy(cut.get("end_by", CutBy.RATE))],
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
        unit = _unit(name, units)
        shown = quantities.from_si(values, unit) if unit else np.array(values)
        found.append(SeriesOut(key=name, name=channel_name(name), unit=unit, values=_listed(shown)))
    return found


def _derived(pull: Pull, units: Mapping[str, str]) -> list[SeriesOut]:
    found = []
    for name, values in inspection.derived_curves(pull).items():
        unit = units[inspection.FOLLOWS[name]] if name in inspection.FOLLOWS else inspection.FIXED[name]
        shown = _listed(quantities.from_si(values, unit))
        found.append(SeriesOut(key=name, name=inspection.NAMES[name], unit=unit, values=shown))
    return found


def _provenance(pull: Pull, reduced: Reduced | None, units: Mapping[str, str]) -> list[FactOut]:
    """Where every figure of the pull comes from."""
    facts = [("Origin", pull.get_origin_display()), ("Source", pull.source)]
    if file := getattr(pull, "source_file", None):
        facts.append(("File kept", f"{file.size} bytes, SHA-256 {file.sha256[:16]}…"))
    facts += [
        ("Stand", str(pull.session.stand)), ("Operator", str(pull.operator)), ("Purpose", pull.get_purpose_display()),
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
        facts.append(("Computed by", f"core {reduced.core_version}"))
    if pull.judged_by:
        facts.append(("Judged", f"{pull.get_standing_display()}, {pull.judged_by}"))
    return [FactOut(label=label, text=text) for label, text in facts if text]


@router.put("/pulls/{pull_id}/reduction", response=InspectionOut, operation_id="reduce_as")
def reduce_as(request: HttpRequest, pull_id: int, given: ReduceIn, standard: str = ""):
    """Reduce it with cuts or inertia of one's own; the raw samples stay as they are."""
    assert is_person(request.user)
    pull, units = _pull(request.user, pull_id), units_of(request.user)
    told = given.dict()
    if told["inertia"] is not None:
        told["inertia"] = float(quantities.to_si(told["inertia"], units["inertia"]))
    inspection.reduce_as(request.user, pull, inspection.ReductionSettings(**told), timezone.now())
    pull = _pull(request.user, pull_id)
    return _inspection(pull, standard_asked(pull.session.programme, standard), units)


class InertiaOut(Schema):
    inertia: float
    half_width: float
    unit: str
    bins: int
    told: str


@router.get("/pulls/{pull_id}/inertia", response=InertiaOut, operation_id="inertia_from_two_rates")
def estimate_inertia(request: HttpRequest, pull_id: int, other: int):
    """The inertia that two pulls of one setup at different sweep rates give."""
    assert is_person(request.user)
    require_operator(request.user)
    units = units_of(request.user)
    pulls = [_pull(request.user, pull_id), _pull(request.user, other)]
    if pulls[0].setup_id != pulls[1].setup_id:
        raise Invalid("Both pulls must be of one setup.", fields={"other": "a pull of the same setup"})
    torques, rates, speeds = [], [], []
    for pull in pulls:
        if (reduced := getattr(pull, "reduced", None)) is None or not reduced.cut:
            raise Refusal(f"{pull} gave no curve from samples.", code="no_curve")
        torques.append(np.array(reduced.torque) - _added(reduced))
        rates.append(reduced.cut["sweep_rate_rpm_s"])
        speeds.append(np.array(reduced.speed_rpm))
    shared, one, two = np.intersect1d(speeds[0], speeds[1], return_indices=True)
    try:
        found = inertia.from_two_rates(
            (torques[0][one], torques[1][two]), (np.full(len(shared), rates[0]), np.full(len(shared), rates[1]))
        )
    except ValueError as error:
        raise Invalid(f"No inertia from these two: {error}.", fields={"other": str(error)}) from error
    unit = units["inertia"]
    value, half = (float(quantities.from_si(part, unit)) for part in (found.inertia, found.half_width))
    return InertiaOut(
        inertia=value, half_width=half, unit=unit, bins=found.bins,
        told=f"{value:.3g} ± {half:.2g} {unit} from {found.bins} bins at {rates[0]:.0f} and {rates[1]:.0f} rpm/s",
    )  # fmt: skip


def _added(reduced: Reduced) -> float:
    """The inertia torque that was added in the reduction, N·m."""
    if reduced.options["stand_inertia"] != StandInertia.NOT_INCLUDED:
        return 0.0
    return float(reduced.options["inertia"] * reduced.cut["sweep_rate_rpm_s"] * np.pi / 30)
