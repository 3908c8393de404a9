"""What can be made to go wrong on the simulated stand: sensors, the engine, the line; by command or by a script."""

from __future__ import annotations

import json
import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import Path
from typing import Any


class Fault(StrEnum):
    """Of one channel."""

    SILENT = "silent"  # it sends nothing
    NONSENSE = "nonsense"  # it sends a value that cannot be
    STUCK = "stuck"  # it repeats its last value
    NOISY = "noisy"  # it jumps about by a share of its value
    READS = "reads"  # it reads what was told, so that a limit can be tried


class Trouble(StrEnum):
    """Of the engine or the line."""

    OIL_LOSS = "oil_loss"  # pressure falls away
    KNOCK = "knock"  # the knock flag stands
    STALL = "stall"  # the engine dies
    HUSH = "hush"  # the line stays open and says nothing
    VANISH = "vanish"  # the line is cut


NOISE = 0.15  # of the value, for a noisy channel
OIL_LOSS_S = 1.5  # until the pressure has gone


class NoSuchFault(ValueError):
    """There is no such channel or fault; says which."""


@dataclass
class Faults:
    """Faults that stand now, and what channels sent last."""

    channels: Sequence[str]
    of_channel: dict[str, Fault] = field(default_factory=dict)
    told: dict[str, float] = field(default_factory=dict)
    last: dict[str, float | None] = field(default_factory=dict)
    troubles: set[Trouble] = field(default_factory=set)
    oil_lost_s: float = 0.0
    chance: random.Random = field(default_factory=lambda: random.Random("a noisy sensor"))

    def break_channel(self, channel: str, kind: object, value: object = None) -> None:
        """Break a sensor, or mend it with None."""
        if channel not in self.channels:
            raise NoSuchFault(f"there is no channel {channel!r}")
        self.of_channel.pop(channel, None)
        if kind is not None:
            if kind not in list(Fault):
                raise NoSuchFault(f"a sensor can be {', '.join(Fault)}, not {kind!r}")
            self.of_channel[channel] = Fault(str(kind))
            if kind == Fault.READS:
                self.told[channel] = float(str(value))

    def trouble(self, kind: object, on: bool = True) -> None:
        """Bring trouble on, or end it."""
        if kind not in list(Trouble):
            raise NoSuchFault(f"trouble is one of {', '.join(Trouble)}, not {kind!r}")
        self.troubles.discard(Trouble(str(kind)))
        if on:
            self.troubles.add(Trouble(str(kind)))
            self.oil_lost_s = 0.0

    def as_sent(self, name: str, value: float, decimals: int) -> float | None:
        """What the sensor makes of a true value."""
        fault = self.of_channel.get(name)
        if fault is Fault.SILENT:
            return None
        if fault is Fault.NONSENSE:
            return 9999.0
        if fault is Fault.READS:
            return self.told[name]
        if fault is Fault.STUCK and name in self.last:
            return self.last[name]
        if fault is Fault.NOISY:
            value += self.chance.gauss(0, NOISE * max(1.0, abs(value)))
        sent = round(value, decimals)
        self.last[name] = sent
        return sent


@dataclass(frozen=True)
class Cue:
    """One line of a script: what happens in which pull, at a speed or so long after its start."""

    pull: int
    at_rpm: float | None
    at_s: float | None
    what: Mapping[str, Any]


@dataclass
class Script:
    """Faults that come by themselves, each once: for practice, and for tests that must repeat."""

    cues: list[Cue] = field(default_factory=list)

    def due(self, pull: int, rpm: float, seconds: float) -> list[Mapping[str, Any]]:
        """What comes now, in a sweep."""
        now = [
            cue for cue in self.cues
            if cue.pull == pull and ((cue.at_rpm is not None and rpm >= cue.at_rpm)
                                     or (cue.at_s is not None and seconds >= cue.at_s))
        ]  # fmt: skip
        self.cues = [cue for cue in self.cues if cue not in now]
        return [cue.what for cue in now]


def read_script(lines: Sequence[Mapping[str, Any]]) -> Script:
    """Lines such as {"pull": 2, "at_rpm": 4000, "trouble": "oil_loss"}, or with "channel" and "kind" for a sensor."""
    cues = []
    for number, line in enumerate(lines, 1):
        if "pull" not in line or ("at_rpm" in line) == ("at_s" in line):
            raise NoSuchFault(f"line {number} of the script needs a pull, and either at_rpm or at_s")
        if ("trouble" in line) == ("channel" in line):
            raise NoSuchFault(f"line {number} of the script needs either trouble or a channel")
        cues.append(Cue(int(line["pull"]), line.get("at_rpm"), line.get("at_s"), dict(line)))
    return Script(cues)


def load_script(path: Path) -> Script:
    """A script as JSON: a list of lines."""
    return read_script(json.loads(path.read_text(encoding="utf-8")))
