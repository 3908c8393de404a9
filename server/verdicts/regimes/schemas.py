"""Grids of parts and levels: rankings at each level, regimes along it, and the map of level and speed."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import groupby

import numpy as np
from torvix_core.air.standards import DEFINITIONS
from torvix_core.pull.curve import GRID_RPM
from torvix_core.regimes.change_over import Crossing, Zone
from torvix_core.regimes.grid import EMPTY, PartEffect
from torvix_core.units import quantities

from programmes.plan.confounding import names_of
from programmes.plan.plans import Plan
from shop.schema import Schema
from verdicts.judging import choice as choices
from verdicts.judging.answers import DifferenceOut, difference_out
from verdicts.judging.selection_criteria import SetupCriteria
from verdicts.regimes import messages
from verdicts.regimes.levels import NAMES
from verdicts.regimes.service import Along, LevelPlace, LevelRanking, RegimeMap, RegimeOfDuty, Regimes, measured_in


class GridPartOut(Schema):
    """A row: its name, and the setup at each level, null where the plan has none."""

    name: str
    setup_ids: list[int | None]


class LevelPlaceOut(Schema):
    """`cost` of the parts, null where a price is not known or not for this reader."""

    part: int
    setup_id: int
    score: float
    to_best: DifferenceOut | None
    with_the_best: bool
    cost: float | None


class LevelRankingOut(Schema):
    level: int
    sentence: str
    places: list[LevelPlaceOut]


class AtLevelOut(Schema):
    level: int
    percent: float
    low_percent: float
    high_percent: float
    state: str


class PartEffectOut(Schema):
    """`other` against `one`, by place among the parts."""

    one: int
    other: int
    at_levels: list[AtLevelOut]
    percent: float
    low_percent: float
    high_percent: float
    interacts: bool
    sentence: str


class LevelCurveOut(Schema):
    """A part along the level, and against the `reference` with its interval; null where it was not tested."""

    score: list[float | None]
    percent: list[float | None]
    low_percent: list[float | None]
    high_percent: list[float | None]


class ReachedOut(Schema):
    part: int
    level: float
    score: float


class ZoneOut(Schema):
    low: float
    high: float
    parts: list[int]
    state: str
    at_most_percent: float


class CrossingOut(Schema):
    """low or high null: the interval runs out of what was tested, and nothing says that it overtakes at all."""

    before: int
    after: int
    at: float
    low: float | None
    high: float | None
    elsewhere: list[list[float]]
    power: float | None
    sentence: str


class MapStretchOut(Schema):
    """Speeds at which the same parts lead; no parts where fewer than two were tested."""

    low_rpm: float
    high_rpm: float
    parts: list[int]
    state: str


class MapRowOut(Schema):
    """One level of the map; `power` is the peak of the best part there."""

    level: float
    power: float | None
    stretches: list[MapStretchOut]


class RegimeOfDutyOut(Schema):
    duty: str
    label: str
    zones: list[ZoneOut]
    sentences: list[str]


class RegimesOut(Schema):
    """Levels in `level_unit`; `along` are those of the curves, zones and crossings.

    These are of `along_parts`: the parts of this test in their order, then those of tests that are linked with it.
    """

    standard_label: str
    part_label: str
    level_label: str
    level_unit: str
    level_kind: str
    measured: bool
    levels: list[str]
    parts: list[GridPartOut]
    empty: list[str]
    score_unit: str
    power_unit: str
    rankings: list[LevelRankingOut]
    effects: list[PartEffectOut]
    along_parts: list[str]
    along: list[float]
    along_power: list[float | None]
    reference: int
    curves: list[LevelCurveOut]
    reached: list[ReachedOut]
    zones: list[ZoneOut]
    crossings: list[CrossingOut]
    sentences: list[str]
    map: list[MapRowOut]
    duties: list[RegimeOfDutyOut]
    linked: list[str]
    notes: list[str]


def regimes_out(
    found: Regimes, plan: Plan, beside: Mapping[int, SetupCriteria], drawn: RegimeMap | None,
    duties: list[RegimeOfDuty], units: Mapping[str, str],
) -> RegimesOut:  # fmt: skip
    comparison, grid, names = found.comparison, found.grid, names_of(plan)
    unit = units[measured_in(found.measure)]
    planned, along = found.plan_grid, found.along
    return RegimesOut(
        standard_label=DEFINITIONS[comparison.standard].label,
        part_label=" and ".join(names.get(slot, slot) for slot in grid.part_slots),
        level_label=names.get(grid.level_slot, grid.level_slot),
        level_unit="" if along.levels is None else along.levels.unit(units),
        level_kind="" if along.levels is None else NAMES[along.levels.kind],
        measured=along.levels is not None and along.levels.measured,
        levels=list(grid.levels),
        parts=[
            GridPartOut(name=found.part(part), setup_ids=[
                None if place == EMPTY else planned.setups[place].pk for place in row
            ])
            for part, row in enumerate(planned.grid.cells.tolist())
        ],
        empty=[f"{found.part(part)} at {grid.levels[level]}" for part, level in planned.grid.empty()],
        score_unit=unit, power_unit=units["power"],
        rankings=[_ranking(found, one, beside, unit) for one in found.rankings],
        effects=[_effect(found, one) for one in found.effects],
        along_parts=[along.part(part) for part in range(len(along.grid.parts))],
        along=[] if along.curves is None else _levels(along, along.curves.at, units),
        along_power=_along_power(along, units["power"]),
        reference=_reference(along), curves=_curves(along, unit), reached=_reached(along, unit, units),
        zones=[_zone(along, one, units) for one in along.zones],
        crossings=[_crossing(along, one, units) for one in along.crossings],
        sentences=messages.crossing_sentences(along, units), map=_map(along, drawn, units),
        duties=[
            RegimeOfDutyOut(
                duty=one.preset, label=choices.label(one.preset),
                zones=[_zone(along, zone, units) for zone in one.zones],
                sentences=[messages.change_over(along, crossing, units) for crossing in one.crossings],
            )
            for one in duties
        ],
        linked=list(found.linked.notes), notes=messages.notes(along),
    )  # fmt: skip


def _levels(found: Along, x: np.typing.ArrayLike, units: Mapping[str, str]) -> list[float]:
    assert found.levels is not None
    shown: list[float] = quantities.from_si(found.levels.shown(np.asarray(x)), found.levels.unit(units)).tolist()
    return shown


def _level(found: Along, x: float, units: Mapping[str, str]) -> float:
    return _levels(found, [x], units)[0]


def _ranking(
    found: Regimes, ranking: LevelRanking, beside: Mapping[int, SetupCriteria], unit: str
) -> LevelRankingOut:  # fmt: skip
    best = next((place.score for place in ranking.places if place.to_best is None), ranking.places[0].score)
    return LevelRankingOut(
        level=ranking.level, sentence=messages.ranking_sentence(found.plan_grid, ranking),
        places=[_place(found, place, best, beside, unit) for place in ranking.places],
    )  # fmt: skip


def _place(
    found: Regimes, place: LevelPlace, best: float, beside: Mapping[int, SetupCriteria], unit: str
) -> LevelPlaceOut:  # fmt: skip
    setup = found.comparison.setups[place.setup].pk
    return LevelPlaceOut(
        part=place.part, setup_id=setup, score=float(quantities.from_si(place.score, unit)),
        to_best=difference_out(place.to_best, best, unit, found.comparison.programme.smallest_difference),
        with_the_best=place.with_the_best, cost=beside[setup].cost.shown if setup in beside else None,
    )  # fmt: skip


def _effect(found: Regimes, effect: PartEffect) -> PartEffectOut:
    smallest = found.comparison.programme.smallest_difference
    return PartEffectOut(
        one=effect.one, other=effect.other, percent=effect.change * 100, low_percent=effect.low * 100,
        high_percent=effect.high * 100, interacts=effect.interacts, sentence=messages.effect_sentence(found, effect),
        at_levels=[
            AtLevelOut(
                level=level, percent=float(one.change) * 100, low_percent=float(one.low) * 100,
                high_percent=float(one.high) * 100, state=one.state(smallest),
            )
            for level, one in effect.at_levels
        ],
    )  # fmt: skip


def _known(values: np.typing.NDArray[np.float64]) -> list[float | None]:
    return [float(value) if np.isfinite(value) else None for value in values]


def _reference(found: Along) -> int:
    """The part of the baseline, or the first that has a curve."""
    own = found.grid.row_of(found.comparison.baseline)
    curves = found.curves
    tested = [part for part in range(len(found.grid.parts)) if curves is not None and curves.is_tested(part).any()]
    return own if own is not None and (own in tested or not tested) else next(iter(tested), 0)


def _curves(found: Along, unit: str) -> list[LevelCurveOut]:
    if found.curves is None:
        return []
    made, reference = [], _reference(found)
    for part in range(len(found.grid.parts)):
        gap = found.curves.difference(part, reference) if part != reference else None
        none: list[float | None] = [None] * len(found.curves.at)
        made.append(LevelCurveOut(
            score=_known(quantities.from_si(np.exp(found.curves.log_mean(part)), unit)),
            percent=none if gap is None else _known(gap.change * 100),
            low_percent=none if gap is None else _known(gap.low * 100),
            high_percent=none if gap is None else _known(gap.high * 100),
        ))  # fmt: skip
    return made


def _along_power(found: Along, unit: str) -> list[float | None]:
    """Peak power of the best part along the level."""
    if found.curves is None:
        return []
    shares = found.curves.shares @ found.peak_power
    tested = np.isfinite(shares).any(axis=0)
    best = np.where(tested, np.nan_to_num(shares, nan=-np.inf).max(axis=0), np.nan)
    return _known(quantities.from_si(np.exp(best), unit))


def _reached(found: Along, unit: str, units: Mapping[str, str]) -> list[ReachedOut]:
    """Where each setup was run, by its own pulls."""
    if found.curves is None:
        return []
    made = []
    for part, row in enumerate(found.grid.cells.tolist()):
        for setup in row:
            if setup != EMPTY:
                level = _level(found, float(found.curves.reached[setup]), units)
                score = float(quantities.from_si(found.curves.effects.mean[setup], unit))
                made.append(ReachedOut(part=part, level=level, score=score))
    return made


def _zone(found: Along, zone: Zone, units: Mapping[str, str]) -> ZoneOut:
    low, high = _levels(found, [zone.low, zone.high], units)
    return ZoneOut(
        low=low, high=high, parts=list(zone.leaders), state=zone.state, at_most_percent=zone.at_most * 100
    )  # fmt: skip


def _crossing(found: Along, crossing: Crossing, units: Mapping[str, str]) -> CrossingOut:
    power = found.power_at(crossing.after, crossing.at)
    low, high = (None if x is None else _level(found, x, units) for x in (crossing.low, crossing.high))
    return CrossingOut(
        before=crossing.before, after=crossing.after, at=_level(found, crossing.at, units), low=low, high=high,
        elsewhere=[_levels(found, pair, units) for pair in crossing.elsewhere],
        power=float(quantities.from_si(power, units["power"])) if crossing.is_located else None,
        sentence=messages.crossing_sentence(found, crossing, units),
    )  # fmt: skip


def _map(found: Along, drawn: RegimeMap | None, units: Mapping[str, str]) -> list[MapRowOut]:
    """Lowest level first; each stretch reaches half way to the next bin."""
    if drawn is None or found.curves is None:
        return []
    speed = found.comparison.speed_rpm[found.scored.inside]
    rows = []
    for place, x in enumerate(drawn.x.tolist()):
        cells = [
            (tuple(np.flatnonzero(drawn.leads[:, place, at]).tolist()), str(drawn.state[place, at]))
            if drawn.highest[place, at] != EMPTY else ((), "")
            for at in range(len(speed))
        ]  # fmt: skip
        stretches, at = [], 0
        for (parts, state), run in groupby(cells):
            end = at + len(list(run))
            low = speed[at] - (GRID_RPM / 2 if at else 0)
            high = speed[end - 1] + (GRID_RPM / 2 if end < len(speed) else 0)
            stretches.append(MapStretchOut(low_rpm=float(low), high_rpm=float(high), parts=list(parts), state=state))
            at = end
        powers = [found.power_at(part, x) for part in range(len(found.grid.parts))]
        known = [power for power in powers if np.isfinite(power)]
        power = float(quantities.from_si(max(known), units["power"])) if known else None
        rows.append(MapRowOut(level=_level(found, x, units), power=power, stretches=stretches))
    return rows
