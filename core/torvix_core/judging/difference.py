"""How two setups differ, and which of four things may be said of it: ahead, equal, small at most, undecided."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray
from torvix_core.units.checked import Array

SMALLEST_DIFFERENCE = 0.003  # [-], below this a difference does not matter [prac]
STILL_SMALL = 3.0  # times what matters: an interval that reaches further is undecided; house rule


class DifferenceState(StrEnum):
    """`BEHIND` is ahead seen from the other side."""

    AHEAD = "ahead"  # clear of zero by its interval, and larger than what matters
    BEHIND = "behind"
    EQUAL = "equal"  # the whole interval lies inside what does not matter
    SMALL = "small"  # not separated, but hardly more than what matters
    UNDECIDED = "undecided"  # not separated, and it may matter


def states_of(change: Array, low: Array, high: Array, smallest: float = SMALLEST_DIFFERENCE) -> NDArray[np.str_]:
    """What may be said of differences by their intervals, as values of `DifferenceState`.

    Shapes: (...) each.
    Units:  shares.
    Errors: none.
    Source: house rule: ahead is clear of zero and larger than what matters; equal is an interval inside of that.
    >>> states_of(np.array([0.012, 0.001]), np.array([0.004, -0.001]), np.array([0.02, 0.002])).tolist()
    ['ahead', 'equal']
    """
    at_most = np.maximum(np.abs(low), np.abs(high))
    return np.select(
        [(low > 0) & (change > smallest), (high < 0) & (change < -smallest), at_most < smallest,
         at_most <= STILL_SMALL * smallest],
        [DifferenceState.AHEAD, DifferenceState.BEHIND, DifferenceState.EQUAL, DifferenceState.SMALL],
        DifferenceState.UNDECIDED,
    )  # fmt: skip


@dataclass(frozen=True)
class Difference:
    """How one setup's score compares with another's, as a share of the latter; all (...).

    `chance` is that of being above it, from the same posterior as the interval.
    """

    change: Array
    low: Array
    high: Array
    chance: Array

    @property
    def half_width(self) -> Array:
        return (self.high - self.low) / 2

    @property
    def at_most(self) -> Array:
        """The share that the difference does not exceed, either way."""
        return np.maximum(np.abs(self.low), np.abs(self.high))

    def states(self, smallest: float = SMALLEST_DIFFERENCE) -> NDArray[np.str_]:
        """What may be said of each, as values of `DifferenceState`."""
        return states_of(self.change, self.low, self.high, smallest)

    def state(self, smallest: float = SMALLEST_DIFFERENCE) -> DifferenceState:
        """Of a single difference.

        >>> one = Difference(*(np.array(value) for value in (0.012, 0.004, 0.020, 0.999)))
        >>> one.state().value, one.state(0.02).value
        ('ahead', 'small')
        """
        return DifferenceState(str(self.states(smallest)))

    def apart(self, smallest: float = SMALLEST_DIFFERENCE) -> NDArray[np.bool_]:
        """Where one is ahead of the other, either way."""
        return np.asarray(np.isin(self.states(smallest), [DifferenceState.AHEAD, DifferenceState.BEHIND]))
