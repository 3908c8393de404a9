"""Look what a stand says, by a map that may be half written: `python -m adapters.trial`, the map as JSON on its input.

Nothing is served and nothing is written to the stand. What comes out, as JSON: of each row what was read, and of each
source what could be mapped of it, or why it cannot be read.
"""

from __future__ import annotations

import argparse
import asyncio
import json
import logging
import math
import sys
import time
import traceback
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from typing import Any

from pydantic import TypeAdapter, ValidationError

from adapters.control_map import STATES
from adapters.ending import run_for
from adapters.offers import Offer, offers_of
from adapters.places import PLACE
from adapters.readers import reader_of
from adapters.source_map import Source
from adapters.sources.source import SourceLost
from adapters.stand_map import Channel

SECONDS = 2.0
NOTHING = "nothing came"


@dataclass
class RowTrial:
    """`raw` as it came last, `value` in the unit of the row, `rate_hz` as it came; `why` where nothing did."""

    part: str  # channels, weather, control: of that the state alone is read
    row: int
    raw: float | None = None
    value: float | None = None
    rate_hz: float | None = None
    why: str = ""


@dataclass
class SourceTrial:
    why: str = ""
    offers: list[Offer] = field(default_factory=list)


@dataclass
class Heard:
    count: int = 0
    raw: float = 0.0
    first_s: float = 0.0
    last_s: float = 0.0


def rows_of(document: Mapping[str, Any], kind: str, name: str, first: bool) -> dict[tuple[str, int], Channel]:
    """Rows of a source that can be read already."""
    found = {}
    state = (document.get("control") or {}).get("state") or {}
    state = {key: value for key, value in state.items() if key not in STATES}
    for part, given_rows in (
        ("channels", document.get("channels", [])), ("weather", document.get("weather", [])), ("control", [state])
    ):  # fmt: skip
        for at, given in enumerate(given_rows):
            try:
                row = Channel.model_validate({**given, "name": given.get("name") or "?", "unit": ""})
            except ValidationError:
                continue
            ours = row.source == name or (first and not row.source)
            place = getattr(row, "register_" if kind == "modbus" else PLACE[kind])
            if ours and place not in (None, ""):
                found[part, at] = row
    return found


async def try_source(
    source: Source, rows: dict[tuple[str, int], Channel], rate_hz: float, seconds: float
) -> tuple[SourceTrial, list[RowTrial]]:
    """Read for so many seconds what there is to read."""
    trial = SourceTrial()
    places = dict(enumerate(rows.values()))
    heard = {place: Heard() for place in places}

    def take(readings: Mapping[int, float], at: float | None) -> None:
        now = time.monotonic()
        for place, raw in readings.items():
            one = heard[place]
            one.count, one.raw, one.last_s = one.count + 1, raw, now
            one.first_s = one.first_s or now

    if places:
        try:
            await run_for(seconds, reader_of(source, places, rate_hz, time.monotonic).read(take))
        except SourceLost as lost:
            trial.why = str(lost)
        except Exception as error:
            trial.why = _fault(source.name, error)
    if not trial.why or not places:
        try:
            trial.offers = await offers_of(source, list(rows.values()), seconds)
        except SourceLost as lost:
            trial.why = str(lost)
        except Exception as error:
            trial.why = _fault(source.name, error)
    tried = [_tried(part, at, row, heard[place])
             for place, ((part, at), row) in enumerate(rows.items())]  # fmt: skip
    return trial, tried


def _fault(name: str, error: Exception) -> str:
    """Of ours, or of a library that was broken off: the other sources are shown."""
    traceback.print_exception(error)  # for the log of whoever runs this
    return f"{name} could not be read ({error or type(error).__name__})"


def _tried(part: str, at: int, row: Channel, heard: Heard) -> RowTrial:
    if not heard.count:
        return RowTrial(part, at, why=NOTHING)
    took = heard.last_s - heard.first_s
    rate = round((heard.count - 1) / took, 1) if heard.count > 2 and took > 0 else None
    if not math.isfinite(heard.raw):
        return RowTrial(part, at, rate_hz=rate, why="what came is no number")
    if heard.raw in row.missing:
        return RowTrial(part, at, heard.raw, None, rate, "the sensor has nothing to say")
    return RowTrial(part, at, heard.raw, heard.raw * row.scale + row.offset, rate)


async def try_map(document: Mapping[str, Any], seconds: float = SECONDS) -> dict[str, Any]:
    """Of each source and each row what came in so many seconds. Rows and sources that are not whole are passed over."""
    sources: list[SourceTrial] = []
    rows: list[RowTrial] = []
    rate = document.get("rate_hz")
    rate_hz = min(float(rate), 100.0) if isinstance(rate, int | float) and rate >= 1 else 10.0
    for at, given in enumerate(document.get("sources", [])):
        try:
            source: Any = TypeAdapter(Source).validate_python(given)
        except ValidationError as error:
            sources.append(SourceTrial("; ".join(str(one["msg"]) for one in error.errors())))
            continue
        mine = rows_of(document, source.kind, source.name, at == 0)
        trial, tried = await try_source(source, mine, rate_hz, seconds)
        sources.append(trial)
        rows += tried
    return {"sources": [asdict(one) for one in sources], "rows": [asdict(one) for one in rows]}


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__.partition("\n")[0])
    parser.add_argument("--seconds", type=float, default=SECONDS)
    options = parser.parse_args()
    logging.disable(logging.CRITICAL)  # what a library says of a lost line, we say in words
    print(json.dumps(asyncio.run(try_map(json.load(sys.stdin), options.seconds))))
    return 0


if __name__ == "__main__":
    sys.exit(main())
