"""Grids and regimes in plain sentences: never surer than the numbers, never beyond what was tested."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from torvix_core.judging.difference import STILL_SMALL, DifferenceState
from torvix_core.judging.sentences import percent, signed_percent, state_words
from torvix_core.regimes.change_over import Crossing
from torvix_core.regimes.grid import EMPTY, PartEffect
from torvix_core.units import quantities
from torvix_core.units.grammar import counted, listed, plural

from programmes.plan.grids import PlanGrid
from verdicts.regimes.levels import BOOST
from verdicts.regimes.service import Along, LevelRanking, Regimes


def level_words(found: Along, x: float, units: Mapping[str, str]) -> str:
    """A level with its unit."""
    assert found.levels is not None
    return quantities.words(float(found.levels.shown(x)), found.levels.unit(units))


def ranking_sentence(grid: PlanGrid, ranking: LevelRanking) -> str:
    """Who leads at one level, in one sentence."""
    at = f"At {grid.grid.levels[ranking.level]}"
    leading = ranking.leading
    names = listed([grid.part_name(place.part) for place in leading])
    if len(ranking.places) == 1:
        return f"{at} only {names} was run."
    if len(leading) > 1:
        most = max(float(place.to_best.at_most) for place in leading if place.to_best is not None)
        assert ranking.state is not None
        return f"{at} {names} lead together: {state_words(ranking.state, most)}."
    behind = [place for place in ranking.places if not place.with_the_best and place.to_best is not None]
    if not behind:
        return f"{at} {names} cannot be compared: the others ran on days that nothing links."
    second = max(behind, key=lambda place: place.score)
    assert second.to_best is not None
    lag, half = -float(second.to_best.change), float(second.to_best.half_width)
    more = "more" if lag > 0 else "less"
    return f"{at} {names}: {percent(abs(lag))} ± {percent(half)} {more} than {grid.part_name(second.part)}."


def effect_sentence(found: Regimes, effect: PartEffect) -> str:
    """What one part is worth against another at equal level."""
    one, other = found.part(effect.one), found.part(effect.other)
    gains = [(found.grid.levels[level], float(difference.change)) for level, difference in effect.at_levels]
    if len(gains) == 1:
        (level, gain) = gains[0]
        return f"{other} against {one}: {signed_percent(gain)} at {level}, the only level that both were run at."
    change, low, high = (signed_percent(share) for share in (effect.change, effect.low, effect.high))
    mean = f"{change} ({low} to {high}) over {len(gains)} levels"
    if not effect.interacts:
        return f"{other} against {one}: {mean}; nothing shows that it depends on the level."
    ends = ", ".join(f"{signed_percent(gain)} at {level}" for level, gain in gains)
    return f"{other} against {one} depends on the level: {ends}. The mean of {mean} says little."


def crossing_sentences(found: Along, units: Mapping[str, str]) -> list[str]:
    """Where one part overtakes another; for two that do not, why."""
    if found.curves is None:
        return []
    sentences = [crossing_sentence(found, one, units) for one in found.crossings]
    crossed = {frozenset((one.before, one.after)) for one in found.crossings}
    tested = [part for part in range(len(found.grid.parts)) if found.curves.is_tested(part).any()]
    for place, one in enumerate(tested):
        for other in tested[:place]:
            if frozenset((one, other)) not in crossed:
                sentences.append(_no_crossing(found, other, one, units))
    return sentences


def crossing_sentence(found: Along, crossing: Crossing, units: Mapping[str, str]) -> str:
    """Such as "242 over 228 from 0.90 bar (0.82 to 0.98 bar), about 265 hp"."""
    assert found.curves is not None
    before, after = found.part(crossing.before), found.part(crossing.after)
    first, last = (level_words(found, float(found.curves.at[end]), units) for end in (0, -1))
    if not crossing.is_located:
        if crossing.high is None and crossing.low is not None:
            bound = level_words(found, crossing.low, units)
            return (
                f"{before} leads {after} up to {bound}. From there to {last}, the highest tested, they are not "
                f"separated: {after} may overtake there, or above."
            )
        assert crossing.high is not None
        bound = level_words(found, crossing.high, units)
        return (
            f"{after} leads {before} from {bound} on. Below, down to {first}, the lowest tested, they are not "
            f"separated: {before} may lead there, or below."
        )
    assert crossing.low is not None
    assert crossing.high is not None
    at, low, high = (level_words(found, x, units) for x in (crossing.at, crossing.low, crossing.high))
    power = found.power_at(crossing.after, crossing.at)
    about = f", about {float(quantities.from_si(power, units['power'])):.0f} {units['power']} at the peak"
    further = "".join(
        f" Neither do {level_words(found, one, units)} to {level_words(found, other, units)} separate them."
        for one, other in crossing.elsewhere
    )
    return (
        f"{after} over {before} from {at} on (95 %: {low} to {high}){about}. Tested from {first} to {last}: "
        f"{evidence(found, (crossing.before, crossing.after))}.{further}"
    )


def change_over(found: Along, crossing: Crossing, units: Mapping[str, str]) -> str:
    """A crossing in a few words, such as for one duty of several."""
    before, after = found.part(crossing.before), found.part(crossing.after)
    low, high = (None if x is None else level_words(found, x, units) for x in (crossing.low, crossing.high))
    if low is not None and high is not None:
        return f"{after} over {before} from {level_words(found, crossing.at, units)} on ({low} to {high})"
    if low is not None:
        return f"{after} may overtake {before} above {low}"
    return f"{before} may lead {after} below {high}"


def notes(found: Along) -> list[str]:
    """What a reader of the regimes must know."""
    lines = []
    if found.levels is None:
        lines.append("Nobody wrote down what the levels are, so they have no scale: each is ranked by itself.")
    elif found.levels.kind == BOOST and found.levels.measured:
        lines.append(
            "Along the level, pulls stand at the boost that they reached, from the speed where it had come. A pull "
            "that missed its target is brought to the mean of its setup along the curve of its part; the ranking of "
            "each level takes the pulls as they are."
        )
    elif found.levels.kind == BOOST:
        lines.append("Not every pull recorded boost, so all stand at their target: what a miss is worth is in them.")
    if found.levels is not None and found.curves is None:
        lines.append(
            "A curve along the level takes two parts with three levels each that lie apart. Two levels have no "
            "curve between them: only the two are compared."
        )
    short = [
        found.part(part) for part in range(len(found.grid.parts))
        if found.curves is not None and not found.curves.is_tested(part).any()
    ]  # fmt: skip
    if short:
        lines.append(
            f"{listed(short)} {plural('was', len(short))} run at fewer than three levels: no curve along them."
        )
    return lines


def _no_crossing(found: Along, one: int, other: int, units: Mapping[str, str]) -> str:
    assert found.curves is not None
    gap = found.curves.difference(other, one)
    smallest = found.comparison.programme.smallest_difference
    names = f"{found.part(one)} and {found.part(other)}"
    if not found.curves.is_linked(one, other):
        return f"{names} cannot be compared: they ran on days that nothing links."
    tested = gap.change == gap.change
    if not tested.any():
        return f"{names} were run at no common level."
    span = " to ".join(level_words(found, float(found.curves.at[tested][end]), units) for end in (0, -1))
    ahead = (gap.low > 0) & (gap.change > smallest) & tested
    behind = (gap.high < 0) & (gap.change < -smallest) & tested
    for which, leader, second in ((ahead, other, one), (behind, one, other)):
        if which.any():
            where = "at every level" if which[tested].all() else "where they are separated at all,"
            return f"{found.part(leader)} leads {found.part(second)} {where} from {span}: no change-over there."
    most = float(gap.at_most[tested].max())
    state = DifferenceState.EQUAL if most < smallest else DifferenceState.SMALL
    if most > STILL_SMALL * smallest:
        state = DifferenceState.UNDECIDED
    return f"{names}: {state_words(state, most)} from {span}, so there is no change-over to tell."


def evidence(found: Along, parts: Sequence[int]) -> str:
    """Pulls, days and engines behind what is said of some parts."""
    setups = {int(cell) for part in parts for cell in found.grid.cells[part] if cell != EMPTY}
    rows = [row for row, setup in enumerate(found.comparison.setup_of.tolist()) if setup in setups]
    days = {found.comparison.kept[row].pull.session_id for row in rows}
    tests = len({found.comparison.kept[row].pull.session.programme_id for row in rows})
    of_tests = f" of {tests} tests" if tests > 1 else ""
    return f"{counted(len(rows), 'pull')} in {counted(len(days), 'session')}{of_tests} on one engine"
