"""What each setup gains over the baseline in a figure that somebody predicted: a peak, an average, one speed."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from pydantic import JsonValue
from torvix_core.judging.effects import NotEnoughPulls, fit
from torvix_core.planning.forecast_score import MeasuredGain
from torvix_core.pull.curve import OutsideTheCurve

from programmes.expectations.service import region_of
from programmes.models import Expectation, ExpectedMeasure
from verdicts.comparison.aligned_pulls import Comparison
from verdicts.comparison.pull_figures import PullFigure, of_each_pull

IS_POWER = {
    ExpectedMeasure.AVERAGE_TORQUE: False, ExpectedMeasure.AVERAGE_POWER: True, ExpectedMeasure.PEAK_TORQUE: False,
    ExpectedMeasure.PEAK_POWER: True,
}  # fmt: skip
IS_PEAK = {ExpectedMeasure.PEAK_TORQUE, ExpectedMeasure.PEAK_POWER}

FigureGains = Mapping[int, MeasuredGain] | str  # by setup; a text says why there is none


def figure_of(expectation: Expectation) -> PullFigure:
    measure = ExpectedMeasure(expectation.measure)
    return PullFigure(IS_POWER[measure], measure in IS_PEAK, region_of(expectation))


def gains_of(comparison: Comparison, figure: PullFigure) -> FigureGains:
    """By setup, the gain over the baseline as a share with its interval; a text says why there is none."""
    base = comparison.baseline
    if not comparison.setups[base].is_baseline:
        return "the baseline has no counted pull"
    try:
        fitted = fit(of_each_pull(comparison, figure), comparison.layout, comparison.history)
    except (OutsideTheCurve, NotEnoughPulls) as reason:
        return str(reason)
    return {
        comparison.setups[place].pk: MeasuredGain(float(gain.change), float(gain.low), float(gain.high))
        for place, gain in fitted.against(base).items()
    }


def predicted_figures(comparison: Comparison) -> dict[str, JsonValue]:
    """Every figure that somebody predicted of the test, as it is stored: by setup the gain and its interval.

    Nobody predicts of a setup that was pulled: a figure that is missing here belongs to none.
    """
    held = Expectation.objects.filter(setup__programme=comparison.programme)
    found: dict[str, JsonValue] = {}
    for figure in {figure_of(one) for one in held}:
        gains = gains_of(comparison, figure)
        found[_key(figure)] = gains if isinstance(gains, str) else {
            str(setup): [gain.value, gain.low, gain.high] for setup, gain in gains.items()
        }  # fmt: skip
    return found


def stored_gain(figures: Mapping[str, JsonValue], expectation: Expectation) -> MeasuredGain | None:
    """What was measured of an expectation, from the figures that are stored of its test."""
    gains = figures.get(_key(figure_of(expectation)))
    row = gains.get(str(expectation.setup_id)) if isinstance(gains, dict) else None
    return MeasuredGain(*_numbers(row)) if isinstance(row, list) else None


def _numbers(row: Iterable[JsonValue]) -> list[float]:
    return [float(value) for value in row if isinstance(value, int | float)]


def _key(figure: PullFigure) -> str:
    ends = ("" if end is None else f"{end:g}" for end in (figure.region.low_rpm, figure.region.high_rpm))
    return " ".join(["power" if figure.is_power else "torque", "peak" if figure.is_peak else "average", *ends])
