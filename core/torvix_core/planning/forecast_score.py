"""What somebody predicted against what was measured: hit, near, missed or undecided; how a person tends to be off."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from torvix_core.units.checked import finite

READS_THE_SAME = 0.0005  # [-], half of the tenth of a per cent that is shown
NEAR = 0.01  # [-], a percentage point beyond the ends still counts as near [prac]


class Outcome(StrEnum):
    HIT = "hit"
    NEAR = "near"
    MISSED = "missed"
    UNDECIDED = "undecided"  # what was measured allows a hit as well as a miss


@dataclass(frozen=True)
class Predicted:
    """A predicted gain as a share of the baseline's figure; an end is infinite where only a direction was predicted."""

    low: float
    high: float

    def __post_init__(self) -> None:
        if math.isnan(self.low) or math.isnan(self.high) or (math.isinf(self.low) and math.isinf(self.high)):
            raise ValueError("a prediction needs at least one end")
        if self.low > self.high:
            raise ValueError("the predicted range must rise")

    @property
    def middle(self) -> float | None:
        """None where only a direction was predicted."""
        return (self.low + self.high) / 2 if math.isfinite(self.high - self.low) else None

    def misses_by(self, actual: float) -> float:
        return max(self.low - actual, actual - self.high, 0.0)

    @property
    def near(self) -> float:
        """How far outside is still near."""
        return NEAR if self.middle is None else max(self.high - self.low, NEAR)


@dataclass(frozen=True)
class MeasuredGain:
    """What was measured, with its 95 % interval, as a share of the baseline's figure."""

    value: float
    low: float
    high: float


@dataclass(frozen=True)
class Tendency:
    """Over several predictions: how far on average what was measured lay above what was predicted, and its scatter.

    `bias` is None where only directions were predicted, `spread` of a single figure. `decided` is how many were hit,
    near or missed; `count` how many of these named figures.
    """

    decided: int
    hits: int
    count: int
    bias: float | None
    spread: float | None


def outcome(predicted: Predicted, measured: MeasuredGain) -> Outcome:
    """How a predicted range stands against what was measured.

    Shapes: scalars.
    Units:  shares of the baseline's score; a single predicted number has equal ends.
    Errors: ValueError if what was measured is not finite or its interval does not hold it.
    Source: house rule. Inside hits; as far outside as the range is wide, and at least NEAR, is near. An interval that
            holds the whole prediction cannot say more than hit; one that reaches from the prediction to beyond what is
            near decides nothing.
    >>> exact = MeasuredGain(0.027, 0.027, 0.027)
    >>> outcome(Predicted(0.01, 0.03), exact).value, outcome(Predicted(0.02, 0.02), exact).value
    ('hit', 'near')
    >>> outcome(Predicted(0.02, 0.02), MeasuredGain(0.027, -0.02, 0.074)).value
    'undecided'
    """
    finite("measured", [measured.value, measured.low, measured.high])
    if not measured.low <= measured.value <= measured.high:
        raise ValueError("the interval must hold the measured value")
    away = predicted.misses_by(measured.value)
    farthest = max(predicted.misses_by(measured.low), predicted.misses_by(measured.high))
    meets = measured.low <= predicted.high + READS_THE_SAME and predicted.low - READS_THE_SAME <= measured.high
    if meets and farthest > predicted.near:
        return Outcome.UNDECIDED
    holds_it = measured.low <= predicted.low and predicted.high <= measured.high
    if away <= READS_THE_SAME or holds_it:
        return Outcome.HIT
    return Outcome.NEAR if away <= predicted.near else Outcome.MISSED


def tendency(scored: Sequence[tuple[Predicted, MeasuredGain]]) -> Tendency:
    """How a person's predictions tend to be off.

    Shapes: at least one.
    Units:  as `outcome`.
    Errors: ValueError if there is none, or as `outcome`.
    Source: mean and sample standard deviation of what was measured less the middle of what was predicted.
    >>> exact = [MeasuredGain(value, value, value) for value in (0.01, 0.02)]
    >>> tendency([(Predicted(0.02, 0.02), exact[0]), (Predicted(0.04, 0.04), exact[1])]).bias
    -0.015
    """
    if not scored:
        raise ValueError("there is no prediction to look back on")
    outcomes = [outcome(predicted, measured) for predicted, measured in scored]
    off = np.array([
        measured.value - predicted.middle for predicted, measured in scored if predicted.middle is not None
    ])  # fmt: skip
    return Tendency(
        decided=sum(one is not Outcome.UNDECIDED for one in outcomes), hits=outcomes.count(Outcome.HIT),
        count=len(off), bias=round(float(off.mean()), 12) if len(off) else None,
        spread=float(off.std(ddof=1)) if len(off) > 1 else None,
    )  # fmt: skip
