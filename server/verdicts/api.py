"""Curves of the setups over each other, and the verdict over a range."""

from __future__ import annotations

import numpy as np
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema
from torvix_core import quantities, repeats, verdict
from torvix_core.checked import Array
from torvix_core.curve import peak
from torvix_core.effects import Difference
from torvix_core.standards import DEFINITIONS, Standard
from torvix_core.verdict import WASH, Wording

from curves.api import PeakOut, standard_asked
from engines.models import Part
from engines.services import applied_allowance
from programmes.models import Measure, Programme
from shop.models import Person
from shop.refusals import Invalid
from shop.services import is_person, units_of
from verdicts import outcomes, records, services
from verdicts.services import Comparison

router = Router(tags=["verdicts"])


class PullCurve(Schema):
    id: int
    number: int
    factor: float
    factor_inside: bool
    torque: list[float]
    power: list[float]


class DifferenceCurve(Schema):
    """To the baseline, in the torque unit, with its 95 % interval."""

    value: list[float]
    low: list[float]
    high: list[float]
    wash: list[bool]


class SetupCurves(Schema):
    setup_id: int
    torque: list[float]
    power: list[float]
    torque_half_width: list[float] | None
    peak_torque: PeakOut
    peak_power: PeakOut
    installed_peak_power: float | None
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
    speed_rpm: float
    half_width_rpm: float
    before_id: int
    after_id: int


class AllowanceOut(Schema):
    """What installed accessories are allowed to take at peak power. Never in the curves."""

    power: float
    items: list[str]


class UseOut(Schema):
    """A setup that held a part, and how it did against the baseline of its programme."""

    programme_id: int
    question: str
    engine: str
    setup_id: int
    letter: str
    position: int
    is_baseline: bool
    pulls: int
    low_rpm: float
    high_rpm: float
    torque: float | None
    torque_unit: str
    percent: float | None
    low_percent: float | None
    high_percent: float | None
    wash: bool
    other_changes: int
    why_not: str


class ExpectationOut(Schema):
    """What somebody expected of a setup against the baseline, per cent, and what came."""

    setup_id: int
    measure: str
    measure_label: str
    low_percent: float
    high_percent: float
    sentence: str
    by: str
    mine: bool
    sealed: bool
    actual_percent: float | None
    outcome: str


class TendencyOut(Schema):
    """How a person's expectations tended to be off over all programmes, in percentage points."""

    person: str
    count: int
    hits: int
    bias: float
    spread: float | None


class Expectations(Schema):
    measures: dict[str, str]
    rows: list[ExpectationOut]
    people: list[TendencyOut]


class PowerPoint(Schema):
    pulls: int
    percent: float


class PullsNeededOut(Schema):
    """Pulls a side that find a difference, from the engine's scatter; the chance of finding it with other numbers."""

    difference_percent: float
    scatter_percent: float
    degrees_of_freedom: int
    programmes: int
    pulls: int | None
    chance_percent: float
    curve: list[PowerPoint]


class Curves(Schema):
    allowance: AllowanceOut | None
    standard: str
    standard_label: str
    torque_unit: str
    power_unit: str
    baseline_id: int
    speed_rpm: list[float]
    setups: list[SetupCurves]
    leads: list[LeadOut]
    crossovers: list[CrossoverOut]
    sentences: list[str]
    notes: list[str]


class DifferenceOut(Schema):
    value: float
    low: float
    high: float
    percent: float
    wash: bool


class PlacingOut(Schema):
    setup_id: int
    pulls: int
    torque: float
    power: float
    to_baseline: DifferenceOut | None
    to_best: DifferenceOut | None
    with_the_best: bool


class Verdict(Schema):
    standard: str
    standard_label: str
    torque_unit: str
    power_unit: str
    baseline_id: int
    low_rpm: float
    high_rpm: float
    run_low_rpm: float
    run_high_rpm: float
    sentence: str
    stretches: list[str]
    placings: list[PlacingOut]
    repeatability_percent: float
    degrees_of_freedom: int
    drift_percent: float | None
    smallest_difference_percent: float
    method: str
    notes: list[str]


def _programme(person: Person, programme_id: int) -> Programme:
    seen = (
        Programme.objects.visible_to(person).select_related("build").prefetch_related("setups", "build__installation")
    )
    return get_object_or_404(seen, pk=programme_id)


def _wording(comparison: Comparison, unit: str) -> Wording:
    return Wording(tuple(setup.letter for setup in comparison.setups), unit, quantities.to_si_rule(unit).scale)


def _peak(speed_rpm: Array, values: Array, unit: str) -> PeakOut:
    top = peak(speed_rpm, values)
    return PeakOut(
        value=float(quantities.from_si(top.value, unit)), speed_rpm=top.speed_rpm, still_climbing=top.still_climbing
    )


def _installed(comparison: Comparison, power: Array, allowance: float, unit: str) -> float:
    """Peak power less what installed accessories are allowed to take; the curve itself stays as measured."""
    return float(quantities.from_si(peak(comparison.speed_rpm, power).value - allowance, unit))


def _difference_curve(comparison: Comparison, index: int, torque_unit: str) -> DifferenceCurve | None:
    effects, baseline = comparison.torque_effects, comparison.baseline
    if effects is None or index == baseline:
        return None
    found, base = effects.difference(index, baseline), effects.mean[baseline]

    def shown(share: Array) -> list[float]:
        values: list[float] = quantities.from_si(share * base, torque_unit).tolist()
        return values

    return DifferenceCurve(
        value=shown(found.change),
        low=shown(found.low),
        high=shown(found.high),
        wash=found.is_wash(comparison.programme.smallest_difference).tolist(),
    )


def _setup_curves(comparison: Comparison, index: int, units: dict[str, str]) -> SetupCurves:
    torque_unit, power_unit = units["torque"], units["power"]
    allowance = applied_allowance(comparison.programme.build)
    torque, power = comparison.means(comparison.torque)[index], comparison.means(comparison.power)[index]
    effects, half = comparison.torque_effects, None
    if effects is not None:
        # Half the interval of this setup's own mean: as if against a reference known exactly.
        share = effects.half_width(index, index) / np.sqrt(2)
        half = quantities.from_si(share * torque, torque_unit).tolist()
    pulls = [
        PullCurve(
            id=found.pull.pk,
            number=found.pull.number,
            factor=found.factor,
            factor_inside=found.inside,
            torque=quantities.from_si(comparison.torque[row], torque_unit).tolist(),
            power=quantities.from_si(comparison.power[row], power_unit).tolist(),
        )
        for row, found in enumerate(comparison.kept)
        if comparison.setup_of[row] == index
    ]
    return SetupCurves(
        setup_id=comparison.setups[index].pk,
        torque=quantities.from_si(torque, torque_unit).tolist(),
        power=quantities.from_si(power, power_unit).tolist(),
        torque_half_width=half,
        peak_torque=_peak(comparison.speed_rpm, torque, torque_unit),
        peak_power=_peak(comparison.speed_rpm, power, power_unit),
        installed_peak_power=None if allowance is None else _installed(comparison, power, allowance, power_unit),
        difference=_difference_curve(comparison, index, torque_unit),
        pulls=pulls,
    )


def _lead(comparison: Comparison, lead: verdict.Lead, unit: str) -> LeadOut:
    def named(index: int) -> int | None:
        return None if index == WASH else comparison.setups[index].pk

    return LeadOut(
        low_rpm=lead.low_rpm,
        high_rpm=lead.high_rpm,
        setup_id=named(lead.leader),
        runner_up_id=named(lead.runner_up),
        gain=float(quantities.difference_from_si(lead.gain, unit)),
        half_width=float(quantities.difference_from_si(lead.half_width, unit)),
    )


def _allowance(programme: Programme, unit: str) -> AllowanceOut | None:
    power = applied_allowance(programme.build)
    if power is None:
        return None
    applied = [row for row in programme.build.installation.all() if row.applied]
    items = [f"{row.get_item_display()}: {row.installed or 'as installed'}" for row in applied]
    return AllowanceOut(power=float(quantities.from_si(power, unit)), items=items)


@router.get("/programmes/{programme_id}/pulls-needed", response=PullsNeededOut, operation_id="pulls_needed")
def read_pulls_needed(
    request: HttpRequest, programme_id: int, difference_percent: float | None = None, confidence_percent: float = 95
):
    """How many pulls a side find a difference; without one, the smallest that matters in the programme."""
    assert is_person(request.user)
    programme = _programme(request.user, programme_id)
    wanted = programme.smallest_difference * 100 if difference_percent is None else difference_percent
    if not 0.01 <= wanted <= 50:
        raise Invalid(
            "The difference is not usable.", fields={"difference_percent": "it lies between 0.01 and 50 per cent"}
        )
    if not 50 <= confidence_percent < 100:
        raise Invalid(
            "The confidence is not usable.", fields={"confidence_percent": "it lies from 50 to below 100 per cent"}
        )
    scatter, sure = services.scatter_of(programme), confidence_percent / 100
    found = repeats.pulls_needed(wanted / 100, scatter.share, sure, more_degrees=scatter.degrees_of_freedom)
    counts = np.arange(2, 13)
    chances = repeats.power(counts, wanted / 100, scatter.share, sure, more_degrees=scatter.degrees_of_freedom)
    return PullsNeededOut(
        difference_percent=wanted, scatter_percent=scatter.share * 100,
        degrees_of_freedom=scatter.degrees_of_freedom, programmes=scatter.programmes, pulls=found.pulls,
        chance_percent=found.power * 100,
        curve=[
            PowerPoint(pulls=int(count), percent=float(chance) * 100)
            for count, chance in zip(counts, chances, strict=True)
        ],
    )  # fmt: skip


@router.get("/programmes/{programme_id}/outcomes", response=Expectations, operation_id="outcomes")
def read_outcomes(request: HttpRequest, programme_id: int):
    """What was expected and what came; and how each person tends to be off."""
    assert is_person(request.user)
    programme = _programme(request.user, programme_id)
    rows = [
        ExpectationOut(
            setup_id=one.expectation.setup_id, measure=one.expectation.measure,
            measure_label=one.expectation.get_measure_display(), low_percent=one.expectation.low * 100,
            high_percent=one.expectation.high * 100, sentence=one.expectation.sentence,
            by=str(one.expectation.written_by), mine=one.expectation.written_by_id == request.user.pk,
            sealed=one.expectation.sealed_at is not None,
            actual_percent=None if one.actual is None else one.actual * 100, outcome=one.outcome or "",
        )
        for one in outcomes.of_programme(programme)
    ]  # fmt: skip
    people = [
        TendencyOut(person=name, count=found.count, hits=found.hits, bias=found.bias * 100,
                    spread=None if found.spread is None else found.spread * 100)
        for name, found in outcomes.tendencies(request.user)
    ]  # fmt: skip
    return Expectations(measures=dict(Measure.choices), rows=rows, people=people)


@router.get("/parts/{part_id}/uses", response=list[UseOut], operation_id="part_uses")
def read_uses(request: HttpRequest, part_id: int):
    """Where a part was used before, and how it did."""
    assert is_person(request.user)
    part, unit = get_object_or_404(Part, pk=part_id), units_of(request.user)["torque"]

    def percent(share: float | None) -> float | None:
        return None if share is None else share * 100

    return [
        UseOut(
            programme_id=use.programme.pk, question=use.programme.question, engine=str(use.programme.build),
            setup_id=use.setup.pk, letter=use.setup.letter, position=use.setup.position,
            is_baseline=use.setup.is_baseline, pulls=use.pulls, low_rpm=use.low_rpm, high_rpm=use.high_rpm,
            torque=None if use.torque is None else float(quantities.from_si(use.torque, unit)), torque_unit=unit,
            percent=percent(use.change), low_percent=percent(use.low), high_percent=percent(use.high), wash=use.wash,
            other_changes=use.other_changes, why_not=use.why_not,
        )
        for use in records.uses(request.user, part)
    ]  # fmt: skip


@router.get("/programmes/{programme_id}/curves", response=Curves, operation_id="curves")
def read_curves(request: HttpRequest, programme_id: int, standard: str = ""):
    assert is_person(request.user)
    programme = _programme(request.user, programme_id)
    chosen, units = standard_asked(programme, standard), units_of(request.user)
    comparison = services.compare(programme, chosen)
    leads, crossovers = services.strip(comparison)
    return Curves(
        allowance=_allowance(programme, units["power"]),
        standard=chosen,
        standard_label=DEFINITIONS[chosen].label,
        torque_unit=units["torque"],
        power_unit=units["power"],
        baseline_id=comparison.setups[comparison.baseline].pk,
        speed_rpm=comparison.speed_rpm.tolist(),
        setups=[_setup_curves(comparison, index, units) for index in range(len(comparison.setups))],
        leads=[_lead(comparison, lead, units["torque"]) for lead in leads],
        crossovers=[
            CrossoverOut(
                speed_rpm=cross.speed_rpm,
                half_width_rpm=cross.half_width_rpm,
                before_id=comparison.setups[cross.before].pk,
                after_id=comparison.setups[cross.after].pk,
            )
            for cross in crossovers
        ],
        sentences=list(verdict.strip_sentences(leads, _wording(comparison, units["torque"]))),
        notes=list(comparison.notes),
    )


def _difference(found: Difference | None, base: float, unit: str, smallest: float) -> DifferenceOut | None:
    if found is None:
        return None
    value, low, high = (
        float(quantities.difference_from_si(share * base, unit)) for share in (found.change, found.low, found.high)
    )
    return DifferenceOut(
        value=value, low=low, high=high, percent=float(found.change) * 100, wash=bool(found.is_wash(smallest))
    )


@router.get("/programmes/{programme_id}/verdict", response=Verdict, operation_id="verdict")
def read_verdict(
    request: HttpRequest, programme_id: int, standard: str = "", low: float | None = None, high: float | None = None
):
    assert is_person(request.user)
    programme = _programme(request.user, programme_id)
    chosen, units = standard_asked(programme, standard), units_of(request.user)
    unit, smallest = units["torque"], programme.smallest_difference
    comparison = services.compare(programme, chosen)
    found = services.judge(comparison, low, high)
    leads, _ = services.strip(comparison)
    wording, label = _wording(comparison, unit), DEFINITIONS[Standard(chosen)].label
    scores = {placing.setup: placing.score for placing in found.placings}
    return Verdict(
        standard=chosen,
        standard_label=label,
        torque_unit=unit,
        power_unit=units["power"],
        baseline_id=comparison.setups[comparison.baseline].pk,
        low_rpm=found.low_rpm,
        high_rpm=found.high_rpm,
        run_low_rpm=float(comparison.speed_rpm[0]),
        run_high_rpm=float(comparison.speed_rpm[-1]),
        sentence=verdict.range_sentence(found.placings, comparison.baseline, found.low_rpm, found.high_rpm, wording),
        stretches=list(verdict.strip_sentences(leads, wording)),
        placings=[
            PlacingOut(
                setup_id=comparison.setups[placing.setup].pk,
                pulls=int(found.counts[placing.setup]),
                torque=float(quantities.from_si(placing.score, unit)),
                power=float(quantities.from_si(found.power[placing.setup], units["power"])),
                to_baseline=_difference(placing.to_baseline, scores[comparison.baseline], unit, smallest),
                to_best=_difference(placing.to_best, found.placings[0].score, unit, smallest),
                with_the_best=placing.with_the_best,
            )
            for placing in found.placings
        ],
        repeatability_percent=found.repeatability * 100,
        degrees_of_freedom=found.degrees_of_freedom,
        drift_percent=None if found.drift is None else found.drift * 100,
        smallest_difference_percent=smallest * 100,
        method=f"Mean of the kept pulls, {label}, average torque of the 100 rpm table over the range; scatter pooled "
        "over setups; 95 % intervals from Student's t. Drift through the day is shown, not taken out. Refitting a "
        "part is not covered by these intervals.",
        notes=list(found.notes),
    )
