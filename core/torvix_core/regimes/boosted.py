"""Boosted setups against each other: what boost and what breathing did, what a miss is worth, and the cost in exhaust.

Power follows the pressure in the manifold and how well the engine breathes at it: on the log scale they add up. Pulls
that other pulls say nothing of fall back on that alone, with a wide interval.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.difference import SMALLEST_DIFFERENCE, Difference
from torvix_core.judging.effects import USUAL, Effects, History, fit
from torvix_core.judging.lead_strip import fit_curves
from torvix_core.regimes.grid import Grid
from torvix_core.regimes.level_curves import slope_shares
from torvix_core.units.checked import Array, positive

# Share of power for one share of manifold pressure where no other level was pulled: the charge follows the pressure,
# heat takes some of it, and friction stays, which gives some back [phys, mem]
PHYSICS = (0.7, 1.0, 1.3)
SAME_BOOST = 3_000.0  # Pa; closer than that two setups count as run at the same boost [prac]
LEAST_BACK_PRESSURE = 5_000.0  # Pa, and
LEAST_TURBINE = 1_000.0  # rpm that are worth a word [prac]


@dataclass(frozen=True)
class BreathingSplit:
    """One setup against another, (bins,) each: power, and the two that make it. Logs of the shares add up."""

    power: Difference
    pressure: Difference
    breathing: Difference


def breathing_split(
    torque: Array, pressure: Array, layout: Layout, history: History = USUAL, along: bool = True
) -> BoostSplit:  # fmt: skip
    """What more or less boost did to the power, and what better or worse breathing at it.

    Shapes: torque, pressure (pulls, bins).
    Units:  any one unit of torque or power; pressure in the manifold, absolute. `along`: bins are of one curve, so that
            intervals hold in all of them together; else they are scores by themselves.
    Errors: ValueError and NotEnoughPulls as `effects.fit`.
    Source: definition: ln power = ln pressure + ln (power for one pressure). Boost that falls while power rises is
            better breathing, with a drive that is fixed [prac].
    >>> torque = np.array([[100.0] * 4, [100.2] * 4, [103.0] * 4, [103.2] * 4])
    >>> pressure = np.array([[150.0] * 4, [150.0] * 4, [147.0] * 4, [147.0] * 4])
    >>> found = breathing_split(torque, pressure, Layout.of([0, 0, 1, 1])).between(1, 0)
    >>> [round(float(one.change[0]), 3) for one in (found.power, found.pressure, found.breathing)]
    [0.029, -0.02, 0.05]
    """
    by = fit_curves if along else fit
    return BoostSplit(
        by(torque, layout, history), by(positive("pressure", pressure), layout, history),
        by(torque / pressure, layout, history),
    )  # fmt: skip


@dataclass(frozen=True)
class BoostSplit:
    """Power, manifold pressure, and power for one pressure, each fitted by itself."""

    power: Effects
    pressure: Effects
    breathing: Effects

    def between(self, setup: int, reference: int) -> BreathingSplit:
        """One setup against another; NotLinked where the days have nothing in common."""
        power, plain, breathing = (
            one.difference(setup, reference) for one in (self.power, self.pressure, self.breathing)
        )
        # The pressure is what the others leave, so that the three add up to the last digit.
        change = (1 + power.change) / (1 + breathing.change) - 1
        moved = (1 + change) / (1 + plain.change)
        low, high = ((1 + bound) * moved - 1 for bound in (plain.low, plain.high))
        return BreathingSplit(power, Difference(change, low, high, plain.chance), breathing)


@dataclass(frozen=True)
class Sensitivity:
    """Share of power for one share of manifold pressure, with its 95 % interval.

    `learned`: from pulls of the same part at other levels.
    """

    value: float
    low: float
    high: float
    learned: bool


def sensitivity(effects: Effects, grid: Grid | None, log_pressure: Array, setup: int) -> Sensitivity:
    """How power follows boost at a setup: by the same part at other levels, else by the physics of a charge.

    Shapes: log_pressure (setups,) that they reached.
    Units:  log of Pa absolute; effects of one score.
    Errors: none.
    Source: slope of the part's own curve, `level_curves.slope_shares`; PHYSICS at the head of this module.
    >>> from torvix_core.judging.effects import fit
    >>> grid = Grid("boost", ("cam",), (("mild",),), ("1", "2"), np.array([[0, 1]]))
    >>> effects = fit(np.array([100.0, 110, 100, 110]), Layout.of([0, 1, 0, 1]))
    >>> found = sensitivity(effects, grid, np.log([150e3, 165e3]), 0)
    >>> round(found.value, 3), found.learned, sensitivity(effects, None, np.log([150e3, 165e3]), 0).value
    (1.0, True, 1.0)
    """
    if grid is not None:
        shares = slope_shares(grid, log_pressure)[setup]
        linked = {int(effects.model.group[one]) for one in np.flatnonzero(shares)}
        if len(linked) == 1:
            value, low, high = (float(each) for each in effects.contrast(shares))
            return Sensitivity(value, low, high, learned=True)
    low, value, high = PHYSICS
    return Sensitivity(value, low, high, learned=False)


def worth_of_miss(found: Sensitivity, reached: float, target: float) -> tuple[float, float, float]:
    """What power a pull has more or less for having missed its target: an allowance, never a correction.

    Shapes: scalars; result share, low, high.
    Units:  Pa absolute.
    Errors: ValueError naming the argument.
    Source: first order in the log of the pressure.
    >>> [round(each, 4) for each in worth_of_miss(Sensitivity(1.0, 0.7, 1.3, False), 202e3, 200e3)]
    [0.01, 0.007, 0.013]
    """
    missed = float(np.log(positive("reached", reached) / positive("target", target)))
    low, high = sorted((found.low * missed, found.high * missed))
    return float(np.expm1(found.value * missed)), float(np.expm1(low)), float(np.expm1(high))


class ExhaustCost(StrEnum):
    """What the exhaust side says of one setup against another at the same boost."""

    OTHER_BOOST = "other_boost"  # they were not run at the same boost, so nothing can be read
    DEARER = "dearer"  # more back pressure or turbine speed, and less power
    UNPAID = "unpaid"  # more of either, and no gain in power beyond scatter
    PAID = "paid"  # more of either, and more power for it
    FREE = "free"  # more power for no more of either
    CHEAPER = "cheaper"  # less of either, and no less power
    WEAKER = "weaker"  # less power, and the exhaust does not say why
    NOTHING = "nothing"  # no difference beyond scatter


@dataclass(frozen=True)
class AtSameBoost:
    """One setup against another over the range: differences in Pa and rpm with their intervals, power as a share.

    `turbine` is None where no channel reads it.
    """

    boost: float
    power: Difference
    back_pressure: tuple[float, float, float]
    turbine: tuple[float, float, float] | None
    cost: ExhaustCost


def exhaust_cost(
    boost: float, power: Difference, back_pressure: tuple[float, float, float],
    turbine: tuple[float, float, float] | None, smallest: float = SMALLEST_DIFFERENCE,
) -> ExhaustCost:  # fmt: skip
    """What the exhaust side says: only of differences beyond scatter that are worth a word.

    Shapes: scalars; each of three is a difference with the bounds of its interval.
    Units:  Pa, share, Pa, rpm.
    Errors: none.
    Source: same boost with more back pressure, more turbine speed and less power points at too much overlap, or at a
            turbine that is too small for it [prac].
    >>> less = Difference(*(np.array(each) for each in (-0.06, -0.07, -0.05, 0.0)))
    >>> exhaust_cost(500.0, less, (9e4, 8e4, 1e5), (9000.0, 8000.0, 10000.0)).value
    'dearer'
    """
    if abs(boost) > SAME_BOOST:
        return ExhaustCost.OTHER_BOOST

    def side(of: tuple[float, float, float] | None, least: float) -> int:
        if of is None or abs(of[0]) < least:
            return 0
        return 1 if of[1] > 0 else -1 if of[2] < 0 else 0

    sides = {side(back_pressure, LEAST_BACK_PRESSURE), side(turbine, LEAST_TURBINE)} - {0}
    gain = 0
    if abs(float(power.change)) > smallest:
        gain = 1 if float(power.low) > 0 else -1 if float(power.high) < 0 else 0
    if sides == {1}:
        return {1: ExhaustCost.PAID, 0: ExhaustCost.UNPAID, -1: ExhaustCost.DEARER}[gain]
    if sides == {-1} and gain >= 0:
        return ExhaustCost.CHEAPER
    if gain:
        return ExhaustCost.FREE if gain > 0 else ExhaustCost.WEAKER
    return ExhaustCost.NOTHING
