"""What the stand takes over an open standard: a number for each command, and the beat of whoever watches."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from standin.stand import Refused, Stand, State

SWEEP = ("start_rpm", "end_rpm", "rate_rpm_s")
NAMES = (*SWEEP, "arm", "start", "abort", "watchdog")
STATES = tuple(State)  # a standard says their numbers, from 0
MOVING = (State.ARMED, State.SWEEPING)


@dataclass
class Commands:
    """`put` whenever a number comes for one of `NAMES`; `tend` every round. A command that is refused changes nothing:
    whoever gave it sees so by the state."""

    stand: Stand
    watchdog_s: float
    clock: Callable[[], float]
    sweep: dict[str, float] = field(default_factory=dict)
    held: dict[str, float] = field(default_factory=dict)  # what each number was last
    heard_s: float = -1e9  # when the beat was another than before
    is_guarded: bool = False  # armed by these commands: then without a beat it stops by itself

    def put(self, name: str, value: float) -> None:
        before, self.held[name] = self.held.get(name, 0.0), value
        if name in SWEEP:
            self.sweep[name] = value
        elif name == "watchdog":
            if value != before:
                self.heard_s = self.clock()
        elif name == "abort":
            if value:
                self._obey("abort", {})
        elif value and not before:  # it looks for a change, as most controllers do
            self._obey(name, self.sweep if name == "arm" else {})
            self.is_guarded = self.is_guarded or self.stand.state in MOVING

    def _obey(self, name: str, arguments: dict[str, Any]) -> None:
        try:
            self.stand.command(name, arguments)
        except (Refused, KeyError):
            pass

    def tend(self) -> None:
        if self.stand.state not in MOVING:
            self.is_guarded = False
        elif self.is_guarded and self.clock() - self.heard_s > self.watchdog_s:
            self._obey("abort", {})


def number(state: State) -> float:
    """As it is said over a standard."""
    return float(STATES.index(state))


def states() -> dict[str, list[int]]:
    """As a map has them."""
    return {state.value: [number] for number, state in enumerate(STATES)}
