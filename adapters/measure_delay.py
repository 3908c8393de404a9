"""By how much each further source of a stand lags behind that of the engine speed, from a sweep that both see.

Every other source needs a row in rpm that is the engine speed as it sees it.
"""

from __future__ import annotations

import argparse
import asyncio
import json
import logging
import sys
import time
from collections.abc import Mapping

from torvix_core.pull.clock_offset import ClockOffset, clock_offset

from adapters.ending import end
from adapters.readers import reader_of
from adapters.sources.source import SourceLost
from adapters.stand_map import SPEED, MapProblem, StandMap, checked

SECONDS = 20.0
Read = dict[int, tuple[list[float], list[float]]]  # by row: when, and what


def speeds_of(found: StandMap) -> dict[int, int]:
    """By source, the row that is the engine speed there."""
    speeds: dict[int, int] = {}
    for place, row in enumerate(found.channels):
        source = found.source_of(row)
        if row.unit == "rpm" and (row.name == SPEED or source not in speeds):
            speeds[source] = place
    return speeds


async def record(found: StandMap, seconds: float) -> Read:
    """All that comes in so many seconds. SourceLost names the source that cannot be read."""
    read: Read = {place: ([], []) for place in speeds_of(found).values()}

    def take(readings: Mapping[int, float], at: float | None) -> None:
        for place, raw in readings.items():
            if place in read:
                read[place][0].append(time.monotonic() if at is None else at)
                read[place][1].append(raw * found.channels[place].scale + found.channels[place].offset)

    readers = [
        reader_of(source, found.rows_of(number), found.rate_hz, time.monotonic).read(take)
        for number, source in enumerate(found.sources)
    ]
    tasks = [asyncio.create_task(one) for one in readers]
    done, _ = await asyncio.wait(tasks, timeout=seconds, return_when=asyncio.FIRST_EXCEPTION)
    await end(*tasks)
    for task in done:
        task.result()
    return read


def delays(found: StandMap, read: Read) -> dict[str, ClockOffset]:
    """By name of the source. ValueError says what was missing."""
    speeds = speeds_of(found)
    leading = next(found.source_of(row) for row in found.channels if row.name == SPEED)
    lags: dict[str, ClockOffset] = {}
    for number, source in enumerate(found.sources):
        if number == leading:
            continue
        if number not in speeds:
            raise ValueError(f"{source.name} has no row in rpm: map the engine speed as it sees it")
        try:
            lags[source.name] = clock_offset(*read[speeds[leading]], *read[speeds[number]])
        except ValueError as error:
            raise ValueError(f"{source.name}: {error}") from error
    return lags


def report(found: StandMap, seconds: float) -> list[str]:
    """A line for each source beside that of the speed. SourceLost or ValueError says why it cannot be known."""
    lines = []
    for name, lag in delays(found, asyncio.run(record(found, seconds))).items():
        measured = f"{abs(lag.seconds):.3f} ± {lag.error_s:.3f} s"
        if lag.seconds < -lag.error_s:
            lines.append(f"{name} is ahead by {measured}: read rpm from it, and the other source lags behind")
        else:
            lines.append(f"{name} lags by {measured}: delay_s = {max(0.0, lag.seconds):.3f}")
    return lines


def main() -> int:
    """`python -m adapters.measure_delay`: the map as JSON on its input; a lag for each further source, or why not."""
    parser = argparse.ArgumentParser(description=main.__doc__)
    parser.add_argument("--seconds", type=float, default=SECONDS)
    options = parser.parse_args()
    logging.disable(logging.CRITICAL)  # what a library says of a lost line, we say in words
    try:
        found = checked(json.load(sys.stdin))
        lags = delays(found, asyncio.run(record(found, options.seconds)))
    except (MapProblem, SourceLost, ValueError) as problem:
        print(json.dumps({"why": str(problem), "lags": {}}))
        return 0
    print(json.dumps({"why": "", "lags": {name: [lag.seconds, lag.error_s] for name, lag in lags.items()}}))
    return 0


if __name__ == "__main__":
    sys.exit(main())
