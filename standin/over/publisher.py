"""What every standard is to the simulated stand: something that takes its samples out, and the map that reads them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Protocol

from standin.over.commands import NAMES, Commands, states

Row = list[float | None]

STATE = "state"
WEATHER = (("barometer", "kPa"), ("temperature", "°C"), ("humidity", "%"))


@dataclass(frozen=True)
class Said:
    """What the stand says of itself: channels with their units, its rate, the inertia behind its torque."""

    channels: tuple[tuple[str, str], ...]
    rate_hz: float
    inertia: float  # kg·m²
    commands: Commands | None = None  # of one that takes them over the standard, and says its state there

    @property
    def names(self) -> list[str]:
        """In the order in which their values go out: channels, weather, and the state where it is said."""
        found = [name for name, _ in (*self.channels, *WEATHER)]
        return [*found, STATE] if self.commands else found


class Publisher(Protocol):
    async def start(self, said: Said) -> None:
        """Listen, or connect."""

    async def send(self, at_s: list[float], rows: list[Row], further: list[float]) -> None:
        """Samples with their times, and what is further said: the weather as it is, and the state."""

    def source(self) -> dict[str, Any]:
        """How a map finds it."""

    def place(self, number: int, name: str) -> dict[str, Any]:
        """Where in it a value is, by its number among the names."""

    def command(self, name: str) -> dict[str, Any]:
        """Where a command goes, by one of its names."""

    async def stop(self) -> None:
        """Let go of what was opened."""


def map_of(said: Said, publisher: Publisher) -> dict[str, Any]:
    """The map that reads all of a stand (docs/adapters.md)."""
    names = [*said.channels, *WEATHER]
    rows = [{"name": name, "unit": unit} | publisher.place(at, name) for at, (name, unit) in enumerate(names)]
    return {
        **({"control": control_of(said, said.commands, publisher)} if said.commands else {}),
        "stand": "Simulated stand",
        "simulated": True,
        "rate_hz": said.rate_hz,
        "inertia": {"torque": "not_included", "kg_m2": said.inertia},
        "sources": [publisher.source()],
        "channels": rows[: len(said.channels)],
        "weather": rows[len(said.channels) :],
    }


def control_of(said: Said, commands: Commands, publisher: Publisher) -> dict[str, Any]:
    """Control in the map. A command goes back to 0 after a moment: the stand looks for a change."""
    state = {key: value for key, value in publisher.place(len(said.names) - 1, STATE).items() if key != "missing"}
    pressed = {"release": 0}
    return {
        "watchdog_s": commands.watchdog_s,
        "state": state | states(),
        **{name: publisher.command(name) | (pressed if name in ("arm", "start", "abort") else {}) for name in NAMES},
    }
