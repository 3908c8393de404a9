"""Look what a stand says by a map that is being written. A program of its own reads it, as an adapter would."""

from __future__ import annotations

import json
import logging
import subprocess
import sys
from typing import Any

from django.conf import settings

from shop.refusals import Refusal
from shop.schema import Schema

log = logging.getLogger(__name__)
SECONDS = 2.0
MOST_S = 30.0  # a source takes at most its own time to say that it is not there


class MapOffer(Schema):
    """What could be mapped: `place` is register, topic, signal, node or field; `about` what was read there."""

    place: str
    path: str
    about: str


class TriedSource(Schema):
    why: str
    offers: list[MapOffer]


class TriedRow(Schema):
    """Of row `row` of `part` (channels, weather; the state in control); `value` in the row's unit."""

    part: str
    row: int
    raw: float | None
    value: float | None
    rate_hz: float | None
    why: str


class TriedMap(Schema):
    sources: list[TriedSource]
    rows: list[TriedRow]


def try_map(document: dict[str, Any]) -> TriedMap:
    """Takes some seconds; nothing is written to the stand."""
    command = [sys.executable, "-m", "adapters.trial", "--seconds", str(SECONDS)]
    try:
        done = subprocess.run(
            command, cwd=settings.ROOT, input=json.dumps(document), capture_output=True, text=True, timeout=MOST_S
        )
    except subprocess.TimeoutExpired as error:
        raise Refusal("The stand took too long to answer. Look at its address.", code="map_not_tried") from error
    if done.stderr:
        log.error("a map could not be tried whole: %s", done.stderr[-2000:])
    if done.returncode:
        raise Refusal("The map could not be tried: see the log of the server.", code="map_not_tried")
    return TriedMap.model_validate_json(done.stdout)
