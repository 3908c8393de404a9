"""Judge a comparison: who is best for a duty, how sure that is, and whether it would be so by other rules."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from torvix_core.engine import geometry
from torvix_core.judging import duty, representative_pull, verdict, win_probability
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.difference import Difference, DifferenceState
from torvix_core.judging.duty import PRESETS, Duty, Preset
from torvix_core.judging.effects import CONFIDENCE, Effects, NotEnoughPulls, fit
from torvix_core.judging.shape import Shapes, shapes
from torvix_core.judging.verdict import Placing
from torvix_core.judging.win_probability import Chances
from torvix_core.pull import curve
from torvix_core.pull.curve import GRID_RPM
from torvix_core.units.checked import Array

from curves.models import Reduced
from shop.refusals import Invalid
from verdicts.comparison import health
from verdicts.comparison.aligned_pulls import Comparison, NothingKept
from verdicts.judging import choice as choices
from verdicts.judging.choice import Choice

SEED = 20_260_701  # the same pulls give the same chances
FEWEST_COVERED = 0.5  # [-] of a duty's weight that must lie where all were run


@dataclass(frozen=True)
class Gains:
    """A setup against the baseline, three ways at once, each with its interval; where the largest at one speed lies."""

    peak_torque: Difference
    peak_power: Difference
    most: Difference
    most_rpm: float
    average: Difference


@dataclass(frozen=True)
class UseWinner:
    """Who is best for one of the usual duties; `level` are those that the best is not ahead of, itself too."""

    preset: Preset
    winner: int | None
    level: tuple[int, ...]


@dataclass(frozen=True)
class Judgment:
    """The ranking for a duty. Scores in N·m or W by the measure; `power` and `torque` (setups,) over the same duty."""

    comparison: Comparison
    choice: Choice
    low_rpm: float
    high_rpm: float
    duty: Duty
    preset: Preset
    covered: float  # share of the duty's weight that lies where all were run
    fitted: Effects
    placings: Sequence[Placing]
    chances: Chances
    torque: Array
    power: Array
    gains: Mapping[int, Gains]
    uses: Sequence[UseWinner]
    shapes: Shapes
    account: Mapping[str, float]  # share of the score for one kelvin of each reading accounted for

    def duty_mean(self, values: Sequence[float], speed_rpm: Sequence[float]) -> float:
        """The duty's mean of another curve, such as one that is known from elsewhere."""
        return float(duty.score(self.duty, np.array(speed_rpm), np.array(values)))

    @property
    def winner(self) -> int | None:
        return verdict.winner([placing for placing in self.placings if placing.supported])

    def across_days(self, setup: int) -> bool:
        """Whether a setup is compared with the baseline by way of another session: they share no session."""
        layout = self.comparison.layout
        days = [set(layout.session[layout.setup == one].tolist()) for one in (setup, self.comparison.baseline)]
        return not days[0] & days[1]

    @property
    def level(self) -> tuple[int, ...]:
        return tuple(sorted(placing.setup for placing in self.placings if placing.with_the_best))

    @property
    def level_state(self) -> DifferenceState | None:
        """How those stand to each other; None where one is ahead of all."""
        return verdict.state_of_level(self.placings, self.comparison.programme.smallest_difference)


def bounds(comparison: Comparison, choice: Choice) -> tuple[float, float]:
    """The range judged: as chosen, else the programme's as far as all ran. Invalid names the ends."""
    speed, programme = comparison.speed_rpm, comparison.programme
    low = max(programme.low_rpm, speed[0]) if choice.low_rpm is None else choice.low_rpm
    high = min(programme.high_rpm, speed[-1]) if choice.high_rpm is None else choice.high_rpm
    if not low < high:
        raise Invalid(
            "The range must rise: its lower end below its upper.", fields={"low": "must be below the upper end"}
        )
    if low < speed[0] - GRID_RPM / 2 or high > speed[-1] + GRID_RPM / 2:
        there = f"{speed[0]:.0f} to {speed[-1]:.0f} rpm"
        message = f"{low:.0f} to {high:.0f} rpm is not covered throughout; the curves have {there}"
        raise Invalid(
            f"All setups were run from {there}. Choose a range inside it.", fields={"low": message, "high": message}
        )
    return float(low), float(high)


@dataclass(frozen=True)
class ScoredComparison:
    """A comparison scored for a duty, before anything is said of it: what `judge` and its variations share."""

    low_rpm: float
    high_rpm: float
    duty: Duty
    preset: Preset
    covered: float
    inside: NDArray[np.bool_]  # (bins,) of the range judged
    shares: Array  # (bins,) weight of the duty
    layout: Layout
    scores: Array  # (pulls,)
    plain: Effects  # every pull of a setup
    fitted: Effects  # what stands for a setup by the school


def score(comparison: Comparison, choice: Choice) -> ScoredComparison:
    """Score every pull for the duty and fit what the setups are worth. Invalid and NothingKept say what is missing."""
    low, high = bounds(comparison, choice)
    wanted, preset = choices.duty_of(choice, comparison.programme, low, high)
    speed = comparison.speed_rpm
    inside = (speed >= low - 1e-6) & (speed <= high + 1e-6)
    if choice.healthy_only:
        inside &= health.healthy_bins(comparison)
    if inside.sum() < 2:
        message = "must hold at least two of the 100 rpm bins"
        raise Invalid(f"The range {message}.", fields={"low": message, "high": message})
    covered = _covered(wanted, speed[inside])
    if covered < FEWEST_COVERED:
        message = f"only {covered * 100:.0f} % of its weight lies from {low:.0f} to {high:.0f} rpm, where all were run"
        raise Invalid(f"The duty cannot be judged: {message}.", fields={"points": message})
    shares = np.zeros(len(speed))
    shares[inside] = duty.weights(wanted, speed[inside])
    layout = _with_readings(comparison, choice, inside)
    scores = _scores(comparison, choice, shares)
    try:
        fitted = fit(scores, layout, comparison.history)
    except NotEnoughPulls as reason:
        raise NothingKept(f"No verdict yet: {reason}.", code="not_enough_pulls") from reason
    stood = representative_pull.stand_for(fitted, choice.school)
    return ScoredComparison(low, high, wanted, preset, covered, inside, shares, layout, scores, fitted, stood)


def judge(comparison: Comparison, choice: Choice, out: Collection[int] = ()) -> Judgment:
    """Rank the setups for a duty. `out` are those that may not win, by index; their numbers stay what they are."""
    found = score(comparison, choice)
    sure = win_probability.chances(found.fitted, comparison.baseline, np.random.default_rng(SEED), out=out)
    both = representative_pull.stand_for(
        fit(np.stack([comparison.torque @ found.shares, comparison.power @ found.shares], axis=1), found.layout,
            comparison.history),
        choice.school, found.plain,
    )  # fmt: skip
    return Judgment(
        comparison, choice, found.low_rpm, found.high_rpm, found.duty, found.preset, found.covered, found.fitted,
        verdict.rank(found.fitted, comparison.baseline, comparison.programme.smallest_difference, sure, out), sure,
        both.mean[:, 0], both.mean[:, 1], _gains(comparison, choice, found.inside, both, found.plain),
        _uses(comparison, choice, found.layout, found.inside, out),
        shapes(comparison.speed_rpm[found.inside], comparison.torque[:, found.inside], comparison.layout,
               comparison.baseline),
        dict(zip(choice.account_for, found.plain.influence.tolist(), strict=False)),
    )  # fmt: skip


def _covered(wanted: Duty, speed_rpm: Array) -> float:
    """Share of a duty's weight at the speeds given."""
    first, last = wanted.points[0][0], wanted.points[-1][0]
    whole = np.arange(np.ceil(first / GRID_RPM) * GRID_RPM, last + 1e-6, GRID_RPM)
    speeds, given = (np.array(each, dtype=np.float64) for each in zip(*wanted.points, strict=True))
    total = float(np.interp(whole, speeds, given).sum())
    inside = float(np.interp(speed_rpm, speeds, given, left=0.0, right=0.0).sum())
    return min(inside / total, 1.0) if total > 0 else 0.0


def _scores(comparison: Comparison, choice: Choice, shares: Array) -> Array:
    """One score a pull. Peaks are read where all were run: a longer sweep is no better engine."""
    measure = choice.measure
    curves = comparison.power if measure.is_power else comparison.torque
    return np.asarray(curves.max(axis=1) if measure.is_peak else curves @ shares)


def _with_readings(comparison: Comparison, choice: Choice, inside: NDArray[np.bool_]) -> Layout:
    """The layout with the readings that are to be accounted for; a reading that a pull lacks is refused."""
    if not choice.account_for:
        return comparison.layout
    columns = []
    for name in choice.account_for:
        found = []
        for kept_pull in comparison.kept:
            reduced: Reduced = kept_pull.pull.reduced
            values = reduced.means.get(name)
            if name not in choices.COVARIATES or values is None:
                raise Invalid(
                    "This reading cannot be accounted for.",
                    fields={"account_for": f"{kept_pull.pull} has no {name.replace('_', ' ')}"},
                )
            shared = np.isin(np.array(reduced.speed_rpm), comparison.speed_rpm)
            found.append(float(values[shared][inside].mean()))
        columns.append(found)
    return replace(comparison.layout, covariates=np.array(columns).T)


def _gains(
    comparison: Comparison, choice: Choice, inside: NDArray[np.bool_], both: Effects, plain: Effects
) -> dict[int, Gains]:  # fmt: skip
    """By setup, against the baseline, over the speeds that all were run at."""
    curves, base, speed = comparison.curves(choice.school), comparison.baseline, comparison.speed_rpm
    if curves is None:
        return {}
    # Peaks are fitted as every score is: their day and their drift are out of them.
    tops = np.stack([comparison.torque.max(axis=1), comparison.power.max(axis=1)], axis=1)
    peak = representative_pull.stand_for(fit(tops, plain.model.layout, comparison.history), choice.school, plain)
    at_one_speed, found = replace(curves, tail=1 - CONFIDENCE), {}
    of_peaks, averages = [peak.column(at).against(base) for at in range(2)], both.column(0).against(base)
    for index in range(len(comparison.setups)):
        if index == base or not curves.linked(index, base):
            continue
        change = (curves.log_mean[index] - curves.log_mean[base])[inside]
        at = int(np.flatnonzero(inside)[np.abs(change).argmax()])
        found[index] = Gains(
            of_peaks[0][index], of_peaks[1][index],
            at_one_speed.column(at).difference(index, base), float(speed[at]), averages[index],
        )  # fmt: skip
    return found


def _uses(
    comparison: Comparison, choice: Choice, layout: Layout, inside: NDArray[np.bool_], out: Collection[int]
) -> list[UseWinner]:  # fmt: skip
    """The winner of every usual duty, fitted in one go."""
    speed = comparison.speed_rpm[inside]
    drawn = {which: duty.preset(which, float(speed[0]), float(speed[-1])) for which in PRESETS}
    weights = np.stack([duty.weights(one, speed) for one in drawn.values()], axis=1)
    curves = comparison.power if choice.measure.is_power else comparison.torque
    fitted = fit(curves[:, inside] @ weights, layout, comparison.history)
    found = []
    for at, which in enumerate(drawn):
        one = representative_pull.stand_for(fitted.column(at), choice.school)
        best, level = verdict.leaders(one, comparison.baseline, comparison.programme.smallest_difference, out)
        found.append(UseWinner(which, best if len(level) == 1 and len(comparison.setups) > 1 else None, level))
    return found


def peaks(comparison: Comparison, setup: int, torque: Array) -> tuple[curve.Peak, curve.Peak, bool]:
    """Peak torque and power of a setup's curve, N·m and W, where all were run, and whether its own pulls reach further.

    `torque` (bins,) is the curve that stands for the setup.
    """
    own = [kept_pull for kept_pull in comparison.kept if kept_pull.pull.setup_id == comparison.setups[setup].pk]
    speed = comparison.speed_rpm
    longer = max(float(kept_pull.speed_rpm[-1]) for kept_pull in own) > speed[-1]
    return curve.peak(speed, torque), curve.peak(speed, geometry.power(torque, speed)), longer
