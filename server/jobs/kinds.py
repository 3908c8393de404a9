"""Which kinds of work there are. Apps above register theirs; this app knows none by name."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, Protocol


class Queue(StrEnum):
    QUICK = "quick"  # somebody waits for it while editing
    LONG = "long"


class Watch(Protocol):
    """What a piece of work tells of itself, and whether anybody still wants it. May be called from any thread."""

    def wanted(self) -> bool: ...

    def tell(self, done: int = 0, total: int = 0, progress_text: str = "") -> None: ...


Work = Callable[[dict[str, Any], Watch], dict[str, Any]]


@dataclass(frozen=True)
class WorkKind:
    """`label` is how the list of one's work names it. `is_secret`: what it was asked with may hold a password, and is
    not kept once it was begun."""

    name: str
    label: str
    queue: Queue
    work: Work
    is_secret: bool = False


KINDS: dict[str, WorkKind] = {}


def register(name: str, label: str, queue: Queue, work: Work, *, is_secret: bool = False) -> None:
    KINDS[name] = WorkKind(name, label, queue, work, is_secret)
