"""What may be said of a statement by what was measured of it."""

from __future__ import annotations

from enum import StrEnum

from torvix_core.guidelines.pooling import Pooled


class Claimed(StrEnum):
    """What the statement says that more of the variable does to the figure."""

    MORE = "more"
    LESS = "less"
    NOTHING = "nothing"


class Bearing(StrEnum):
    """What one test, or one engine, says of the statement."""

    FOR = "for"
    AGAINST = "against"
    NEITHER = "neither"


class GuidelineState(StrEnum):
    UNTESTED = "untested"
    ONE_ENGINE = "one_engine"  # a single engine says nothing of another
    HOLDS = "holds"  # also for the next engine
    ON_AVERAGE = "on_average"  # over the engines tested, and the next may do otherwise
    OPEN = "open"
    REFUTED = "refuted"


def speaks(low: float, high: float, claimed: Claimed, smallest: float) -> Bearing:
    """Whether an interval speaks for the statement, against it, or neither.

    Shapes: scalars.
    Units:  one unit for all three.
    Errors: ValueError if the interval falls or the smallest effect that matters is not above zero.
    Source: house rule: for a direction, an interval clear of zero in it; against it, one clear of zero the other way,
            or wholly inside what does not matter: a null counts. For no effect, the other way round.
    >>> speaks(0.01, 0.02, Claimed.MORE, 0.003).value, speaks(-0.002, 0.002, Claimed.MORE, 0.003).value
    ('for', 'against')
    >>> speaks(-0.01, 0.02, Claimed.MORE, 0.003).value
    'neither'
    """
    if high < low or smallest <= 0:
        raise ValueError("an interval rises, and the smallest effect that matters is above zero")
    null = -smallest < low and high < smallest
    if claimed is Claimed.NOTHING:
        if null:
            return Bearing.FOR
        return Bearing.AGAINST if low > 0 or high < 0 else Bearing.NEITHER
    right, wrong = (low > 0, high < 0) if claimed is Claimed.MORE else (high < 0, low > 0)
    if wrong or null:
        return Bearing.AGAINST
    return Bearing.FOR if right else Bearing.NEITHER


def stands(pooled: Pooled | None, claimed: Claimed, smallest: float) -> GuidelineState:
    """How a statement fares over the engines that were pooled. One engine never generalizes.

    Shapes: scalars.
    Units:  as `speaks`.
    Errors: as `speaks`.
    Source: house rule. It holds where the interval for the next engine speaks for it, too.
    >>> stands(None, Claimed.MORE, 0.003).value
    'untested'
    """
    if pooled is None:
        return GuidelineState.UNTESTED
    if pooled.count < 2:
        return GuidelineState.ONE_ENGINE
    said = speaks(pooled.low, pooled.high, claimed, smallest)
    if said is not Bearing.FOR:
        return GuidelineState.REFUTED if said is Bearing.AGAINST else GuidelineState.OPEN
    if pooled.next_low is None or pooled.next_high is None:
        return GuidelineState.ON_AVERAGE
    ahead = speaks(pooled.next_low, pooled.next_high, claimed, smallest)
    return GuidelineState.HOLDS if ahead is Bearing.FOR else GuidelineState.ON_AVERAGE
