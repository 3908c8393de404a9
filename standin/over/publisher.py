"""What every standard is to the simulated stand: something that takes its samples out, and the map that reads them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Protocol

Row = list[float | None]

WEATHER = (("barometer", "kPa"), ("temperature", "°C"), ("humidity", "%"))


@dataclass(frozen=True)
class Said:
    """What the stand says of itself: channels with their units, its rate, the inertia behind its torque."""

    channels: tuple[tuple[str, str], ...]
    rate_hz: float
    inertia: float  # kg·m²


class Publisher(Protocol):
    async def start(self, said: Said) -> None:
        """Listen, or connect."""

    async def send(self, at_s: list[float], rows: list[Row], weather: list[float]) -> None:
        """Samples with their times, and the weather as it is."""

    def source(self) -> dict[str, Any]:
        """How a map finds it."""

    def place(self, number: int, name: str) -> dict[str, Any]:
        """Where in it a channel is, by its number among the channels and, after them, the weather."""

    async def stop(self) -> None:
        """Let go of what was opened."""


def map_of(said: Said, publisher: Publisher) -> dict[str, Any]:
    """The map that reads all of a stand (docs/adapters.md)."""
    names = [*said.channels, *WEATHER]
    rows = [{"name": name, "unit": unit} | publisher.place(at, name) for at, (name, unit) in enumerate(names)]
    return {
        "stand": "Simulated stand",
        "simulated": True,
        "rate_hz": said.rate_hz,
        "inertia": {"torque": "not_included", "kg_m2": said.inertia},
        "sources": [publisher.source()],
        "channels": rows[: len(said.channels)],
        "weather": rows[len(said.channels) :],
    }
