"""How long tuning a setup took in this shop, by what sets its mixture, so that a plan may reckon with it."""

from __future__ import annotations

import statistics
from dataclasses import dataclass
from datetime import datetime

from programmes.models import FuelBy, Programme, TimedTuning

LOOKED_AT = 5  # visits, the newest


@dataclass(frozen=True)
class UsualTuning:
    """The median of the newest visits, and how many they are."""

    minutes: float
    visits: int


def note(programme: Programme, fuel_by: FuelBy, took_min: float, at: datetime) -> None:
    """A visit whose tune was changed. The same visit is noted once."""
    if took_min > 0:
        row = {"fuel_by": fuel_by, "took_min": took_min}
        TimedTuning.objects.get_or_create(programme=programme, at=at, defaults=row)


def usual() -> dict[FuelBy, UsualTuning]:
    """By what sets the mixture; nothing where nobody was ever timed."""
    found = {}
    for fuel_by in FuelBy:
        rows = TimedTuning.objects.filter(fuel_by=fuel_by).order_by("-at")
        if newest := list(rows.values_list("took_min", flat=True)[:LOOKED_AT]):
            found[fuel_by] = UsualTuning(round(statistics.median(newest), 1), len(newest))
    return found
