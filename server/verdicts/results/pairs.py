"""Gains of one setup over another as they are stored, whichever of the two stands first."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

import numpy as np
from torvix_core.judging.difference import DifferenceState, states_of

from programmes.models import Setup
from verdicts.models import PairGain, StoredResult


@dataclass(frozen=True)
class StoredGain:
    """Shares of torque over the range, with the 95 % interval."""

    change: float
    low: float
    high: float

    def state(self, smallest: float) -> DifferenceState:
        return DifferenceState(str(states_of(np.array(self.change), np.array(self.low), np.array(self.high), smallest)))


@dataclass(frozen=True)
class Pairs:
    """Of some results; by the setup and what it is held against."""

    stored: Mapping[tuple[int, int], PairGain]

    @classmethod
    def of(cls, found: Iterable[StoredResult]) -> Pairs:
        rows = PairGain.objects.filter(result__in=found).defer("change_by_speed", "half_width_by_speed")
        return cls({(one.setup_id, one.against_id): one for one in rows})

    def gain(self, setup: Setup, other: Setup | None) -> StoredGain | None:
        """None where no session links the two, or one of them has no accepted pull."""
        if other is None:
            return None
        there = self.stored.get((setup.pk, other.pk))
        if there is not None:
            return StoredGain(there.change, there.low, there.high)
        back = self.stored.get((other.pk, setup.pk))
        if back is None:
            return None
        change, low, high = (1 / (1 + share) - 1 for share in (back.change, back.high, back.low))
        return StoredGain(change, low, high)
