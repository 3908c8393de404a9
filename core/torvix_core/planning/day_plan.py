"""What a day on the stand is planned from, and an order of its visits."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from torvix_core.units.checked import Array


class OrderPlace(StrEnum):
    """Where a setup must stand in the order."""

    FREE = ""
    FIRST = "first"  # right after the baseline that opens the day
    LAST = "last"  # the day ends with it, after the last return to the baseline


class NoRoom(ValueError):
    """The baseline alone takes more than there is."""


@dataclass(frozen=True)
class Task:
    """A setup that waits to be pulled. Times in minutes, `available_min` on the clock of the sessions."""

    visit_min: float
    visits: int = 1
    fuel: float = 0.0  # of one visit
    worth: int = 0  # the setup that is worth least falls off first
    place: OrderPlace = OrderPlace.FREE
    available_min: float = 0.0
    after: int | None = None  # a setup that must have been pulled before


@dataclass(frozen=True)
class Paid:
    """A stretch of paid time on the stand."""

    start_min: float = 0.0
    paid_min: float = math.inf


@dataclass(frozen=True)
class OrderProblem:
    """All that the order depends on. `tasks[0]` is the baseline, of which only `available_min` is not looked at."""

    change_min: Array  # (n, n), from row to column
    tasks: Sequence[Task]
    return_every: int = 3  # visits between two visits to the baseline, at most
    opening_min: float = 0.0  # the baseline's first visit in a session
    return_min: float = 0.0  # and its later ones
    warm_up_min: float = 0.0
    sessions: Sequence[Paid] = field(default_factory=lambda: (Paid(),))
    fuel: float = math.inf
    fuel_warm_up: float = 0.0
    fuel_opening: float = 0.0
    fuel_return: float = 0.0


@dataclass(frozen=True)
class Visit:
    """A visit to a setup. Minutes and fuel are its own where somebody planned it otherwise than the rest."""

    setup: int
    session: int = 0
    minutes: float | None = None
    fuel: float | None = None


@dataclass(frozen=True)
class Order:
    """Visits in their order, the setups that fell off, and how near to the best that is."""

    visits: tuple[Visit, ...]
    dropped: tuple[int, ...]
    total_min: float  # from the start of each session used to its end, added up
    bound_min: float  # no order of the same setups can take less
    proven: bool  # nothing better exists
