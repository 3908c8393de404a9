"""What every source is to an adapter: something that reads until it is lost."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Protocol

# Raw readings by row of the map, and when they were read by our clock; None for now.
Take = Callable[[Mapping[int, float], float | None], None]


class SourceLost(Exception):
    """It is not there, went away or says what cannot be read: in words for whoever can mend it."""


class Source(Protocol):
    async def read(self, take: Take) -> None:
        """Hand on what comes until it is cancelled; SourceLost where nothing more will come."""
