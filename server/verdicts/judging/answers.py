"""A verdict as it is shown, in a person's units: the one source of what stands on the screen and on the sheet."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import tzinfo
from functools import cached_property

import numpy as np
from pydantic import BaseModel
from torvix_core.air.standards import DEFINITIONS
from torvix_core.judging import repeats, sentences, verdict
from torvix_core.judging.difference import Difference, DifferenceState
from torvix_core.judging.effects import Effects
from torvix_core.judging.lead_strip import Crossover, Lead
from torvix_core.judging.sentences import Wording
from torvix_core.judging.shape import ShapeFigure
from torvix_core.judging.verdict import Placing
from torvix_core.units import quantities
from torvix_core.units.grammar import counted, listed

from programmes.models import Programme
from programmes.plan import criteria
from programmes.plan.grids import PlanGrid
from programmes.plan.plans import Plan
from programmes.plan.saving import plan_in_force
from shop.models import Person
from shop.moments import clock, day
from shop.permissions import units_of
from shop.schema import Schema
from verdicts.comparison import aligned_pulls, health
from verdicts.comparison.aligned_pulls import Comparison, Counting, compare
from verdicts.judging import caveats, selection_criteria
from verdicts.judging import choice as choices
from verdicts.judging import service as judging
from verdicts.judging.choice import Choice
from verdicts.judging.selection_criteria import SetupCriteria
from verdicts.judging.service import Judgment
from verdicts.regimes.messages import ranking_sentence
from verdicts.regimes.service import LevelRanking, grid_of_comparison, rankings


class DifferenceOut(Schema):
    """In the unit of the score, with its 95 % interval."""

    value: float
    low: float
    high: float
    percent: float
    low_percent: float
    high_percent: float
    at_most_percent: float
    chance_percent: float
    state: str


class PercentOut(Schema):
    """A share in per cent with its 95 % interval."""

    percent: float
    low: float
    high: float


class GainsOut(Schema):
    """Against the baseline three ways at once: peak to peak, at one speed, over the range."""

    peak_torque: PercentOut
    peak_power: PercentOut
    most: PercentOut
    most_rpm: float
    average: PercentOut


class ShapeOut(Schema):
    """The shape of a setup's curves over the range judged; halves of 95 % intervals, null for single pulls."""

    setup_id: int
    flatness_percent: float
    flatness_half: float | None
    width_rpm: float
    width_half: float | None
    fall_percent: float
    fall_half: float | None
    climbing: bool


class DriftOut(Schema):
    """Of one session, per cent: of one pull with its 95 % interval, and from the first pull that counts to the last."""

    session: str
    percent_per_pull: float
    low: float
    high: float
    percent: float


class PlacingOut(Schema):
    setup_id: int
    pulls: int
    pull_ids: list[int]
    score: float
    torque: float
    power: float
    to_baseline: DifferenceOut | None
    to_best: DifferenceOut | None
    with_the_best: bool
    supported: bool
    across_days: bool
    chance_percent: float | None  # None while no other setup can be compared
    groups: list[int]
    gains: GainsOut | None
    fails: list[str]
    cost: float | None
    unknown_prices: list[str]
    hidden_prices: list[str]
    manners: list[str]
    cost_per_torque: float | None
    cost_per_power: float | None


class AheadOut(BaseModel):  # one for every pair: a Schema takes seven times as long to make
    """The chance that one setup truly makes more than another."""

    one_id: int
    other_id: int
    percent: float


class UseWinnerOut(Schema):
    """Who is best for a usual duty; `setup_id` is null where none of `level_ids` is ahead of the others."""

    preset: str
    label: str
    setup_id: int | None
    level_ids: list[int]


class Verdict(Schema):
    """`is_grid`: parts are crossed with a level, so that setups of different levels are not ranked as rivals;
    `is_boosted`: the plan agreed on how boost is held, and every pull recorded it."""

    is_grid: bool
    is_boosted: bool
    standard: str
    standard_label: str
    school: str
    counting: str
    healthy_only: bool
    unhealthy: bool
    measure: str
    duty: str
    duty_label: str
    duty_points: list[list[float]]
    torque_unit: str
    power_unit: str
    score_unit: str
    baseline_id: int
    winner_id: int | None
    level_ids: list[int]
    level_state: str
    low_rpm: float
    high_rpm: float
    run_low_rpm: float
    run_high_rpm: float
    headline: list[str]
    stretches: list[str]
    thresholds: list[str]
    placings: list[PlacingOut]
    shape_level: float
    shapes: list[ShapeOut]
    ahead: list[AheadOut]
    uses: list[UseWinnerOut]
    groups: int
    repeatability_percent: float
    scatter_percent: float
    degrees_of_freedom: float
    scatter_basis: str
    drifts: list[DriftOut]
    smallest_difference_percent: float
    readings: dict[str, str]
    method: str
    notes: list[str]


@dataclass(frozen=True)
class WorkedVerdict:
    """A judged comparison with what stands beside its power."""

    judged: Judgment
    plan: Plan
    beside: Mapping[int, SetupCriteria]
    manners: Mapping[int, Sequence[str]]  # what was heard, seen and felt, by setup
    out: frozenset[int]

    @property
    def comparison(self) -> Comparison:
        return self.judged.comparison

    @cached_property
    def curves(self) -> Effects | None:
        """What stands for the setups' torque curves by the rule chosen."""
        return self.comparison.curves(self.judged.choice.school)

    @cached_property
    def levels(self) -> tuple[PlanGrid, Sequence[LevelRanking]] | None:
        """The rankings of a test that crosses parts with a level; None of any other."""
        grid = grid_of_comparison(self.comparison, self.plan)
        if grid is None:
            return None
        smallest = self.comparison.programme.smallest_difference
        return grid[0], rankings(self.judged.fitted, grid[1], smallest, self.out)

    @cached_property
    def strip(self) -> tuple[tuple[Lead, ...], tuple[Crossover, ...]]:
        return aligned_pulls.strip(self.comparison, self.curves, self.out)


def answer(person: Person, programme: Programme, choice: Choice) -> WorkedVerdict:
    """Compare and judge; setups that do not keep what they must are out of the choice."""
    compared = compare(programme, choice.standard, choice.counting)
    plan = plan_in_force(programme)
    beside = selection_criteria.of_setups(plan, programme, person)
    out = selection_criteria.out_of_the_choice(compared.setups, beside)
    return WorkedVerdict(
        judging.judge(compared, choice, out), plan, beside, selection_criteria.manners(programme, person), out
    )


def wording(compared: Comparison, unit: str) -> Wording:
    return Wording(tuple(setup.letter for setup in compared.setups), unit, quantities.to_si_rule(unit).scale)


def choice_line(person: Person, found: WorkedVerdict) -> str:
    """What to choose for the duty, in one sentence; for each level where parts are crossed with one."""
    judged, compared = found.judged, found.comparison
    if found.levels is not None:
        planned, ranked = found.levels
        duty = choices.phrase(judged.preset, judged.low_rpm, judged.high_rpm)
        return f"{duty}, at equal level. {' '.join(ranking_sentence(planned, one) for one in ranked)}"
    units = units_of(person)
    unit = units["power"] if judged.choice.measure.is_power else units["torque"]
    duty, scored = choices.phrase(judged.preset, judged.low_rpm, judged.high_rpm), wording(compared, unit)
    if judged.choice.measure.is_peak:
        scored = replace(scored, kind="")
        duty = f"By {choices.MEASURES[judged.choice.measure].lower()}"
    smallest = compared.programme.smallest_difference
    return sentences.choice_sentence(judged.placings, compared.baseline, duty, scored, found.out, smallest)


def headline(person: Person, found: WorkedVerdict) -> list[str]:
    """The verdict in plain sentences: who leads where, what to choose, what speaks beside power."""
    judged, compared = found.judged, found.comparison
    headlines = [choice_line(person, found)]
    if found.levels is None:
        headlines.insert(0, sentences.strip_sentence(found.strip[0], wording(compared, units_of(person)["torque"])))
    if compared.counting is Counting.FIRST:
        headlines.append("By first pulls after a change alone: they read high, and compare only among themselves.")
    headlines += _kept_out(found)
    unknown = criteria.unknown_against_ceiling(found.plan, found.comparison.programme.build, person)
    if unknown:
        headlines.append(f"Whether {listed(unknown)} keeps the cost ceiling is not known: a price is missing.")
    if found.levels is not None:
        return headlines  # what follows would hold setups of different levels against each other
    level = [compared.setups[setup] for setup in judged.level]
    if judged.level_state is DifferenceState.EQUAL:
        headlines += selection_criteria.tie_break(level, found.beside, person)
    elif judged.level_state is not None:
        headlines += _undecided(found)
    headlines += _dominance(found)
    return [sentence for sentence in headlines if sentence]


def _undecided(found: WorkedVerdict) -> list[str]:
    """What the setup that is probably best costs beside the next, and what would decide between them."""
    judged, setups = found.judged, found.comparison.setups
    level = [placing for placing in judged.placings if placing.with_the_best]
    best, second = level[0].setup, level[1].setup
    sentences_out = [selection_criteria.price_beside(setups[best], setups[second], found.beside)]
    if judged.level_state is not DifferenceState.UNDECIDED:
        return sentences_out
    letters = setups[best].letter, setups[second].letter
    goes_on = found.comparison.kept[-1].pull.session.closed_at is None
    smallest = found.comparison.programme.smallest_difference
    more = repeats.more_to_decide(judged.fitted, best, second, smallest, goes_on)
    if more is None:
        ask = f"More than {repeats.MOST_MORE} more pulls of each of {letters[0]} and {letters[1]}"
        return [*sentences_out, f"{ask} would be needed to decide between them."]
    first, then = setups[more.one].letter, setups[more.other].letter
    pulls = _pulls(more.one_pulls, first) + (f" and {_pulls(more.other_pulls, then)}" if more.other_pulls else "")
    where = "" if goes_on else " in one session"
    ask = f"{pulls[0].upper()}{pulls[1:]}{where} would decide between {letters[0]} and {letters[1]}"
    return [*sentences_out, f"{ask}, if they differ as they do now."]


def _pulls(count: int, letter: str) -> str:
    return f"{counted(count, 'more pull')} of {letter}"


def _kept_out(found: WorkedVerdict) -> list[str]:
    """Setups that make as much as the best, or more, and may not be chosen."""
    best = next(placing for placing in found.judged.placings if placing.to_best is None)
    ruled_out, smallest = [], found.comparison.programme.smallest_difference
    for placing in found.judged.placings:
        level = placing.to_best is not None and placing.to_best.state(smallest) is not DifferenceState.BEHIND
        if placing.setup in found.out and (level or placing.score > best.score):
            setup = found.comparison.setups[placing.setup]
            ruled_out.append(f"{setup.letter} is ruled out: {' '.join(found.beside[setup.pk].fails)}")
    return ruled_out


def _dominance(found: WorkedVerdict) -> list[str]:
    """Whom the winner beats without losing anything anywhere."""
    curves = found.curves
    if curves is None or found.judged.winner is None:
        return []
    setups, winner = found.comparison.setups, found.judged.winner
    smallest = found.comparison.programme.smallest_difference
    beaten = [setups[other].letter for other in verdict.nowhere_worse(curves, winner, smallest)]
    if not beaten:
        return []
    return [
        f"{setups[winner].letter} is nowhere worse than {listed(beaten)} by more than {smallest * 100:.1f} %, "
        "at any speed that all were run at."
    ]


def out(person: Person, found: WorkedVerdict) -> Verdict:
    """Everything the Verdict screen shows."""
    judged, compared = found.judged, found.comparison
    units, programme = units_of(person), compared.programme
    unit = units["power"] if judged.choice.measure.is_power else units["torque"]
    leads, _ = found.strip
    by = clock()
    in_torque = wording(compared, units["torque"])
    setup_id = [setup.pk for setup in compared.setups]
    return Verdict(
        is_grid=found.levels is not None,
        is_boosted=bool(programme.boost_policy) and all("boost" in one.pull.reduced.means for one in compared.kept),
        standard=compared.standard,
        standard_label=DEFINITIONS[compared.standard].label,
        school=judged.choice.school,
        counting=judged.choice.counting,
        healthy_only=judged.choice.healthy_only,
        unhealthy=bool(health.unhealthy(compared)),
        measure=judged.choice.measure,
        duty=judged.preset,
        duty_label=choices.label(judged.preset),
        duty_points=[list(point) for point in judged.duty.points],
        torque_unit=units["torque"],
        power_unit=units["power"],
        score_unit=unit,
        baseline_id=setup_id[compared.baseline],
        winner_id=None if judged.winner is None else setup_id[judged.winner],
        level_ids=[setup_id[setup] for setup in judged.level],
        level_state=judged.level_state or "",
        low_rpm=judged.low_rpm,
        high_rpm=judged.high_rpm,
        run_low_rpm=float(compared.speed_rpm[0]),
        run_high_rpm=float(compared.speed_rpm[-1]),
        headline=headline(person, found),
        stretches=list(sentences.stretch_sentences(leads, in_torque)),
        thresholds=_thresholds(found, in_torque),
        placings=[_placing(found, placing, unit, units) for placing in judged.placings],
        shape_level=float(quantities.from_si(judged.shapes.level, units["torque"])),
        shapes=_shapes(found),
        ahead=_ahead(found),
        uses=[
            UseWinnerOut(
                preset=use.preset,
                label=choices.label(use.preset),
                setup_id=None if use.winner is None else setup_id[use.winner],
                level_ids=[setup_id[one] for one in use.level],
            )
            for use in judged.uses
        ],
        groups=len({group for placing in judged.placings for group in placing.groups}),
        repeatability_percent=float(judged.fitted.repeatability) * 100,
        scatter_percent=float(judged.fitted.scatter) * 100,
        degrees_of_freedom=float(judged.fitted.degrees_of_freedom),
        scatter_basis=scatter_basis(judged.fitted),
        drifts=_drifts(judged, by),
        smallest_difference_percent=programme.smallest_difference * 100,
        readings=dict(choices.COVARIATES),
        method=caveats.method(judged),
        notes=[*compared.notes, *caveats.notes(judged, found.plan, by)],
    )


def _thresholds(found: WorkedVerdict, wording: Wording) -> list[str]:
    """Where one setup overtakes another, with what that rests on; or that none does beyond doubt."""
    compared = found.comparison
    low, high = float(compared.speed_rpm[0]), float(compared.speed_rpm[-1])
    _, crossovers = found.strip
    evidence = []
    for cross in crossovers:
        rows = [row for row, setup in enumerate(compared.setup_of.tolist()) if setup in (cross.before, cross.after)]
        days = {compared.kept[row].pull.session_id for row in rows}
        evidence.append(f"{counted(len(rows), 'pull')} and {counted(len(days), 'session')} of one engine")
    thresholds = list(sentences.crossover_sentences(crossovers, wording, low, high, evidence))
    if not thresholds and found.curves is not None and len(compared.setups) > 1:
        thresholds = [f"No setup overtakes another beyond doubt from {low:.0f} to {high:.0f} rpm."]
    return thresholds


def scatter_basis(fitted: Effects) -> str:
    """What the scatter of a single pull rests on, in a few words."""
    if fitted.own_scatter is None:
        return "taken from what was known before: no setup repeats a pull beside its drift"
    own = f"these pulls show {float(fitted.own_scatter) * 100:.2f} % with {fitted.own_degrees} degrees of freedom"
    if not bool(fitted.trusts_history):
        return f"{own}, more than was known before allows"
    before = "what was known before" if fitted.history.known else "what is usual"
    return f"{own}, steadied by {before}: {fitted.history.scatter * 100:.2f} %"


def _shapes(found: WorkedVerdict) -> list[ShapeOut]:
    shapes, setups = found.judged.shapes, found.comparison.setups

    def half(figure: ShapeFigure, index: int, scale: float) -> float | None:
        return float(figure.half_width[index]) * scale if np.isfinite(figure.half_width[index]) else None

    return [
        ShapeOut(
            setup_id=setup.pk, flatness_percent=float(shapes.flatness.value[index]) * 100,
            flatness_half=half(shapes.flatness, index, 100), width_rpm=float(shapes.width.value[index]),
            width_half=half(shapes.width, index, 1), fall_percent=float(shapes.fall.value[index]) * 100,
            fall_half=half(shapes.fall, index, 100), climbing=bool(shapes.climbing[index]),
        )
        for index, setup in enumerate(setups)
    ]  # fmt: skip


def _drifts(judged: Judgment, by: tzinfo) -> list[DriftOut]:
    """Of every session in which more than one pull counts."""
    fitted, layout = judged.fitted, judged.fitted.model.layout
    sessions = list(dict.fromkeys(kept_pull.pull.session for kept_pull in judged.comparison.kept))
    found = []
    for place, session in enumerate(sessions):
        slope, half = float(fitted.slopes[place]) * 100, 1.96 * float(fitted.slope_errors[place]) * 100
        if layout.span(place):
            found.append(DriftOut(session=day(session.opened_at, by), percent_per_pull=slope, low=slope - half,
                                  high=slope + half, percent=slope * layout.span(place)))  # fmt: skip
    return found


def _ahead(found: WorkedVerdict) -> list[AheadOut]:
    """Every pair of the setups that may be chosen and can be compared."""
    judged, setups = found.judged, found.comparison.setups
    known = [placing.setup for placing in judged.placings if placing.supported and placing.setup not in found.out]
    return [
        AheadOut(
            one_id=setups[one].pk, other_id=setups[other].pk, percent=float(judged.chances.ahead[one, other]) * 100
        )
        for one in known
        for other in known
        if one != other
    ]


def _placing(found: WorkedVerdict, placing: Placing, unit: str, units: Mapping[str, str]) -> PlacingOut:
    judged, compared = found.judged, found.comparison
    setup, smallest = compared.setups[placing.setup], compared.programme.smallest_difference
    scores = {one.setup: one.score for one in judged.placings}
    best = next(one for one in judged.placings if one.to_best is None)
    beside = found.beside.get(setup.pk)
    cost = beside.cost.shown if beside else None
    gained = placing.to_baseline is not None and placing.to_baseline.state(smallest) is DifferenceState.AHEAD
    base = compared.baseline

    def per(values: Sequence[float], kind: str) -> float | None:
        more = float(quantities.difference_from_si(values[placing.setup] - values[base], units[kind]))
        return cost / more if cost and gained and more > 0 else None

    gains = judged.gains.get(placing.setup)
    return PlacingOut(
        setup_id=setup.pk, pulls=int(judged.fitted.counts[placing.setup]),
        pull_ids=[one.pull.pk for row, one in enumerate(compared.kept) if compared.setup_of[row] == placing.setup],
        score=float(quantities.from_si(placing.score, unit)),
        torque=float(quantities.from_si(judged.torque[placing.setup], units["torque"])),
        power=float(quantities.from_si(judged.power[placing.setup], units["power"])),
        to_baseline=difference_out(placing.to_baseline, scores[base], unit, smallest),
        to_best=difference_out(placing.to_best, best.score, unit, smallest), with_the_best=placing.with_the_best,
        supported=placing.supported,
        across_days=judged.across_days(placing.setup),
        chance_percent=placing.chance_best * 100 if sum(one.supported for one in judged.placings) > 1 else None,
        groups=list(placing.groups),
        gains=None if gains is None else GainsOut(
            peak_torque=percent_out(gains.peak_torque), peak_power=percent_out(gains.peak_power),
            most=percent_out(gains.most), most_rpm=gains.most_rpm, average=percent_out(gains.average),
        ),
        fails=list(beside.fails) if beside else [], cost=cost,
        unknown_prices=list(beside.cost.unknown) if beside else [],
        hidden_prices=list(beside.cost.hidden) if beside else [], manners=list(found.manners.get(setup.pk, ())),
        cost_per_torque=per(judged.torque.tolist(), "torque"), cost_per_power=per(judged.power.tolist(), "power"),
    )  # fmt: skip


def difference_out(found: Difference | None, base: float, unit: str, smallest: float) -> DifferenceOut | None:
    if found is None:
        return None
    value, low, high = (
        float(quantities.difference_from_si(share * base, unit)) for share in (found.change, found.low, found.high)
    )
    percent, low_percent, high_percent = (float(share) * 100 for share in (found.change, found.low, found.high))
    return DifferenceOut(value=value, low=low, high=high, percent=percent, low_percent=low_percent,
                         high_percent=high_percent, at_most_percent=float(found.at_most) * 100,
                         chance_percent=float(found.chance) * 100, state=found.state(smallest))  # fmt: skip


def percent_out(found: Difference) -> PercentOut:
    return PercentOut(percent=float(found.change) * 100, low=float(found.low) * 100, high=float(found.high) * 100)
