"""Limits that stop a pull: what is watched, how many samples make a trip, and the trip in words.

A software stop is not a safety system: the stand needs its own wired emergency stop. Usual values are common practice
or recalled; the owner of the stand sets his own.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import ArrayLike, NDArray
from torvix_core.checked import Array, finite
from torvix_core.trace import SPEED, THROTTLE

BoolArray = NDArray[np.bool_]
LOADED = 0.8  # [-], throttle from which an engine counts as under load


class Side(StrEnum):
    ABOVE = "above"
    BELOW = "below"


@dataclass(frozen=True)
class Limit:
    """One channel against one value, SI; `per_rpm` is added times the speed. Trips when `samples` of `of` are out."""

    key: str
    label: str
    channel: str
    measure: str
    unit: str
    side: Side
    value: float | None  # None: given by the engine or the setup, or not watched
    figure: str = ""  # kind of figure whose unit a person chooses
    per_rpm: float = 0.0
    under_load: bool = False
    samples: int = 3
    of: int = 4
    why: str = ""  # of the usual value, in words
    source: str = ""

    def at(self, speed_rpm: float) -> float | None:
        """The value at an engine speed; None where it is not known."""
        return None if self.value is None else self.value + self.per_rpm * speed_rpm


USUAL: tuple[Limit, ...] = (
    Limit("over_speed", "Over-speed", SPEED, "speed", "rpm", Side.ABOVE, None,
          why="the redline of the engine's sheet", source="[prac]"),
    Limit("oil_pressure", "Oil pressure", "oil_pressure", "pressure", "bar", Side.BELOW, 0.0, "oil_pressure",
          per_rpm=69.0, under_load=True, why="10 psi for each 1000 rpm, common practice", source="[prac]"),
    Limit("coolant", "Coolant", "coolant_temperature", "temperature", "°C", Side.ABOVE, 383.15, "temperature",
          why="110 °C, common practice", source="[prac]"),
    Limit("oil", "Oil", "oil_temperature", "temperature", "°C", Side.ABOVE, 408.15, "temperature",
          why="135 °C, common practice", source="[prac]"),
    Limit("lean", "Lean under load", "lambda", "mixture", "lambda", Side.ABOVE, 0.98, under_load=True, samples=8, of=10,
          why="0.98 at full load on petrol, common practice", source="[prac]"),
    Limit("boost", "Boost over target", "boost", "pressure", "bar", Side.ABOVE, None, "boost",
          why="the setup's boost target and 0.15 bar more", source="[mem]"),
    Limit("exhaust", "Exhaust temperature", "exhaust_temperature", "temperature", "°C", Side.ABOVE, 1223.15,
          "temperature", why="950 °C", source="[mem]"),
    Limit("turbine", "Turbine speed", "turbine_speed", "speed", "rpm", Side.ABOVE, None,
          why="what the owner sets for the turbocharger", source="[prac]"),
    Limit("back_pressure", "Exhaust pressure", "exhaust_pressure", "pressure", "bar", Side.ABOVE, None, "boost",
          why="what the owner sets for the engine", source="[prac]"),
    Limit("knock", "Knock", "knock", "fraction", "1", Side.ABOVE, 0.5, samples=2, of=4,
          why="the stand's own knock flag, any strength", source="[prac]"),
)  # fmt: skip
OVER_BOOST = 15_000.0  # Pa above the target of a setup before it counts as over it [mem]


DEAD = 25  # samples in a row under load from which nothing came, after which a channel protects nothing [prac]


@dataclass(frozen=True)
class Trip:
    """A limit that was crossed: the last value, what it was held against, and the speed then. SI.

    `value` is NaN where the channel has died under load: an engine whose limit cannot be seen is stopped, too.
    """

    limit: Limit
    value: float
    against: float
    speed_rpm: float

    @property
    def is_dead(self) -> bool:
        return bool(np.isnan(self.value))


def in_force(
    limits: Sequence[Limit], redline: float | None = None, boost_target: float | None = None
) -> tuple[Limit, ...]:
    """Limits with what the engine and the setup give; those that nothing gives a value are left out.

    Shapes: limits (k,).
    Units:  rpm, Pa above ambient.
    Errors: none.
    Source: house rule: the lower of the owner's over-speed and the redline holds.
    >>> [limit.key for limit in in_force(USUAL, redline=7200.0)][0], in_force(USUAL, redline=7200.0)[0].value
    ('over_speed', 7200.0)
    """
    found = []
    for limit in limits:
        if limit.key == "over_speed" and redline is not None:
            limit = replace(limit, value=redline if limit.value is None else min(limit.value, redline))
        if limit.key == "boost" and limit.value is None and boost_target is not None:
            limit = replace(limit, value=boost_target + OVER_BOOST)
        if limit.value is not None:
            found.append(limit)
    return tuple(found)


def check(limit: Limit) -> Limit:
    """A limit that somebody set, refused where it could not work.

    Shapes: scalar.
    Units:  as `Limit`.
    Errors: ValueError in words.
    Source: house rule.
    >>> check(USUAL[2]).key
    'coolant'
    """
    if limit.value is not None:
        finite(limit.label, limit.value)
    if not 1 <= limit.samples <= limit.of <= 50:
        raise ValueError("so many of so many samples: at least one, at most 50, and no more than are looked at")
    return limit


def _newest(values: Array, count: int) -> Array:
    """The same as the last of `count` samples, NaN before them."""
    return values if len(values) == count else np.concatenate([np.full(count - len(values), np.nan), values])


class Guard:
    """Follows the samples of a pull as they came, and trips once.

    A sample in which nothing came is not judged; DEAD of them in a row under load are a trip of their own. An
    impossible reading is one like any other: what the sensor says may be wrong, what it says of the engine may be true.
    """

    def __init__(self, limits: Sequence[Limit]) -> None:
        self.limits = tuple(limits)
        self._out = {limit.key: np.zeros(0, dtype=bool) for limit in self.limits}  # what the last samples were
        self._silent = {limit.key: 0 for limit in self.limits}  # samples in a row under load without a number

    def watch(self, block: Mapping[str, ArrayLike]) -> Trip | None:
        """The trip in a block of samples, if one is in it; the first where there are several.

        Shapes: each channel (n,), or a number for one sample; NaN where nothing usable came. A channel with fewer
                samples than the rest holds the newest of them: who guards an engine judges what there is.
        Units:  SI, `rpm`.
        Errors: none.
        Source: a limit trips when so many of the last so many samples are out, the newest among them.
        """
        table = {name: np.atleast_1d(np.asarray(values, dtype=np.float64)) for name, values in block.items()}
        count = max((len(values) for values in table.values()), default=0)
        table = {name: _newest(values, count) for name, values in table.items()}
        speed = np.nan_to_num(table.get(SPEED, np.zeros(count)))
        loaded = ~(table.get(THROTTLE, np.ones(count)) < LOADED)  # a throttle that says nothing counts as open
        first: tuple[int, Limit] | None = None
        for limit in self.limits:
            if limit.value is None or limit.channel not in table:
                continue
            place = self._trip_at(limit, table[limit.channel], limit.value + limit.per_rpm * speed, loaded)
            if (died := self._died_at(limit, table[limit.channel], loaded)) is not None:
                place = died if place is None else min(place, died)
            if place is not None and (first is None or place < first[0]):
                first = place, limit
        if first is None:
            return None
        place, limit = first
        against = limit.at(float(speed[place]))
        assert against is not None  # a limit without a value was passed over
        return Trip(limit, float(table[limit.channel][place]), against, float(speed[place]))

    def _trip_at(self, limit: Limit, values: Array, against: Array, loaded: BoolArray) -> int | None:
        """The sample of the block at which a limit trips."""
        judged = np.isfinite(values) & (loaded | (not limit.under_load))
        places = np.flatnonzero(judged)
        out = (values > against if limit.side is Side.ABOVE else values < against)[places]
        before = self._out[limit.key]
        seen = np.concatenate([before, out])
        self._out[limit.key] = seen[max(0, len(seen) - limit.of + 1) :]
        if not out.any():
            return None
        # How many of the last `of` are out at each sample
        total = np.concatenate([np.zeros(1, dtype=int), np.cumsum(seen)])
        ends = np.arange(len(before) + 1, len(seen) + 1)
        within = total[ends] - total[np.maximum(0, ends - limit.of)]
        trips = np.flatnonzero(out & (within >= limit.samples))
        return int(places[trips[0]]) if trips.size else None

    def _died_at(self, limit: Limit, values: Array, loaded: BoolArray) -> int | None:
        """The sample of the block at which a channel has been silent under load for too long."""
        silent = ~np.isfinite(values) & loaded
        # How many in a row up to each sample, with those before the block
        ends = np.where(silent, 0, np.arange(1, len(silent) + 1))
        run = np.arange(1, len(silent) + 1) - np.maximum.accumulate(ends)
        run = run + np.where(np.cumsum(~silent) == 0, self._silent[limit.key], 0)
        self._silent[limit.key] = int(run[-1]) if len(run) else self._silent[limit.key]
        places = np.flatnonzero(run >= DEAD)
        return int(places[0]) if places.size else None

    def blind(self, channels: Sequence[str]) -> tuple[Limit, ...]:
        """Limits whose channel the stand does not send: they protect nothing."""
        return tuple(limit for limit in self.limits if limit.channel not in channels)
