"""Expectations against outcomes: of one programme, and how each person tends to be off over all of them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from torvix_core.air.standards import Standard
from torvix_core.engine.dimensions import Slot
from torvix_core.planning import forecast_score
from torvix_core.planning.forecast_score import MeasuredGain, Outcome, Predicted, Tendency

from programmes.models import Expectation, Programme, Setup
from programmes.plan.plans import SETTING
from shop.models import Person
from shop.refusals import Refusal
from verdicts.comparison import aligned_pulls as comparisons
from verdicts.comparison.pull_figures import PullFigure
from verdicts.estimates.gains import change_of
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


@dataclass(frozen=True)
class PersonTendency:
    """How a person's expectations held over all tests, and by the kind of part that was changed."""

    person: Person
    overall: Tendency
    by_kind: Sequence[tuple[str, Tendency]]


SEVERAL = "Several at once"


def tendencies(person: Person) -> list[PersonTendency]:
    """How each person's expectations tended to be off, over the programmes that `person` may see."""
    seen = Programme.objects.visible_to(person).filter(setups__expectations__isnull=False).values("pk")
    held = list(
        Expectation.objects.filter(setup__programme__in=seen).select_related("setup", "written_by")
        .prefetch_related("setup__parts", "setup__settings")
    )  # fmt: skip
    tests = list(dict.fromkeys(one.setup.programme_id for one in held))
    found = results.results_of(tests)
    baselines = Setup.objects.filter(programme__in=tests, is_baseline=True).prefetch_related("parts", "settings")
    baseline_of = {setup.programme_id: setup for setup in baselines}
    people: dict[int, Person] = {}
    scored: dict[int, list[tuple[str, Predicted, MeasuredGain]]] = {}
    for one in held:
        result = found.of.get(one.setup.programme_id)
        measured = stored_gain(result.figures, one) if result else None
        if measured is not None:
            kind = kind_of(baseline_of.get(one.setup.programme_id), one.setup)
            people[one.written_by_id] = one.written_by
            scored.setdefault(one.written_by_id, []).append((kind, predicted_of(one), measured))
    rows_out = []
    for pk, rows in scored.items():
        kinds = sorted({kind for kind, _, _ in rows})
        by_kind = [(kind, forecast_score.tendency([row[1:] for row in rows if row[0] == kind])) for kind in kinds]
        rows_out.append(PersonTendency(people[pk], forecast_score.tendency([row[1:] for row in rows]), by_kind))
    return sorted(rows_out, key=lambda one: str(one.person))


def kind_of(baseline: Setup | None, setup: Setup) -> str:
    """The kind of part, or the setting, in which a setup differs from the baseline."""
    rows = {row for row, _ in change_of(baseline, setup)} if baseline is not None else set()
    if len(rows) != 1:
        return SEVERAL
    (row,) = rows
    return Slot(row).label if row in list(Slot) else row.removeprefix(SETTING).replace("_", " ").capitalize()
