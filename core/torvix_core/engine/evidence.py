"""Which of several values of one dimension is used, and what must be said about it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

AGREEMENT = 0.001  # [-], values closer than this share say the same thing; finer than any of them is known [prac]


class Origin(StrEnum):
    """Where a value comes from, the best first."""

    MEASURED = "measured"
    CALCULATED = "calculated"
    CATALOG = "catalog"
    REPORTED = "reported"
    ASSUMED = "assumed"


RANK = tuple(Origin)


@dataclass(frozen=True)
class Evidence:
    """One value of a dimension: SI, a whole number, or words. `chosen` by a person over those that contradict it."""

    origin: Origin
    value: float | str
    chosen: bool = False


@dataclass(frozen=True)
class Settled:
    """What calculations use. No value where others contradict each other and nobody has chosen."""

    value: float | str | None
    origin: Origin | None = None
    contradicts: tuple[Origin, ...] = ()

    @property
    def is_assumed(self) -> bool:
        return self.origin is Origin.ASSUMED

    @property
    def is_blocked(self) -> bool:
        return self.value is None and bool(self.contradicts)


def settle(found: Sequence[Evidence]) -> Settled:
    """The value to use of one dimension.

    Shapes: any number of values, at most one of each origin.
    Units:  all alike.
    Errors: none.
    Source: house rule: the chosen one, else the measured one, else the best of those that agree. An assumption gives
            way to anything known. Calculated, catalog and reported values that differ are not used until one is chosen.
    >>> settle([Evidence(Origin.ASSUMED, 0.001), Evidence(Origin.MEASURED, 0.00165)]).value
    0.00165
    """
    best = sorted(found, key=lambda one: (not one.chosen, RANK.index(one.origin)))
    if not best:
        return Settled(None)
    first = best[0]
    others = [one.origin for one in best[1:] if one.origin is not Origin.ASSUMED and not agree(one.value, first.value)]
    if first.chosen or first.origin is Origin.MEASURED or not others:
        return Settled(first.value, first.origin, tuple(others))
    return Settled(None, None, (first.origin, *others))


def agree(one: float | str, other: float | str) -> bool:
    """Whether two values of a dimension say the same thing.

    Shapes: scalars.
    Units:  both alike.
    Errors: none.
    Source: house rule (AGREEMENT); words agree without regard to case and spaces around them.
    >>> agree(0.0866, 0.0868), agree("Mild", "mild ")
    (False, True)
    """
    if isinstance(one, str) or isinstance(other, str):
        return str(one).strip().casefold() == str(other).strip().casefold()
    return abs(one - other) <= AGREEMENT * max(abs(one), abs(other))
