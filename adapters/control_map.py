"""Control, as far as the owner maps it: where the stand takes each command, and where it says what it does.

A map without it only reports; so does one that did not pass a conformance run as it is (`conformed`).
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from adapters.places import Part, Place

STATE = "state"
STATES = ("idle", "armed", "sweeping", "rolling_off")
MOVING = ("armed", "sweeping")  # what a stop has to end
SWEEP = ("start_rpm", "end_rpm", "rate_rpm_s")  # set-points, written before the stand is armed
LONGEST_WATCHDOG_S = 3.0  # an engine that nobody watches gains 1000 rpm in it and more
MOST_DELAY_S = 0.5  # by which a stand that takes commands may be behind: a stop is followed by what it says of itself
VALUE = "{value}"  # in a text: where the value is put


class Write(Place):
    """Something that is written to the stand: `value`, or a set-point after its scale and offset."""

    table: Literal["holding", "coil"] = "holding"
    value: float = 1.0
    release: float | None = None  # written a moment after it, where the controller waits for a change
    text: str = ""  # of a topic or a line: what is sent, with the value where it says {value}

    @field_validator("scale")
    @classmethod
    def not_nothing(cls, scale: float) -> float:
        if not scale:
            raise ValueError("a scale of 0 cannot be undone")
        return scale

    def raw(self, value: float) -> float:
        """What the stand takes for a value in rpm or rpm/s."""
        return (value - self.offset) / self.scale


class StateRow(Place):
    """Where the stand says what it does, and which numbers mean what."""

    table: Literal["holding", "input"] = "holding"
    path: str = ""
    field: str | None = None
    idle: Annotated[list[float], Field(min_length=1)]
    armed: list[float] = []
    sweeping: Annotated[list[float], Field(min_length=1)]
    rolling_off: list[float] = []

    @model_validator(mode="after")
    def apart(self) -> StateRow:
        numbers = [number for name in STATES for number in getattr(self, name)]
        if len(set(numbers)) < len(numbers):
            raise ValueError("one number means two states")
        return self

    def state_of(self, raw: float) -> str | None:
        """None for a number that the map has no state for."""
        return next((name for name in STATES if raw in getattr(self, name)), None)


class ControlMap(Part):
    """All of it lies in one source, which says its state there. `start`, `abort`, `watchdog` and `state` are needed."""

    watchdog_s: Annotated[float, Field(ge=0.2, le=LONGEST_WATCHDOG_S)]  # the stand stops by itself where no beat came
    state: StateRow
    start: Write
    abort: Write
    watchdog: Write  # the beat: its value and its release, in turn
    arm: Write | None = None  # where the stand has none, it is armed by the adapter alone
    start_rpm: Write | None = None
    end_rpm: Write | None = None
    rate_rpm_s: Write | None = None
    conformed: str = ""  # the digest of the map that passed a conformance run

    @model_validator(mode="after")
    def whole(self) -> ControlMap:
        if self.arm is not None and not self.state.armed:
            raise ValueError("where the stand is armed, it has to say so: give the number that means armed")
        given = [name for name in SWEEP if getattr(self, name) is not None]
        if given and len(given) < len(SWEEP):
            raise ValueError(f"give {', '.join(SWEEP)}, or none of them: then the stand sweeps as its console is set")
        return self

    def writes(self) -> Iterator[tuple[str, Write]]:
        """What is mapped, by its name."""
        for name in ("arm", "start", "abort", "watchdog", *SWEEP):
            if (found := getattr(self, name)) is not None:
                yield name, found
