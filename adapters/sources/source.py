"""What every source is to an adapter: something that reads until it is lost."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Protocol

from adapters.control_map import VALUE, Write

# Raw readings by row of the map, and when they were read by our clock; None for now.
Take = Callable[[Mapping[int, float], float | None], None]


class SourceLost(Exception):
    """It is not there, went away or says what cannot be read: in words for whoever can mend it."""


class Source(Protocol):
    async def read(self, take: Take) -> None:
        """Hand on what comes until it is cancelled; SourceLost where nothing more will come."""

    async def write(self, row: Write, raw: float) -> None:
        """While it is read: SourceLost where it cannot be reached, or does not take it."""


def sent_text(row: Write, raw: float) -> str:
    """What is sent where a place takes a text: that of the row, or the number alone."""
    number = f"{raw:.0f}" if raw == round(raw) else f"{raw:.6g}"
    return row.text.replace(VALUE, number) if row.text else number
