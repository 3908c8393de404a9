"""What a stand wrote above its numbers last time it writes again: a table under the same heads is not looked through
anew."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass
from threading import Lock
from typing import Generic, TypeVar

MOST = 64  # heads that a process remembers, the last that were met
Found = TypeVar("Found")


@dataclass(frozen=True)
class _Known(Generic[Found]):
    head: tuple[str, ...]
    found: Found


class KnownHeads(Generic[Found]):
    """What was found in a table, by the lines above its numbers. Safe between threads."""

    def __init__(self) -> None:
        self._by_first_line: OrderedDict[str, _Known[Found]] = OrderedDict()
        self._lock = Lock()

    def find(self, lines: Sequence[str]) -> Found | None:
        """None unless the file begins with the very lines of one that is known."""
        with self._lock:
            known = self._by_first_line.get(lines[0])
            if known is None or tuple(lines[: len(known.head)]) != known.head:
                return None
            self._by_first_line.move_to_end(lines[0])
            return known.found

    def remember(self, head: Sequence[str], found: Found) -> None:
        """Nothing to know it again by is nothing to remember."""
        if not head:
            return
        with self._lock:
            self._by_first_line[head[0]] = _Known(tuple(head), found)
            while len(self._by_first_line) > MOST:
                self._by_first_line.popitem(last=False)
