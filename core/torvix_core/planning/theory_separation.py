"""Two explanations that compete: which setup would tell them apart, and with how many pulls."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from torvix_core.judging.effects import USUAL, History
from torvix_core.judging.repeats import pulls_needed
from torvix_core.units.checked import finite


@dataclass(frozen=True)
class Separation:
    """What two explanations predict of a setup against the baseline, as shares, and the pulls that tell them apart."""

    setup: int
    one: float
    other: float
    apart: float  # between the middles; 0 where the ranges overlap
    pulls: int | None  # a side; None where no day has enough


Range = tuple[float, float]


def separations(
    one: Sequence[Range | None], other: Sequence[Range | None], history: History = USUAL
) -> list[Separation]:
    """Setups of which both explanations predict something, the one that separates them best first.

    Shapes: one prediction a setup and explanation, (low, high), None where there is none.
    Units:  shares of the baseline's score; history as `repeats.power`.
    Errors: ValueError naming the argument; ranges must rise.
    Source: `repeats.pulls_needed` for the gap between the two ranges.
    >>> found = separations([(0.0, 0.0), (0.02, 0.03)], [(0.01, 0.01), (0.0, 0.01)])
    >>> [(each.setup, each.pulls) for each in found]
    [(0, 3), (1, 3)]
    """
    found = []
    for setup, (first, second) in enumerate(zip(one, other, strict=True)):
        if first is None or second is None:
            continue
        finite("predictions", [*first, *second])
        if first[0] > first[1] or second[0] > second[1]:
            raise ValueError("a predicted range must rise")
        gap = max(second[0] - first[1], first[0] - second[1], 0.0)
        pulls = pulls_needed(gap, history).pulls if gap > 0 else None
        found.append(Separation(setup, sum(first) / 2, sum(second) / 2, gap, pulls))
    return sorted(found, key=lambda each: (-each.apart, each.setup))
