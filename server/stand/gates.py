"""Whether a pull may start: each window against the last value of its channel, with the reason in words."""

from __future__ import annotations

from dataclasses import dataclass

from programmes.models import Programme
from stand.models import Link

NAMES = {
    "oil_temperature": "Oil",
    "coolant_temperature": "Coolant",
    "inlet_temperature": "Inlet air",
    "manifold_temperature": "Inlet skin",
    "oil_pressure": "Oil pressure",
}


@dataclass(frozen=True)
class Gate:
    """A window and where its channel stands in it. SI; `value` is None where nothing usable comes."""

    channel: str
    name: str
    low: float
    high: float
    value: float | None

    @property
    def side(self) -> str:
        """inside, low, high, or silent."""
        if self.value is None:
            return "silent"
        return "low" if self.value < self.low else "high" if self.value > self.high else "inside"


def gates(programme: Programme, link: Link | None) -> list[Gate]:
    """All windows of a programme against what the stand sent last."""
    values = link.values if link and link.connected else {}
    faulty = link.faulty if link else []
    return [
        Gate(
            channel=window.channel,
            name=NAMES.get(window.channel, window.channel.replace("_", " ").capitalize()),
            low=window.low,
            high=window.high,
            value=None if window.channel in faulty else values.get(window.channel),
        )
        for window in programme.windows.all()
    ]
