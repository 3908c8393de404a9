"""Expectations against outcomes: of one programme, and how each person tends to be off over all of them."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from torvix_core.air.standards import Standard
from torvix_core.judging.effects import NotEnoughPulls, fit
from torvix_core.planning import forecast_score
from torvix_core.planning.forecast_score import MeasuredGain, Outcome, Predicted, Tendency
from torvix_core.pull.curve import OutsideTheCurve

from programmes.expectations.service import region_of
from programmes.models import Expectation, ExpectedMeasure, Programme
from shop.models import Person
from shop.refusals import Refusal
from verdicts.comparison import aligned_pulls as comparisons
from verdicts.comparison.aligned_pulls import Comparison
from verdicts.comparison.pull_figures import PullFigure, of_each_pull

MOST_PROGRAMMES = 40  # looked back on, the newest
IS_POWER = {
    ExpectedMeasure.AVERAGE_TORQUE: False, ExpectedMeasure.AVERAGE_POWER: True, ExpectedMeasure.PEAK_TORQUE: False,
    ExpectedMeasure.PEAK_POWER: True,
}  # fmt: skip
IS_PEAK = {ExpectedMeasure.PEAK_TORQUE, ExpectedMeasure.PEAK_POWER}


@dataclass(frozen=True)
class ExpectationScore:
    """An expectation, what was measured and how it stands; `why_not` says what is missing where nothing was."""

    expectation: Expectation
    measured: MeasuredGain | None
    outcome: Outcome | None
    why_not: str = ""

    @property
    def predicted(self) -> Predicted:
        low, high = self.expectation.low, self.expectation.high
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
    gains: dict[PullFigure, Mapping[int, MeasuredGain] | str] = {}
    scored = []
    for one in held:
        figure = figure_of(one)
        if figure not in gains:
            gains[figure] = _gains(comparison, figure)
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


def figure_of(expectation: Expectation) -> PullFigure:
    measure = ExpectedMeasure(expectation.measure)
    return PullFigure(IS_POWER[measure], measure in IS_PEAK, region_of(expectation))


def tendencies(person: Person) -> list[tuple[str, Tendency]]:
    """How each person's expectations tended to be off, over the programmes that `person` may see."""
    seen = Programme.objects.visible_to(person).filter(setups__expectations__isnull=False).distinct()
    scored: dict[str, list[tuple[Predicted, MeasuredGain]]] = {}
    for programme in seen.select_related("build").prefetch_related("setups")[:MOST_PROGRAMMES]:
        for one in of_programme(programme):
            if one.measured is not None:
                scored.setdefault(str(one.expectation.written_by), []).append((one.predicted, one.measured))
    return [(name, forecast_score.tendency(scored[name])) for name in sorted(scored)]


def _gains(comparison: Comparison, figure: PullFigure) -> Mapping[int, MeasuredGain] | str:
    """By setup, the gain over the baseline as a share with its interval; a text says why there is none."""
    base = comparison.baseline
    if not comparison.setups[base].is_baseline:
        return "the baseline has no counted pull"
    try:
        fitted = fit(of_each_pull(comparison, figure), comparison.layout, comparison.history)
    except (OutsideTheCurve, NotEnoughPulls) as reason:
        return str(reason)
    found = {}
    for index, setup in enumerate(comparison.setups):
        if index != base and fitted.linked(index, base):
            gain = fitted.difference(index, base)
            found[setup.pk] = MeasuredGain(float(gain.change), float(gain.low), float(gain.high))
    return found
