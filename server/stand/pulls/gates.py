"""Whether a pull may start: each window against the last value of its channel, with the reason in words.

The window of the plan is made narrower around the pulls that this one will be compared with.
"""

from __future__ import annotations

import statistics
from collections.abc import Sequence
from dataclasses import dataclass

from programmes.models import Programme
from stand.models import Link, Pull, PullState, Purpose, Standing

NAMES = {
    "oil_temperature": "Oil",
    "coolant_temperature": "Coolant",
    "inlet_temperature": "Inlet air",
    "manifold_temperature": "Manifold surface",
    "oil_pressure": "Oil pressure",
    "fuel_pressure": "Fuel pressure",
    "boost": "Boost",
    "turbine_speed": "Turbine speed",
}
# How far from those it is compared with a pull may begin, either way, SI; common practice, no source. Oil and coolant
# each cost about 1 % of torque in 15 to 20 K.
LIKE = {
    "oil_temperature": 6.0, "coolant_temperature": 5.0, "inlet_temperature": 5.0, "manifold_temperature": 8.0,
    "fuel_pressure": 20_000.0,
}  # fmt: skip


def channel_measure(channel: str) -> str:
    """What a gated channel measures."""
    return "temperature" if channel.endswith("_temperature") else "pressure"


OTHER_DAY = 2.0  # times as far from pulls of a session that is over
LOOKED_AT = 8  # pulls, the newest


@dataclass(frozen=True)
class Gate:
    """A window and where its channel stands in it. SI; `value` is None where there is no valid signal.

    `like` are the numbers of the pulls around which the window was made narrower.
    """

    channel: str
    name: str
    low: float
    high: float
    value: float | None
    like: tuple[int, ...] = ()

    @property
    def side(self) -> str:
        """inside, low, high, or silent."""
        if self.value is None:
            return "silent"
        return "low" if self.value < self.low else "high" if self.value > self.high else "inside"


def compared_with(programme: Programme) -> list[Pull]:
    """The newest pulls that count: of the session that is open if it has any, else of those before."""
    counted = Pull.objects.filter(
        session__programme=programme, session__filed=False, state=PullState.COMPLETE, purpose=Purpose.SWEEP
    ).exclude(standing=Standing.EXCLUDED)  # fmt: skip
    newest = list(counted.select_related("session").order_by("-number")[:LOOKED_AT])
    today = [pull for pull in newest if pull.session.closed_at is None]
    return (today or newest)[::-1]


def gates(programme: Programme, link: Link | None, like: Sequence[Pull] = ()) -> list[Gate]:
    """All windows of a programme against what the stand sent last, narrowed to the pulls in `like`."""
    values = link.values if link and link.connected else {}
    faulty = link.faulty if link else []
    found = []
    for window in programme.windows.all():
        low, high, numbers = _narrowed(window.channel, window.low, window.high, like)
        found.append(
            Gate(
                channel=window.channel,
                name=NAMES.get(window.channel, window.channel.replace("_", " ").capitalize()),
                low=low,
                high=high,
                value=None if window.channel in faulty else values.get(window.channel),
                like=numbers,
            )
        )
    return found


def _narrowed(channel: str, low: float, high: float, like: Sequence[Pull]) -> tuple[float, float, tuple[int, ...]]:
    """The window as far as it lies around where those pulls began; as it is where they began outside it."""
    began = {pull.number: pull.start_values[channel] for pull in like if channel in pull.start_values}
    around = LIKE.get(channel)
    if not began or around is None:
        return low, high, ()
    if all(pull.session.closed_at is not None for pull in like):
        around *= OTHER_DAY  # a day differs from another in more than can be waited for
    middle = statistics.median(began.values())
    narrow = max(low, middle - around), min(high, middle + around)
    if narrow[0] >= narrow[1]:
        return low, high, ()
    return (*narrow, tuple(began))
