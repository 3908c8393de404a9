"""The jets, or the fuel, that should bring a mixture curve to its band: never past the lean limit."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import product

import numpy as np
from torvix_core.judging.posterior import chance_below
from torvix_core.tuning.jet_slope import JetSlope, Shift
from torvix_core.tuning.mixture_power import MixturePower, learn_power
from torvix_core.tuning.mixture_reading import MixtureBand, in_range
from torvix_core.units.checked import Array, positive

SURE = 0.002  # chance at most that the leanest bin passes the limit after all
CLEAR = 0.99  # of the limit: so far below it a curve is brought that lay past it
MOST_STEPS = 8  # jet numbers in one change: a larger one is two changes
HOT_MARGIN = 25.0  # K below the limit of the exhaust: nearer to it, leaner is not advised [prac]
FUEL_STEP_RPM = 500.0  # of a fuel table, between two speeds
LEAST_GAIN = 0.001  # of power: what is expected below it is not worth a change


class Withheld(StrEnum):
    """Why there is no advice."""

    IN_BAND = "in_band"
    LEAN_END = "lean_end"  # leaner would bring nothing
    LEAN_LIMIT = "lean_limit"  # any step leaner might pass the limit
    FIRST_PULL = "first_pull"  # leaner only once the changed part was pulled twice
    KNOCK = "knock"
    EXHAUST = "exhaust"  # at its limit already, or near it
    NO_STEP = "no_step"  # no jets of this kind come nearer


@dataclass(frozen=True)
class JetAdvice:
    """Jets by position, what lambda they should give (mean and 95 % of the mean, and of each bin), and of power.

    `gain` and its bounds are shares of power. `steps` are numbers of the jets, by position.
    """

    jets: Mapping[str, float]
    steps: Mapping[str, int]
    mean: float
    mean_low: float
    mean_high: float
    curve: Array
    curve_low: Array
    curve_high: Array
    gain: float
    gain_low: float
    gain_high: float


@dataclass(frozen=True)
class MixtureState:
    """What the adviser is given: the curve, the jets that made it, and what speaks against leaner.

    `leanest_bank` is the leanest bin of either bank where each is read, lambda; `exhaust_room` by how much the hottest
    exhaust lay below its limit, K. None where nobody measured it.
    """

    speed_rpm: Array
    found: Array
    low_rpm: float
    high_rpm: float
    jets: Mapping[str, float]
    first_after_change: bool = False
    knocks: bool = False
    noise: float = 0.004  # scatter of ln λ from pull to pull [prac]
    leanest_bank: float | None = None
    exhaust_room: float | None = None

    @property
    def is_hot(self) -> bool:
        return self.exhaust_room is not None and self.exhaust_room < HOT_MARGIN

    def leanest(self, values: Array) -> float:
        """Of the mixture that the engine gets anywhere: no bank may pass the limit behind a mean."""
        return max(float(values.max()), self.leanest_bank or 0.0)


def advise(
    state: MixtureState, band: MixtureBand, slope: JetSlope, areas: Mapping[float, float] | None = None,
    power: MixturePower | None = None,
) -> JetAdvice | Withheld:  # fmt: skip
    """The jets that bring the mean nearest to the target, or why none are suggested.

    Shapes: one curve; `areas` gives the area of a jet by its number, else it goes with the number squared; `power` is
            what the mixture is worth on this engine, else as practice has it.
    Units:  lambda; jets by the number stamped on them.
    Errors: ValueError where the range holds no reading or a jet is not above zero.
    Source: jet_slope; the stop rules are common practice [prac]: no leaner than best power, than the limit, on the
            first pull of a changed part, on an engine that knocks, or with its exhaust near the limit. Positions keep
            their stagger unless one number more on one of them comes nearer.
    >>> from torvix_core.tuning.jet_slope import learn
    >>> speed = np.arange(3000.0, 6100, 100)
    >>> state = MixtureState(speed, np.full(31, 0.83), 3000, 6000, {"primary": 79.0, "secondary": 87.0})
    >>> found = advise(state, MixtureBand(0.865), learn([], "new", ("primary", "secondary")))
    >>> dict(found.steps), found.mean_low < 0.865 < found.mean_high
    ({'primary': -2, 'secondary': -3}, True)
    """
    _, values = in_range(state.speed_rpm, state.found, state.low_rpm, state.high_rpm)
    power = power or learn_power([])
    mean, leanest = float(values.mean()), state.leanest(values)
    if abs(mean - band.target) <= band.tolerance and leanest <= band.lean_limit:
        return Withheld.IN_BAND
    leaner = mean < band.target and leanest <= band.lean_limit
    if leaner:
        if state.knocks:
            return Withheld.KNOCK
        if state.first_after_change:
            return Withheld.FIRST_PULL
        if state.is_hot:
            return Withheld.EXHAUST
        if mean >= power.best_lambda[0]:
            return Withheld.LEAN_END
    before = {position: _area(number, areas) for position, number in state.jets.items()}
    best: tuple[float, int, dict[str, int], Shift] | None = None
    held_back = False
    for steps in _steps(tuple(state.jets), leaner):
        numbers = {position: number + steps[position] for position, number in state.jets.items()}
        if min(numbers.values()) <= 0 or (areas and not set(numbers.values()) <= set(areas)):
            continue
        after = {position: _area(number, areas) for position, number in numbers.items()}
        shift = slope.shift(before, after, state.noise)
        if (shift.expected > 0) is not leaner:
            continue
        passes = 1 - chance_below(shift.weight[:, None], shift.mean[:, None], shift.deviation[:, None],
                                  np.log(band.lean_limit / leanest))  # fmt: skip
        if leaner and float(passes[0]) > SURE:
            held_back = True
            continue
        off = abs(mean * float(np.exp(shift.expected)) - band.target)
        if leanest > band.lean_limit:  # out of danger comes before the target
            off = abs(leanest * float(np.exp(shift.expected)) - CLEAR * band.lean_limit)
        uneven = max(steps.values()) - min(steps.values())
        if best is None or (round(off, 4), uneven) < (round(best[0], 4), best[1]):
            best = off, uneven, steps, shift
    if best is None or (leanest <= band.lean_limit and best[0] >= abs(mean - band.target) - 1e-6):
        return Withheld.LEAN_LIMIT if held_back else Withheld.NO_STEP
    advice = _advice(state, values, best[2], best[3], power)
    return Withheld.LEAN_END if leaner and advice.gain < LEAST_GAIN else advice


def _steps(positions: Sequence[str], leaner: bool) -> Iterator[dict[str, int]]:
    """The same step everywhere, and one number more at any of the positions."""
    way = -1 if leaner else 1
    for size, more in product(range(MOST_STEPS + 1), product((0, 1), repeat=min(len(positions), 4))):
        extra = [*more, *[0] * (len(positions) - len(more))]
        steps = {position: way * (size + add) for position, add in zip(positions, extra, strict=True)}
        if any(steps.values()) and max(abs(step) for step in steps.values()) <= MOST_STEPS:
            yield steps


def _advice(
    state: MixtureState, values: Array, steps: Mapping[str, int], shift: Shift, power: MixturePower
) -> JetAdvice:
    low, high = shift.bounds()
    mean = float(values.mean())
    expected, least, most = (mean * float(np.exp(by)) for by in (shift.expected, low, high))
    curve, curve_low, curve_high = (state.found * float(np.exp(by)) for by in (shift.expected, low, high))
    return JetAdvice(
        {position: number + steps[position] for position, number in state.jets.items()}, dict(steps),
        expected, least, most, curve, curve_low, curve_high, *power.gain(values, shift),
    )  # fmt: skip


def _area(number: float, areas: Mapping[float, float] | None) -> float:
    positive("jet", number)
    return areas[number] if areas else number**2


@dataclass(frozen=True)
class FuelStep:
    """By how much the fuel at a speed is to be changed, as a share of what it gets, to meet the target."""

    speed_rpm: float
    share: float


def advise_fuel(
    state: MixtureState, band: MixtureBand, every_rpm: float = FUEL_STEP_RPM, power: MixturePower | None = None
) -> tuple[FuelStep, ...] | Withheld:
    """Of an injected engine: the change of its fuel table by speed, or why none is suggested.

    Shapes: one curve; a step for each stretch of `every_rpm` that holds a reading. `state.jets` is not looked at.
    Units:  rpm; shares of the fuel.
    Errors: ValueError where the range holds no reading.
    Source: lambda is air over fuel, so the fuel wanted is found / target [phys]; the stop rules are those of jets. No
            stretch is leaned out by more than half of the way at once: a table answers between its cells [prac].
    >>> speed, found = np.arange(3000.0, 5000, 500), np.array([0.83, 0.87, 0.90, 0.94])
    >>> [(step.speed_rpm, round(step.share, 3)) for step in
    ...  advise_fuel(MixtureState(speed, found, 3000, 4500, {}), MixtureBand(0.87), 500)]
    [(3000.0, -0.023), (3500.0, 0.0), (4000.0, 0.034), (4500.0, 0.08)]
    """
    speeds, values = in_range(state.speed_rpm, state.found, state.low_rpm, state.high_rpm)
    bank = state.leanest_bank or 0.0
    if (np.abs(values - band.target) <= band.tolerance + 1e-9).all() and bank <= band.lean_limit:
        return Withheld.IN_BAND
    # A bank past the limit comes before the target, at every speed: nobody says where it is lean.
    least = bank / (CLEAR * band.lean_limit) - 1 if bank > band.lean_limit else -1.0
    best, steps = (power or learn_power([])).best_lambda[0], []
    for at in np.unique(np.round(speeds / every_rpm)) * every_rpm:
        mean = float(values[np.round(speeds / every_rpm) * every_rpm == at].mean())
        share = 0.0 if abs(mean - band.target) <= band.tolerance + 1e-9 else mean / band.target - 1
        if share < 0:  # rich: leaner, and carefully
            held = state.knocks or state.first_after_change or state.is_hot or mean >= best
            held = held or bank / (1 + share / 2) > band.lean_limit
            share = 0.0 if held else share / 2
        steps.append(FuelStep(float(at), max(share, least)))
    if not any(step.share for step in steps):
        held_by = ((state.knocks, Withheld.KNOCK), (state.first_after_change, Withheld.FIRST_PULL),
                   (state.is_hot, Withheld.EXHAUST), (bank > CLEAR * band.lean_limit, Withheld.LEAN_LIMIT))  # fmt: skip
        return next((why for held, why in held_by if held), Withheld.LEAN_END)
    return tuple(steps)
