"""Who watches a pull: follows its samples as they came, and trips when a limit is crossed or cannot be watched.

A limit whose channel says nothing, says the impossible or stands still protects nothing, and nobody would know.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum

import numpy as np
from numpy.typing import ArrayLike, NDArray
from torvix_core.pull.limits import LOADED, Limit, Side
from torvix_core.pull.trace import BANKS, MIXTURE, PLAUSIBLE, SPEED, THROTTLE
from torvix_core.units.checked import Array

BoolArray = NDArray[np.bool_]
UNSEEN_S = 0.5  # under load without a usable reading, after which a channel protects nothing [prac]
UNSEEN_LEAST = 10  # samples, however few come in that time
STILL_RPM = 500.0  # that an engine under load speeds up while a reading which moves stands still [prac]
STILL_S = 1.0  # that the speed itself stands still in a sweep [prac]


class Cause(StrEnum):
    CROSSED = "crossed"
    SILENT = "silent"  # nothing came
    IMPOSSIBLE = "impossible"  # what came lies outside what the channel can read
    STILL = "still"  # what came did not move while the engine did


@dataclass(frozen=True)
class Trip:
    """A limit that was crossed or cannot be watched: the last value, what it was held against, and the speed. SI.

    `value` is NaN where nothing came.
    """

    limit: Limit
    value: float
    against: float
    speed_rpm: float
    cause: Cause = Cause.CROSSED


@dataclass
class _Memory:
    """What has to be known of a channel from the blocks before."""

    out: BoolArray = field(default_factory=lambda: np.zeros(0, dtype=bool))  # of the last samples that were judged
    unusable: int = 0  # samples in a row under load
    last: float = np.nan
    same: int = 0  # samples in a row under load that were like `last`
    same_from_rpm: float = np.nan


class Guard:
    """Follows the samples of a pull as they came. A limit that only warns when it cannot be watched is in `warned`.

    An impossible reading is judged like any other: what the sensor says may be wrong, what it says of the engine may be
    true. Where it crosses nothing it counts as unusable.
    """

    def __init__(self, limits: Sequence[Limit], rate_hz: float = 50.0, *, climbing: bool = True) -> None:
        """`climbing`: the speed is swept, not held, so a speed that stands still is a broken sensor."""
        self.limits = tuple(each for limit in limits for each in _by_bank(limit))
        self.warned: list[Trip] = []  # once for each limit, in their order
        self._memory = {limit.channel + limit.key: _Memory() for limit in self.limits}
        self._unseen = max(UNSEEN_LEAST, round(UNSEEN_S * rate_hz))
        self._still = max(UNSEEN_LEAST, round(STILL_S * rate_hz)) if climbing else None

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
        if not count:
            return None
        table = {name: _newest(values, count) for name, values in table.items()}
        speed = np.nan_to_num(table.get(SPEED, np.zeros(count)))
        loaded = ~(table.get(THROTTLE, np.ones(count)) < LOADED)  # a throttle that says nothing counts as open
        first: tuple[int, Trip] | None = None
        for limit in self.limits:
            if limit.value is None or limit.channel not in table:
                continue
            values, against = table[limit.channel], limit.value + limit.per_rpm * speed
            found = [(self._crossed_at(limit, values, against, loaded), Cause.CROSSED)]
            found += self._unseen_at(limit, values, speed, loaded)
            for place, cause in found:
                if place is None:
                    continue
                trip = Trip(limit, float(values[place]), float(against[place]), float(speed[place]), cause)
                if cause is not Cause.CROSSED and not limit.stops_unseen:
                    if all(known.limit != limit for known in self.warned):
                        self.warned.append(trip)
                elif first is None or place < first[0]:
                    first = place, trip
        return None if first is None else first[1]

    def _crossed_at(self, limit: Limit, values: Array, against: Array, loaded: BoolArray) -> int | None:
        """The sample of the block at which a limit trips."""
        memory = self._memory[limit.channel + limit.key]
        judged = np.isfinite(values) & (loaded | (not limit.under_load))
        places = np.flatnonzero(judged)
        out = (values > against if limit.side is Side.ABOVE else values < against)[places]
        seen = np.concatenate([memory.out, out])
        before = len(memory.out)
        memory.out = seen[max(0, len(seen) - limit.of + 1) :]
        if not out.any():
            return None
        # How many of the last `of` are out at each sample
        total = np.concatenate([np.zeros(1, dtype=int), np.cumsum(seen)])
        ends = np.arange(before + 1, len(seen) + 1)
        within = total[ends] - total[np.maximum(0, ends - limit.of)]
        trips = np.flatnonzero(out & (within >= limit.samples))
        return int(places[trips[0]]) if trips.size else None

    def _unseen_at(
        self, limit: Limit, values: Array, speed: Array, loaded: BoolArray
    ) -> list[tuple[int | None, Cause]]:
        """The samples of the block from which on a limit cannot be watched, and why."""
        memory = self._memory[limit.channel + limit.key]
        low, high = PLAUSIBLE.get(limit.channel, (-np.inf, np.inf))
        unusable = ~((values >= low) & (values <= high)) & loaded
        run = _run(unusable, memory.unusable)
        memory.unusable = int(run[-1])
        gone = _first(run >= self._unseen)
        cause = Cause.SILENT if gone is None or np.isnan(values[gone]) else Cause.IMPOSSIBLE
        return [(gone, cause), (self._still_at(limit, values, speed, loaded, memory), Cause.STILL)]

    def _still_at(self, limit: Limit, values: Array, speed: Array, loaded: BoolArray, memory: _Memory) -> int | None:
        if not limit.moves:
            return None
        same = (values == np.concatenate([[memory.last], values[:-1]])) & loaded
        run = _run(same, memory.same)
        start = np.arange(len(values)) - run  # the sample that the run is like; before the block where negative
        begun = np.where(start >= 0, speed[np.maximum(start, 0)], memory.same_from_rpm)
        memory.last, memory.same, memory.same_from_rpm = float(values[-1]), int(run[-1]), float(begun[-1])
        if limit.channel == SPEED:
            return None if self._still is None else _first(run >= self._still)
        return _first((run >= UNSEEN_LEAST) & (np.abs(speed - begun) >= STILL_RPM))

    def blind(self, channels: Sequence[str]) -> tuple[Limit, ...]:
        """Limits whose channel the stand does not send: they protect nothing."""
        return tuple(limit for limit in self.limits if limit.channel not in BANKS and is_blind(limit, channels))


def is_blind(limit: Limit, channels: Collection[str]) -> bool:
    """Whether nothing that a stand sends can cross a limit.

    Shapes: any number of channels.
    Units:  none.
    Errors: none.
    Source: house rule: the mixture of both banks stands for the mixture of the engine.
    >>> from torvix_core.pull.limits import USUAL
    >>> lean = next(limit for limit in USUAL if limit.key == "lean")
    >>> is_blind(lean, ["rpm"]), is_blind(lean, ["rpm", "lambda_left", "lambda_right"])
    (True, False)
    """
    both = limit.channel == MIXTURE and set(BANKS) <= set(channels)
    return limit.channel not in channels and not both


def _by_bank(limit: Limit) -> tuple[Limit, ...]:
    """A limit of the mixture holds for each bank that is read: a mean may hide a lean one."""
    if limit.channel != MIXTURE:
        return (limit,)
    sides = (replace(limit, channel=bank, label=f"{limit.label}, {bank.rpartition('_')[2]} bank") for bank in BANKS)
    return (limit, *sides)


def _newest(values: Array, count: int) -> Array:
    """The same as the last of `count` samples, NaN before them."""
    return values if len(values) == count else np.concatenate([np.full(count - len(values), np.nan), values])


def _run(true: BoolArray, before: int) -> NDArray[np.int64]:
    """How many in a row up to each sample, with so many before the block."""
    places = np.arange(1, len(true) + 1)
    run = places - np.maximum.accumulate(np.where(true, 0, places))
    return run + np.where(np.cumsum(~true) == 0, before, 0)


def _first(true: BoolArray) -> int | None:
    places = np.flatnonzero(true)
    return int(places[0]) if places.size else None
