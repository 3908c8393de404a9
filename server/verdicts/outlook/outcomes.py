"""Expectations against outcomes: of one programme, and how each person tends to be off over all of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from torvix_core.air.standards import Standard
from torvix_core.engine import geometry
from torvix_core.planning import forecast_score
from torvix_core.planning.forecast_score import Outcome, Tendency
from torvix_core.pull.curve import OutsideTheCurve, average, peak

from programmes.models import Expectation, ExpectedMeasure, Programme
from shop.models import Person
from shop.refusals import Refusal
from verdicts.comparison import aligned_pulls as comparisons
from verdicts.comparison.aligned_pulls import Comparison

MOST_PROGRAMMES = 40  # looked back on, the newest


@dataclass(frozen=True)
class ExpectationScore:
    """An expectation, what came (a share of the baseline's figure), and how it stands; None while nothing came."""

    expectation: Expectation
    actual: float | None
    outcome: Outcome | None


def of_programme(programme: Programme) -> list[ExpectationScore]:
    """Every expectation of a programme, scored where its setup and the baseline have kept pulls."""
    held = list(Expectation.objects.filter(setup__programme=programme).select_related("setup", "written_by"))
    if not held:
        return []
    try:
        gains = _gains(comparisons.compare(programme, Standard(programme.standard)))
    except Refusal:
        gains = {}
    return [_score(one, gains.get((one.setup_id, one.measure))) for one in held]


def tendencies(person: Person) -> list[tuple[str, Tendency]]:
    """How each person's expectations tended to be off, over the programmes that `person` may see."""
    seen = Programme.objects.visible_to(person).filter(setups__expectations__isnull=False).distinct()
    scored = [
        one
        for programme in seen.select_related("build").prefetch_related("setups")[:MOST_PROGRAMMES]
        for one in of_programme(programme)
        if one.actual is not None
    ]
    people = sorted({str(one.expectation.written_by) for one in scored})
    return [(name, _tendency([one for one in scored if str(one.expectation.written_by) == name])) for name in people]


def _score(held: Expectation, actual: float | None) -> ExpectationScore:
    return ExpectationScore(
        held, actual, None if actual is None else forecast_score.outcome(held.low, held.high, actual)
    )


def _tendency(scored: Sequence[ExpectationScore]) -> Tendency:
    return forecast_score.tendency(
        [one.expectation.low for one in scored], [one.expectation.high for one in scored],
        [float(one.actual or 0.0) for one in scored],
    )  # fmt: skip


def _gains(comparison: Comparison) -> Mapping[tuple[int, str], float]:
    """By setup and measure, the gain over the baseline as a share; nothing where the baseline has no kept pull."""
    base = comparison.baseline
    if not comparison.setups[base].is_baseline:
        return {}
    programme, speed = comparison.programme, comparison.speed_rpm
    effects = comparison.curves()
    torque = comparison.means(comparison.torque) if effects is None else effects.mean
    power = geometry.power(torque, speed)
    low, high = max(programme.low_rpm, speed[0]), min(programme.high_rpm, speed[-1])
    figures = {
        ExpectedMeasure.PEAK_TORQUE: np.array([peak(speed, curve).value for curve in torque]),
        ExpectedMeasure.PEAK_POWER: np.array([peak(speed, curve).value for curve in power]),
    }
    try:
        figures[ExpectedMeasure.AVERAGE_TORQUE] = average(speed, torque, low, high)
        figures[ExpectedMeasure.AVERAGE_POWER] = average(speed, power, low, high)
    except OutsideTheCurve:
        pass  # the pulls do not reach the programme's range: its averages are not known
    return {
        (setup.pk, str(measure)): float(values[index] / values[base] - 1)
        for measure, values in figures.items()
        for index, setup in enumerate(comparison.setups)
        if index != base
    }
