"""What somebody expected against what came: hit, near or missed, and how a person tends to be off."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from numpy.typing import ArrayLike
from torvix_core.units.checked import Array, finite, same_length

READS_THE_SAME = 0.0005  # [-], half of the tenth of a per cent that is shown
NEAR = 0.01  # [-], a percentage point beyond the ends still counts as near [prac]


class Outcome(StrEnum):
    HIT = "hit"
    NEAR = "near"
    MISSED = "missed"


@dataclass(frozen=True)
class Tendency:
    """Over several expectations: how far on average what came lay above what was expected, and how that scatters."""

    count: int
    bias: float
    spread: float | None  # None of a single one
    hits: int


def outcome(low: float, high: float, actual: float) -> Outcome:
    """How an expected range stands against what came.

    Shapes: scalars.
    Units:  shares of the baseline's score; a single expected number has equal ends.
    Errors: ValueError if not finite or the ends do not rise.
    Source: house rule: inside hits, as far outside as the range is wide, and at least NEAR, is near.
    >>> outcome(0.01, 0.03, 0.02).value, outcome(0.02, 0.02, 0.027).value, outcome(0.02, 0.02, 0.05).value
    ('hit', 'near', 'missed')
    """
    finite("expected", [low, high])
    finite("actual", actual)
    if low > high:
        raise ValueError("the expected range must rise")
    away = max(low - actual, actual - high, 0.0)
    if away <= READS_THE_SAME:
        return Outcome.HIT
    return Outcome.NEAR if away <= max(high - low, NEAR) else Outcome.MISSED


def tendency(low: ArrayLike, high: ArrayLike, actual: ArrayLike) -> Tendency:
    """How a person's expectations tend to be off.

    Shapes: each (n,), at least one.
    Units:  as `outcome`.
    Errors: ValueError if there is none, or as `outcome`.
    Source: mean and sample standard deviation of what came less the middle of what was expected.
    >>> tendency([0.02, 0.04], [0.02, 0.04], [0.01, 0.02]).bias
    -0.015
    """
    lows, highs, found = finite("low", low), finite("high", high), finite("actual", actual)
    same_length(low=lows, high=highs, actual=found)
    if not found.size:
        raise ValueError("there is no expectation to look back on")
    off: Array = found - (lows + highs) / 2
    hits = sum(
        outcome(*each) is Outcome.HIT for each in zip(lows.tolist(), highs.tolist(), found.tolist(), strict=True)
    )
    spread = float(off.std(ddof=1)) if found.size > 1 else None
    return Tendency(count=int(found.size), bias=round(float(off.mean()), 12), spread=spread, hits=hits)
