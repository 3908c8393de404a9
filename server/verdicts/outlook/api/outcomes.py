"""Looking ahead and back: how many pulls a question needs, what was expected and what came, where a part was used."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router
from torvix_core.judging import repeats
from torvix_core.judging.repeats import RETURN_PULLS
from torvix_core.planning.forecast_score import Tendency
from torvix_core.units import quantities

from engines.models import Part
from programmes.expectations import service as expectations
from programmes.models import ExpectedMeasure
from shop.permissions import is_person, units_of
from shop.refusals import Invalid
from shop.schema import Schema
from verdicts.access import programme_of, programme_with_parts
from verdicts.judging.answers import PercentOut
from verdicts.outlook import earlier_results, outcomes, part_history
from verdicts.prior import scatter_history

router = Router(tags=["outcomes"])


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
    state: str
    against: str
    other_changes: int
    made_of: str
    why_not: str


class EarlierRow(Schema):
    """What a part did in another test, with what else was otherwise there."""

    programme_id: int
    question: str
    ran_at: datetime | None
    overlay_key: str
    sentence: str


class EarlierResultOut(Schema):
    """The newest results of a part that a setup of the plan brings; `more` older ones stand on the part's page."""

    setup_id: int
    part_id: int
    part: str
    rows: list[EarlierRow]
    more: int


class EarlierTest(Schema):
    programme_id: int
    question: str
    created_at: datetime


class EarlierResults(Schema):
    """`engine` are the newest other tests of the engine that ran, of `engine_more` more."""

    parts: list[EarlierResultOut]
    engine: list[EarlierTest]
    engine_more: int


class ExpectationOut(Schema):
    """What somebody expected of a setup against the baseline, and what was measured, with its 95 % interval."""

    id: int
    setup_id: int
    measure: str
    measure_label: str
    expected: str
    sentence: str
    by: str
    mine: bool
    sealed: bool
    measured: PercentOut | None
    outcome: str
    why_not: str


class KindTendency(Schema):
    """The same over the setups that differ from their baseline in one kind of part."""

    kind: str
    decided: int
    hits: int
    count: int
    bias: float | None
    spread: float | None


class TendencyOut(Schema):
    """How a person's expectations tended to be off over all programmes, in percentage points.

    `decided` were hit, near or missed; the bias is over the `count` that named a figure.
    """

    person: str
    decided: int
    hits: int
    count: int
    bias: float | None
    spread: float | None
    by_kind: list[KindTendency]


class Expectations(Schema):
    measures: dict[str, str]
    rows: list[ExpectationOut]
    people: list[TendencyOut]


class PowerPoint(Schema):
    pulls: int
    percent: float
    without_return_percent: float


class PullsNeededOut(Schema):
    """Pulls per setup that find a difference, from the engine's scatter and drift, with a return to the first setup at
    the end and without; the chance of finding it with other numbers."""

    difference_percent: float
    scatter_percent: float
    degrees_of_freedom: int
    programmes: int
    drift_percent_per_pull: float
    return_pulls: int
    pulls: int | None
    pulls_without_return: int | None
    chance_percent: float
    curve: list[PowerPoint]


@router.get("/programmes/{programme_id}/pulls-needed", response=PullsNeededOut, operation_id="pulls_needed")
def read_pulls_needed(
    request: HttpRequest, programme_id: int, difference_percent: float | None = None, confidence_percent: float = 95
) -> PullsNeededOut:
    """How many pulls per setup find a difference; without one, the smallest that matters in the programme."""
    assert is_person(request.user)
    programme = programme_of(request.user, programme_id)
    wanted = programme.smallest_difference * 100 if difference_percent is None else difference_percent
    if not 0.01 <= wanted <= 50:
        raise Invalid(
            "The difference is not usable.", fields={"difference_percent": "it lies between 0.01 and 50 per cent"}
        )
    if not 50 <= confidence_percent < 100:
        raise Invalid(
            "The confidence is not usable.", fields={"confidence_percent": "it lies from 50 to below 100 per cent"}
        )
    scatter, sure = scatter_history.scatter_of(programme), confidence_percent / 100
    history = scatter.history
    back, straight = (repeats.pulls_needed(wanted / 100, history, sure, back=pulls) for pulls in (RETURN_PULLS, 0))

    def chance(pulls: int, back: int) -> float:
        layout = repeats.there_and_back(pulls, back)
        return float(repeats.power(layout, wanted / 100, history, sure)) * 100

    return PullsNeededOut(
        difference_percent=wanted, scatter_percent=history.scatter * 100,
        degrees_of_freedom=scatter.degrees_of_freedom, programmes=scatter.programmes,
        drift_percent_per_pull=history.drift.sd * 100, return_pulls=RETURN_PULLS, pulls=back.pulls,
        pulls_without_return=straight.pulls, chance_percent=back.power * 100,
        curve=[
            PowerPoint(pulls=pulls, percent=chance(pulls, RETURN_PULLS), without_return_percent=chance(pulls, 0))
            for pulls in range(2, 13)
        ],
    )  # fmt: skip


def _tendency(found: Tendency) -> dict[str, Any]:
    return {
        "decided": found.decided, "hits": found.hits, "count": found.count,
        "bias": None if found.bias is None else found.bias * 100,
        "spread": None if found.spread is None else found.spread * 100,
    }  # fmt: skip


@router.get("/programmes/{programme_id}/outcomes", response=Expectations, operation_id="outcomes")
def read_outcomes(request: HttpRequest, programme_id: int) -> Expectations:
    """What was expected and what was measured; and how each person tends to be off."""
    assert is_person(request.user)
    programme = programme_of(request.user, programme_id)
    rows = [
        ExpectationOut(
            id=one.expectation.pk, setup_id=one.expectation.setup_id, measure=one.expectation.measure,
            measure_label=one.expectation.get_measure_display(), expected=expectations.words(one.expectation),
            sentence=one.expectation.sentence, by=str(one.expectation.written_by),
            mine=one.expectation.written_by_id == request.user.pk, sealed=one.expectation.sealed_at is not None,
            measured=None if one.measured is None else PercentOut(
                percent=one.measured.value * 100, low=one.measured.low * 100, high=one.measured.high * 100),
            outcome=one.outcome or "", why_not=one.why_not,
        )
        for one in outcomes.of_programme(programme)
    ]  # fmt: skip
    people = [
        TendencyOut(person=str(one.person), **_tendency(one.overall),
                    by_kind=[KindTendency(kind=kind, **_tendency(found)) for kind, found in one.by_kind])
        for one in outcomes.tendencies(request.user)
    ]  # fmt: skip
    return Expectations(measures=dict(ExpectedMeasure.choices), rows=rows, people=people)


@router.get("/programmes/{programme_id}/earlier-results", response=EarlierResults, operation_id="earlier_results")
def read_earlier_results(request: HttpRequest, programme_id: int) -> EarlierResults:
    """What the parts of a plan did in other tests, where they are not in its baseline; and tests of its engine."""
    assert is_person(request.user)
    programme = programme_with_parts(request.user, programme_id)
    found = earlier_results.of_plan(request.user, programme)
    return EarlierResults(
        parts=[
            EarlierResultOut(
                setup_id=one.setup.pk, part_id=one.part.pk, part=one.part.name, more=one.more,
                rows=[
                    EarlierRow(
                        programme_id=use.programme.pk, question=use.programme.question, ran_at=use.ran_at,
                        overlay_key=f"s{use.setup.pk}", sentence=earlier_results.sentence(use, context),
                    )
                    for use, context in one.uses
                ],
            )
            for one in found.parts
        ],
        engine=[EarlierTest(programme_id=one.pk, question=one.question, created_at=one.created_at)
                for one in found.tests],
        engine_more=found.more_tests,
    )  # fmt: skip


@router.get("/parts/{part_id}/uses", response=list[UseOut], operation_id="part_uses")
def read_uses(request: HttpRequest, part_id: int) -> list[UseOut]:
    """Where a part was used before, and how it did."""
    assert is_person(request.user)
    part = get_object_or_404(Part.objects.visible_to(request.user), pk=part_id)
    unit = units_of(request.user)["torque"]

    def percent(share: float | None) -> float | None:
        return None if share is None else share * 100

    return [
        UseOut(
            programme_id=use.programme.pk, question=use.programme.question, engine=str(use.programme.build),
            setup_id=use.setup.pk, letter=use.setup.letter, position=use.setup.position,
            is_baseline=use.setup.is_baseline, pulls=use.pulls, low_rpm=use.low_rpm, high_rpm=use.high_rpm,
            torque=None if use.torque is None else float(quantities.from_si(use.torque, unit)), torque_unit=unit,
            percent=percent(use.change), low_percent=percent(use.low), high_percent=percent(use.high), state=use.state,
            against=use.against,
            other_changes=use.other_changes, made_of=use.made_of, why_not=use.why_not,
        )
        for use in part_history.uses(request.user, part)
    ]  # fmt: skip
