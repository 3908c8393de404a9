"""What a test came to, from its comparison: the rows that are stored of it."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
from torvix_core.air.standards import Standard
from torvix_core.judging import repeats, verdict
from torvix_core.judging.difference import DifferenceState
from torvix_core.judging.drift import DriftPrior
from torvix_core.judging.duty import Preset
from torvix_core.judging.effects import CONFIDENCE, fit
from torvix_core.judging.shape import ShapeFigure, peak_speeds

from curves.reduction.nature import Nature
from programmes.models import Programme
from programmes.plan.saving import plan_in_force
from shop.refusals import Refusal
from verdicts.comparison.aligned_pulls import Comparison, compare
from verdicts.judging import selection_criteria
from verdicts.judging import service as judging
from verdicts.judging.choice import Choice
from verdicts.judging.service import ScoredComparison
from verdicts.models import PairGain, SetupResult, StoredResult, UndecidedPair
from verdicts.regimes.service import grid_of_comparison
from verdicts.results.figures import predicted_figures

# Plain averages: tests differ in their duties, and here they stand beside each other.
DUTY = Preset.EVEN
ANY_SLOPE = DriftPrior(engine_sd=0.0, day_sd=0.05, curve_sd=0.0)  # so wide that a session's slope is its pulls' own


def of_test(programme: Programme) -> tuple[StoredResult, list[SetupResult], list[PairGain]]:
    """The rows of a test, not saved, by its own standard. Where nothing compares they say why."""
    result = StoredResult(programme=programme)
    try:
        comparison = compare(programme, Standard(programme.standard))
        _write_scatter(result, comparison)
        result.figures = predicted_figures(comparison)
        choice = Choice(comparison.standard, duty=DUTY)
        scored = judging.score(comparison, choice)
    except Refusal as refusal:
        result.why_not = str(refusal)[:500]
        return result, [], []
    result.ran_at = min(one.pull.armed_at for one in comparison.kept)
    result.fingerprint = _fingerprint(comparison)
    result.low_rpm, result.high_rpm = scored.low_rpm, scored.high_rpm
    result.speed_rpm = comparison.speed_rpm[scored.inside].tolist()
    result.undecided = _undecided(programme, comparison)
    peaks = peak_speeds(comparison.speed_rpm[scored.inside], comparison.torque[:, scored.inside], comparison.layout)
    return result, _setups(result, comparison, scored, peaks), _gains(result, comparison, scored, peaks)


def _undecided(programme: Programme, comparison: Comparison) -> UndecidedPair | None:
    """The two that the verdict cannot decide between by the test's own duty, and what would; as the verdict says it."""
    plan = plan_in_force(programme)
    if grid_of_comparison(comparison, plan) is not None:
        return None  # parts crossed with a level are ranked level by level
    beside = selection_criteria.of_setups(plan, programme, programme.created_by)  # what fails is the same for everybody
    out = selection_criteria.out_of_the_choice(comparison.setups, beside)
    try:
        fitted = judging.score(comparison, Choice(comparison.standard)).fitted
    except Refusal:
        return None
    smallest = programme.smallest_difference
    placings = verdict.rank(fitted, comparison.baseline, smallest, out=out)
    if verdict.state_of_level(placings, smallest) is not DifferenceState.UNDECIDED:
        return None
    best, second = [placing.setup for placing in placings if placing.with_the_best][:2]
    gap = fitted.difference(best, second)
    more = repeats.more_to_decide(fitted, best, second, smallest, goes_on=False)
    visits = [] if more is None else [(more.one, more.one_pulls), (more.other, more.other_pulls)]
    return {
        "setups": [comparison.setups[best].pk, comparison.setups[second].pk],
        "change": [float(gap.change), float(gap.low), float(gap.high)],
        "pulls": [[comparison.setups[setup].pk, pulls] for setup, pulls in visits if pulls],
    }


def _fingerprint(comparison: Comparison) -> list[int]:
    """Speed and observed torque of every bin of every pull as one number each, to 1 rpm and 1 mN·m: tests that hold the
    same recordings, or parts of them, share these, and no others do."""
    found: set[int] = set()
    for one in comparison.kept:
        reduced = one.pull.reduced
        speed, torque = np.rint(reduced.speed_rpm).astype(np.int64), np.rint(np.multiply(reduced.torque, 1000))
        found |= set(((speed << 40) + torque.astype(np.int64)).tolist())
    return sorted(found)


def _write_scatter(result: StoredResult, comparison: Comparison) -> None:
    """What its pulls alone say of scatter and drift."""
    result.simulated = any(
        comparison.nature_of(setup) is Nature.SIMULATED for setup in range(len(comparison.setups))
    )  # fmt: skip
    history = replace(comparison.history, drift=ANY_SLOPE)
    try:
        fitted = fit(comparison.torque.mean(axis=1), comparison.layout, history)
    except ValueError:  # a single pull tells nothing of how an engine repeats
        return
    if fitted.own_scatter is not None:
        result.own_scatter, result.own_degrees = float(fitted.own_scatter), fitted.own_degrees
        result.slopes, result.slope_errors = fitted.slopes.tolist(), fitted.slope_errors.tolist()


def _setups(
    result: StoredResult, comparison: Comparison, scored: ScoredComparison, peaks: ShapeFigure
) -> list[SetupResult]:
    curves = comparison.curves()
    lines = comparison.means(comparison.torque) if curves is None else curves.mean
    return [
        SetupResult(
            result=result, setup=setup, pulls=int(scored.fitted.counts[place]),
            torque=float(scored.fitted.mean[place]), nature=comparison.nature_of(place).value,
            made_of=comparison.made_of(place), curve=lines[place][scored.inside].tolist(),
            peak_rpm=_number(peaks.value[place]),
        )
        for place, setup in enumerate(comparison.setups)
    ]  # fmt: skip


def _gains(
    result: StoredResult, comparison: Comparison, scored: ScoredComparison, peaks: ShapeFigure
) -> list[PairGain]:
    curves, layout = comparison.curves(), comparison.layout
    by_speed = None if curves is None else replace(curves, tail=1 - CONFIDENCE)
    days = [set(layout.session[layout.setup == place].tolist()) for place in range(len(comparison.setups))]
    found = []
    for against in range(len(comparison.setups)):
        averages = scored.fitted.against(against)
        spans = {} if by_speed is None else by_speed.against(against)
        for place in range(against + 1, len(comparison.setups)):
            if place not in averages:
                continue
            average, span = averages[place], spans.get(place)
            shift = float(peaks.value[place] - peaks.value[against])
            found.append(PairGain(
                result=result, setup=comparison.setups[place], against=comparison.setups[against],
                change=float(average.change), low=float(average.low), high=float(average.high),
                across_days=not days[place] & days[against], nature=comparison.nature_of(place, against).value,
                change_by_speed=[] if span is None else span.change[scored.inside].tolist(),
                half_width_by_speed=[] if span is None else (
                    (np.log1p(span.high) - np.log1p(span.low))[scored.inside] / 2).tolist(),
                peak_shift_rpm=_number(shift), peak_shift_half_width_rpm=_number(
                    math.hypot(peaks.half_width[place], peaks.half_width[against])),
            ))  # fmt: skip
    return found


def _number(value: float) -> float | None:
    return float(value) if math.isfinite(value) else None
