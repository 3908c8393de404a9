"""DBC files: which message and signal a row of a map means, and whether the file has them."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import cantools
from cantools.database.can import Database

from adapters.places import Place
from adapters.source_map import CanSource
from adapters.sources.source import SourceLost
from adapters.stand_map import MapProblem, StandMap


def load(text: str) -> Database:
    """The database that a DBC file is. SourceLost where it is none."""
    try:
        found = cantools.database.load_string(text, "dbc")
    except (cantools.database.Error, ValueError, KeyError) as error:
        raise SourceLost(f"the DBC file cannot be read: {error}") from error
    assert isinstance(found, Database)
    return found


def find(database: Database, row: Place) -> tuple[Any, str]:
    """Message and signal of a row: `message.signal`, or the signal alone where one message only has it.

    SourceLost where there is none, or more than one.
    """
    message, _, signal = (row.signal or "").rpartition(".")
    found = [one for one in database.messages if not message or one.name == message]
    having = [one for one in found if signal in one.signal_tree]
    if not having:
        raise SourceLost(f"the DBC file has no signal {row.signal}")
    if len(having) > 1:
        names = ", ".join(f"{one.name}.{signal}" for one in having)
        raise SourceLost(f"several messages have {signal}: name one of {names}")
    return having[0], signal


def check_fit(found: StandMap) -> None:
    """MapProblem where a DBC file of the map cannot be read, or has not what a row or a command names.

    Apart from the other checks of a map: a stored one is read often, and a DBC file may be large.
    """
    errors: dict[str, str] = {}
    for at, source in enumerate(found.sources):
        if not isinstance(source, CanSource):
            continue
        try:
            database = load(source.dbc)
        except SourceLost as lost:
            errors[f"sources.{at}.dbc"] = str(lost).removeprefix("the DBC file ")
            continue
        for place, row in _places(found):
            if found.source_of(row) == at:
                try:
                    find(database, row)
                except SourceLost as lost:
                    errors[f"{place}.signal"] = str(lost)
    if errors:
        raise MapProblem(errors)


def _places(found: StandMap) -> Iterator[tuple[str, Place]]:
    for part, rows in (("channels", found.channels), ("weather", found.weather)):
        yield from ((f"{part}.{at}", row) for at, row in enumerate(rows))
    if found.control:
        yield "control.state", found.control.state
        yield from ((f"control.{name}", row) for name, row in found.control.writes())
