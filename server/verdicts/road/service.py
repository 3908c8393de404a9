"""All setups on the road at once: each pull's curve is driven, and its times are judged like any score.

A time goes with a power of the torque that is nearly the same for every curve of one car: turned by it, times have the
scatter and drift of torque, and one model says what they differ in.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from torvix_core.air.air import air_from_relative_humidity
from torvix_core.air.standards import DEFINITIONS, Standard
from torvix_core.judging import duty, representative_pull, verdict
from torvix_core.judging.difference import Difference, DifferenceState
from torvix_core.judging.effects import Effects, NotEnoughPulls, fit
from torvix_core.road import run
from torvix_core.road.acceleration import AIR_DENSITY, GearTable, gear_tables
from torvix_core.road.rolling import grade_held, rolling_time
from torvix_core.road.run import StandingRun, standing_run, stretches, time_at_rpm
from torvix_core.road.shifts import SAME_TIME, ShiftRange, best_shifts
from torvix_core.road.vehicle import Vehicle
from torvix_core.units.checked import Array

from shop.refusals import Invalid
from verdicts.comparison.aligned_pulls import Comparison
from verdicts.judging.choice import Choice

GAS_CONSTANT = 287.05  # J/(kg·K) of dry air
TRIED_MORE = 0.01  # of torque, by which the power of a time is found
LEAST_POWER = 0.02  # below it the tires decide, and torque says nothing of the time
SIXTY, EIGHTH, QUARTER, ROLLING = "sixty", "eighth", "quarter", "rolling"
LABELS = {SIXTY: "60 ft", EIGHTH: "Eighth mile", QUARTER: "Quarter mile", ROLLING: "On the roll"}


@dataclass(frozen=True)
class Rolling:
    """From one road speed to another, m/s, in a gear counted from 0."""

    gear: int
    low: float
    high: float


@dataclass(frozen=True)
class TimeGap:
    """A setup's time against another's, s, with its 95 % interval; below zero is quicker."""

    seconds: float
    low: float
    high: float
    state: DifferenceState


@dataclass(frozen=True)
class RoadMeasure:
    """One time of every setup, s (setups,), nan where it is not known, and how it stands to the quickest and baseline.

    `leading`: those that the quickest is not ahead of, itself too; empty while scatter is not known.
    """

    key: str
    times: Array
    to_baseline: tuple[TimeGap | None, ...]
    leading: tuple[int, ...]
    state: DifferenceState | None
    widest: float  # s, how far apart those that lead may be


@dataclass(frozen=True)
class Road:
    comparison: Comparison
    vehicle: Vehicle
    gears: tuple[GearTable, ...]
    run: StandingRun
    shifts: ShiftRange
    searched: bool
    measures: tuple[RoadMeasure, ...]
    grades: Array | None  # (setups,) rise over run
    problems: tuple[str, ...]  # by setup, why a run is not known; empty where it is
    out: frozenset[int]  # setups that do not keep the limits of the test
    air_density: float


def drive(
    comparison: Comparison, choice: Choice, vehicle: Vehicle, shift_rpm: float | None = None,
    rolling: Rolling | None = None, grade: tuple[int, float] | None = None, out: frozenset[int] = frozenset(),
) -> Road:  # fmt: skip
    """Every setup and pull of a comparison in one car; `out` do not lead. Invalid names what cannot be driven."""
    bins, density = comparison.speed_rpm, air_density(comparison, choice.standard)
    curves = _setup_curves(comparison, choice)
    try:
        gears = gear_tables(vehicle, bins, curves, density)
        of_pulls = gear_tables(vehicle, bins, comparison.torque, density)
    except ValueError as reason:
        field = "launch_speed" if vehicle.launch_rpm is not None else "converter_stall"
        raise Invalid(f"This car cannot leave the line: {reason}.", fields={field: str(reason)}) from reason
    found = _shifts(vehicle, gears, shift_rpm, float(bins[0]), float(bins[-1]), density)
    its = standing_run(vehicle, gears, found.best, density)
    shifts_of_pulls = found.best[comparison.setup_of]
    pulled = standing_run(vehicle, of_pulls, shifts_of_pulls, density)
    more = standing_run(vehicle, gear_tables(vehicle, bins, curves * (1 + TRIED_MORE), density), found.best, density)
    measures = [
        _judged(comparison, choice, out, key, getattr(pulled, key), getattr(its, key), getattr(more, key))
        for key in (SIXTY, EIGHTH, QUARTER)
    ]
    if rolling is not None:
        measures.append(_rolling(comparison, choice, out, vehicle, rolling, gears, of_pulls, curves, density))
    return Road(
        comparison, vehicle, gears, its, found, shift_rpm is None, tuple(measures),
        None if grade is None else _grades(vehicle, grade, bins, curves, density),
        _problems(vehicle, gears, found.best, its, density), out, density,
    )  # fmt: skip


def air_density(comparison: Comparison, standard: Standard) -> float:
    """Of the air that the car moves through, kg/m³: of the day where torque is as observed, else of the standard."""
    facts = DEFINITIONS[standard]
    if standard is not Standard.OBSERVED:
        if facts.pressure is None or facts.temperature is None:
            return AIR_DENSITY
        return facts.pressure / GAS_CONSTANT / facts.temperature
    known = [one.pull.air for one in comparison.kept if one.pull.air is not None]
    if not known:
        return AIR_DENSITY
    return float(np.mean([
        air_from_relative_humidity(air.barometer, air.temperature, air.relative_humidity).density for air in known
    ]))  # fmt: skip


def _setup_curves(comparison: Comparison, choice: Choice) -> Array:
    """What stands for each setup, (setups, bins) N·m."""
    effects = comparison.curves(choice.school)
    return comparison.means(comparison.torque) if effects is None else np.asarray(effects.mean)


def _shifts(
    vehicle: Vehicle, gears: tuple[GearTable, ...], typed: float | None, low: float, high: float, density: float
) -> ShiftRange:  # fmt: skip
    searched = best_shifts(vehicle, gears, low, high, run.QUARTER_MILE, density)
    if typed is None:
        return searched
    if not low < typed <= high:
        there = f"from {low:.0f} to {high:.0f} rpm, where all were swept"
        raise Invalid(f"The shift must lie {there}.", fields={"shift_rpm": f"type one {there}"})
    best = np.full(searched.best.shape, typed)
    return ShiftRange(best, best, best, np.zeros(best.shape, dtype=bool), searched.reached)


def _judged(
    comparison: Comparison, choice: Choice, out: frozenset[int], key: str, pulled: Array, its: Array, more: Array
) -> RoadMeasure:  # fmt: skip
    """Times of pulls (pulls,) and setups (setups,), `more` with more torque: what the setups differ in."""
    count, none = len(its), (None,) * len(its)
    power = -np.log(more / its) / np.log1p(TRIED_MORE)
    turned = float(np.nanmedian(power)) if np.isfinite(power).any() else float("nan")
    if not np.isfinite(pulled).all() or not np.isfinite(turned) or turned < LEAST_POWER:
        return RoadMeasure(key, its, none, (), None, 0.0)
    try:
        effects = fit(pulled ** (-1 / turned), comparison.layout, comparison.history)
        effects = representative_pull.stand_for(effects, choice.school)
    except NotEnoughPulls:
        return RoadMeasure(key, its, none, (), None, 0.0)
    smallest, baseline = comparison.programme.smallest_difference, comparison.baseline
    may = [setup for setup in range(count) if setup not in out]
    if not may:
        return RoadMeasure(key, its, none, (), None, 0.0)
    best, leading = verdict.leaders(effects, baseline if baseline in may else may[0], smallest, out)
    gaps = tuple(
        _gap(effects, setup, baseline, float(its[baseline]), turned, smallest) if setup != baseline else None
        for setup in range(count)
    )
    apart = float(np.ptp(its[may]))
    if len(may) > 1 and apart < SAME_TIME:  # as where the tires decide: no clock separates them
        return RoadMeasure(key, its, gaps, tuple(may), DifferenceState.EQUAL, apart)
    among = [_gap(effects, setup, best, float(its[best]), turned, smallest) for setup in leading if setup != best]
    states = {one.state for one in among if one is not None}
    order = (DifferenceState.UNDECIDED, DifferenceState.SMALL, DifferenceState.EQUAL)
    widest = max((max(abs(one.low), abs(one.high)) for one in among if one is not None), default=0.0)
    state = next((one for one in order if one in states), DifferenceState.SMALL if len(leading) > 1 else None)
    return RoadMeasure(key, its, gaps, tuple(sorted(leading)), state, widest)


def _gap(
    effects: Effects, setup: int, other: int, seconds: float, turned: float, smallest: float
) -> TimeGap | None:  # fmt: skip
    """Back from torque to time; more of it is less time, so the ends change places."""
    if not effects.linked(setup, other):
        return None
    found: Difference = effects.difference(setup, other)
    change, low, high = (
        seconds * ((1 + float(share)) ** -turned - 1) for share in (found.change, found.low, found.high)
    )
    return TimeGap(change, high, low, found.state(smallest))


def _rolling(
    comparison: Comparison, choice: Choice, out: frozenset[int], vehicle: Vehicle, asked: Rolling,
    gears: tuple[GearTable, ...], of_pulls: tuple[GearTable, ...], curves: Array, density: float,
) -> RoadMeasure:  # fmt: skip
    _known_gear(vehicle, asked.gear)
    more = gear_tables(vehicle, comparison.speed_rpm, curves * (1 + TRIED_MORE), density)
    try:
        its, pulled, faster = (
            rolling_time(tables[asked.gear], asked.low, asked.high) for tables in (gears, of_pulls, more)
        )
    except ValueError as reason:
        raise Invalid(
            f"Not known on the roll: {reason}.", fields={"roll_from": str(reason), "roll_to": str(reason)}
        ) from reason
    ends = [np.where(np.isfinite(each), each, np.nan) for each in (pulled, its, faster)]
    return _judged(comparison, choice, out, ROLLING, *ends)


def _grades(vehicle: Vehicle, asked: tuple[int, float], bins: Array, curves: Array, density: float) -> Array:
    gear, speed = asked
    _known_gear(vehicle, gear)
    try:
        return grade_held(vehicle, gear, speed, bins, curves, density)
    except ValueError as reason:
        message = f"in this gear and at this speed {reason}"
        raise Invalid(f"No grade: {message}.", fields={"grade_at": message}) from reason


def _known_gear(vehicle: Vehicle, gear: int) -> None:
    if not 0 <= gear < len(vehicle.gears):
        message = f"the car has gears 1 to {len(vehicle.gears)}"
        raise Invalid("There is no such gear.", fields={"roll_gear": message, "grade_gear": message})


def _problems(
    vehicle: Vehicle, gears: tuple[GearTable, ...], shifts: Array, its: StandingRun, density: float
) -> tuple[str, ...]:
    driven = stretches(vehicle, gears, shifts, density)
    found = []
    for setup in range(len(shifts)):
        if np.isfinite(its.quarter[setup]):
            found.append("")
            continue
        dropped = next((gear for gear, one in enumerate(driven) if np.isnan(one.begins[setup])), None)
        if dropped is not None:
            found.append(
                f"The shift into gear {dropped + 1} drops the engine below the sweep: nothing is known there. Sweep "
                "from a lower speed, or shift later."
            )
        else:
            found.append(
                "The quarter mile is not reached: the sweep of the last gear ends before, or the car no longer gains "
                "speed."
            )
    return tuple(found)


def run_duties(found: Road) -> list[tuple[tuple[float, float], ...]]:
    """By setup, how long its run stays about each speed, as points of a duty, rpm and weight; empty if not known."""
    bins = found.comparison.speed_rpm
    every = time_at_rpm(found.vehicle, found.gears, found.shifts.best, bins, air_density=found.air_density)
    return [
        duty.of_shares(bins, shares).points if np.isfinite(shares).all() and shares.max() > 0 else ()
        for shares in every
    ]
