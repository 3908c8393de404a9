"""A stop is followed until the stand has stopped: told again while it has not, and said loudly where it does not."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

AGAIN_S = 0.3  # between two tellings
LOUD_S = 1.0  # after which people are told to use the wired stop
LATE_S = 30.0  # a stand that was too busy to answer an arming may still arm within this
MOVING = ("armed", "sweeping")  # what a stop has to end; a stand that rolls off is stopping
ID = -1  # of a stop that no single command of a person asked for

WIRED = "Use the wired emergency stop."


@dataclass
class Stop:
    """One for a line. `send` tells the stand to stop; times are those of one clock that never goes back, in s."""

    send: Callable[[], None]
    since: float = math.nan  # when it was demanded; NaN where nothing is
    told_at: float = -math.inf
    until: float = math.inf
    answer: str = ""  # what the stand said against it
    reached: bool = False  # it said that it does

    @property
    def is_demanded(self) -> bool:
        return not math.isnan(self.since)

    def demand(self, now: float, *, watch_s: float = 0.0) -> None:
        """Stop now; and for `watch_s` also what the stand only begins later."""
        if not self.is_demanded:
            self.since, self.answer, self.reached = now, "", False
        self.until = max(now + watch_s, self.until if math.isfinite(self.until) else now)
        self.told_at = now
        self.send()

    def replied(self, ok: bool, why: str) -> None:
        self.reached, self.answer = self.reached or ok, "" if ok else why

    def follow(self, now: float, state: str, *, tells_states: bool) -> str:
        """Once a round: tell it again, or be done. What people have to know now, "" where all is well."""
        if not self.is_demanded:
            return ""
        stopped = state not in MOVING if tells_states else self.reached
        if stopped:
            if now >= self.until:
                self.since = math.nan
            else:
                self.since, self.answer = now, ""  # watched, and well so far
            return ""
        if now - self.told_at >= AGAIN_S:
            self.told_at = now
            self.send()
        if self.answer:
            return f"THE STAND DID NOT STOP: it refuses ({self.answer}). {WIRED}"
        if now - self.since >= LOUD_S:
            return f"THE STAND DID NOT STOP: {now - self.since:.0f} s after it was told to. {WIRED}"
        return ""
