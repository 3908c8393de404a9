"""Explanations that compete: what would tell them apart, and with how many pulls."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import inf

from torvix_core.judging.effects import History
from torvix_core.judging.repeats import pulls_needed
from torvix_core.units.checked import finite

Range = tuple[float | None, float | None]  # None: an open end, as of "less"


@dataclass(frozen=True)
class Separation:
    """What two explanations predict of one case against the baseline, as shares, and the pulls that tell them apart."""

    case: int
    one: Range
    other: Range
    apart: float  # between the nearest ends; 0 where the ranges overlap
    pulls: int | None  # a side; None where no day has enough, or nobody knows the scatter of the figure


def separations(
    one: Sequence[Range | None], other: Sequence[Range | None], histories: Sequence[History | None]
) -> list[Separation]:
    """Cases of which both explanations predict something, the one that takes the fewest pulls first.

    Shapes: one prediction a case and explanation, (low, high), None where there is none; a history for each case, of
            the figure that it is about, None where its scatter is not known.
    Units:  shares of the baseline's figure; history as `repeats.power`.
    Errors: ValueError naming the argument; ranges must rise.
    Source: `repeats.pulls_needed` for the gap between the two ranges.
    >>> from torvix_core.judging.effects import USUAL
    >>> found = separations([(0.0, 0.0), (0.02, 0.03)], [(0.01, 0.01), (None, 0.0)], [USUAL, USUAL])
    >>> [(each.case, each.pulls) for each in found]
    [(1, 2), (0, 3)]
    """
    found = []
    for case, (first, second, history) in enumerate(zip(one, other, histories, strict=True)):
        if first is None or second is None:
            continue
        finite("predictions", [end for end in (*first, *second) if end is not None])
        (low, high), (low_2, high_2) = _ends(first), _ends(second)
        gap = max(low_2 - high, low - high_2, 0.0)
        pulls = pulls_needed(gap, history).pulls if gap > 0 and history is not None else None
        found.append(Separation(case, first, second, gap, pulls))
    return sorted(found, key=lambda each: (inf if each.pulls is None else each.pulls, -each.apart, each.case))


def _ends(given: Range) -> tuple[float, float]:
    low, high = (-inf if given[0] is None else given[0]), (inf if given[1] is None else given[1])
    if low > high:
        raise ValueError("a predicted range must rise")
    return low, high
