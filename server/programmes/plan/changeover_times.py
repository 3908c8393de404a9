"""What changing parts really took in this shop, and what a plan may therefore reckon with."""

from __future__ import annotations

import statistics
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from torvix_core.planning import changeover
from torvix_core.planning.changeover import Work

from programmes.models import Programme, TimedChange

LOOKED_AT = 5  # changes of a row, the newest: a crew gets faster
SHORTEST_MIN = 0.2  # a stopwatch that ran for less was pressed by mistake


@dataclass(frozen=True)
class TimedWork:
    """Minutes of a row and how many timed changes they rest on; 0: common practice."""

    work: Work
    changes: int


def note(programme: Programme, keys: Sequence[str], usual_min: float, took_min: float, at: datetime) -> None:
    """A change that was timed: the rows that were worked at, what is usual, what it took."""
    if took_min >= SHORTEST_MIN and usual_min > 0:
        TimedChange.objects.create(programme=programme, keys=list(keys), usual_min=usual_min, took_min=took_min, at=at)


def works() -> Mapping[str, TimedWork]:
    """What each row usually takes: by the stopwatch where there is one, else common practice.

    A change of several rows says nothing of each alone, so all of them are stretched alike; a row takes the median of
    what its newest changes say.
    """
    usual = changeover.usual_works()
    stretched: dict[str, list[float]] = {}
    for change in TimedChange.objects.order_by("-at", "-pk")[:200]:
        for key in change.keys:
            stretched.setdefault(key, []).append(change.took_min / change.usual_min)
    found = {key: TimedWork(work, 0) for key, work in usual.items()}
    for key, ratios in stretched.items():
        ratio, work = statistics.median(ratios[:LOOKED_AT]), usual.get(key, Work(0, 5))
        minutes = round(work.remove_min * ratio, 1), round(work.install_min * ratio, 1)
        found[key] = TimedWork(Work(*minutes, work.under), min(len(ratios), LOOKED_AT))
    return found
