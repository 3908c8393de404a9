"""Expectations against outcomes: of one programme, and how each person tends to be off over all of them."""

from __future__ import annotations

import math
from dataclasses import dataclass

from torvix_core.air.standards import Standard
from torvix_core.planning import forecast_score
from torvix_core.planning.forecast_score import MeasuredGain, Outcome, Predicted, Tendency

from programmes.models import Expectation, Programme
from shop.models import Person
from shop.refusals import Refusal
from verdicts.comparison import aligned_pulls as comparisons
from verdicts.comparison.pull_figures import PullFigure
from verdicts.results import service as results
from verdicts.results.figures import FigureGains, figure_of, gains_of, stored_gain


@dataclass(frozen=True)
class ExpectationScore:
    """An expectation, what was measured and how it stands; `why_not` says what is missing where nothing was."""

    expectation: Expectation
    measured: MeasuredGain | None
    outcome: Outcome | None
    why_not: str = ""

    @property
    def predicted(self) -> Predicted:
        return predicted_of(self.expectation)


def predicted_of(expectation: Expectation) -> Predicted:
    low, high = expectation.low, expectation.high
    return Predicted(-math.inf if low is None else low, math.inf if high is None else high)


def of_programme(programme: Programme) -> list[ExpectationScore]:
    """Every expectation of a programme, scored where its setup and the baseline have kept pulls."""
    held = list(Expectation.objects.filter(setup__programme=programme).select_related("setup", "written_by"))
    if not held:
        return []
    try:
        comparison = comparisons.compare(programme, Standard(programme.standard))
    except Refusal:
        return [ExpectationScore(one, None, None) for one in held]
    gains: dict[PullFigure, FigureGains] = {}
    scored = []
    for one in held:
        figure = figure_of(one)
        if figure not in gains:
            gains[figure] = gains_of(comparison, figure)
        found = gains[figure]
        if isinstance(found, str):
            scored.append(ExpectationScore(one, None, None, found))
        elif one.setup_id in found:
            measured = found[one.setup_id]
            score = ExpectationScore(one, measured, None)
            scored.append(ExpectationScore(one, measured, forecast_score.outcome(score.predicted, measured)))
        else:
            scored.append(ExpectationScore(one, None, None))
    return scored


def tendencies(person: Person) -> list[tuple[Person, Tendency]]:
    """How each person's expectations tended to be off, over the programmes that `person` may see."""
    seen = Programme.objects.visible_to(person).filter(setups__expectations__isnull=False).values("pk")
    held = Expectation.objects.filter(setup__programme__in=seen).select_related("setup", "written_by")
    found = results.results_of(list(dict.fromkeys(one.setup.programme_id for one in held)))
    people: dict[int, Person] = {}
    scored: dict[int, list[tuple[Predicted, MeasuredGain]]] = {}
    for one in held:
        result = found.of.get(one.setup.programme_id)
        measured = stored_gain(result.figures, one) if result else None
        if measured is not None:
            people[one.written_by_id] = one.written_by
            scored.setdefault(one.written_by_id, []).append((predicted_of(one), measured))
    return sorted(
        ((people[pk], forecast_score.tendency(pairs)) for pk, pairs in scored.items()), key=lambda row: str(row[0])
    )
