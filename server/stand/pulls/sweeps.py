"""The sweep of one pull, where somebody asks for another than the plan's: inside what the engine may do."""

from __future__ import annotations

import math
from collections.abc import Sequence

from engines.sheet import sheets
from programmes.models import Programme
from shop.refusals import Invalid

SLOWEST, FASTEST = 20.0, 1500.0  # rpm/s
MOST_HOLDS, LONGEST_HOLD_S, LONGEST_TEST_S = 60, 120.0, 900.0


def checked(
    programme: Programme, start_rpm: float | None, end_rpm: float | None, rate_rpm_s: float | None
) -> tuple[float, float, float]:
    """Start, end and rate, the plan's where None. Invalid names the field."""
    start = programme.sweep_start_rpm if start_rpm is None else start_rpm
    end = programme.sweep_end_rpm if end_rpm is None else end_rpm
    rate = programme.sweep_rate_rpm_s if rate_rpm_s is None else rate_rpm_s
    wrong = {}
    redline = sheets.value(programme.build, "redline")
    if not (math.isfinite(start) and 500 <= start <= 20_000):
        wrong["start_rpm"] = "between 500 and 20000 rpm"
    if not (math.isfinite(end) and end >= start + 100):
        wrong["end_rpm"] = "at least 100 rpm above the start"
    elif redline is not None and end > redline and end > programme.sweep_end_rpm:
        wrong["end_rpm"] = f"not above the redline of {redline:.0f} rpm"
    if not (math.isfinite(rate) and SLOWEST <= rate <= FASTEST):
        wrong["rate_rpm_s"] = f"between {SLOWEST:.0f} and {FASTEST:.0f} rpm/s"
    if wrong:
        raise Invalid("This sweep cannot be run: see the fields.", fields=wrong)
    return start, end, rate


def checked_holds(programme: Programme, holds: Sequence[tuple[float, float]]) -> list[list[float]]:
    """The speeds of a step test in rising order and how long each is held."""
    redline = sheets.value(programme.build, "redline") or 20_000.0
    if not 1 <= len(holds) <= MOST_HOLDS:
        raise Invalid("A step test holds speeds.", fields={"holds": f"1 to {MOST_HOLDS} speeds"})
    speeds, seconds = [rpm for rpm, _ in holds], [each for _, each in holds]
    if speeds != sorted(set(speeds)) or not all(500 <= rpm <= redline for rpm in speeds):
        raise Invalid("The speeds do not fit.", fields={"holds": f"rising, between 500 and {redline:.0f} rpm"})
    if not all(0.5 <= second <= LONGEST_HOLD_S for second in seconds) or sum(seconds) > LONGEST_TEST_S:
        message = f"0.5 to {LONGEST_HOLD_S:.0f} s each, at most {LONGEST_TEST_S / 60:.0f} minutes together"
        raise Invalid("The times do not fit.", fields={"holds": message})
    return [[rpm, each] for rpm, each in holds]
