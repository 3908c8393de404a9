"""Engine speeds named in words, as people say them: “at 5800”, “above 5500 rpm”, “from 3000 to 4500”."""

from __future__ import annotations

import re
from dataclasses import dataclass

# Four digits at least, so that 430 is never taken for a speed.
SPEED = r"(\d{1,2},\d{3}|\d{4,5})(?:\s*(?:rpm|r/min))?\b"
_BETWEEN = re.compile(rf"(?:\b(?:from|between)\s+)?{SPEED}\s*(?:\bto\b|\band\b|-|–|…|\.\.)\s*{SPEED}", re.IGNORECASE)
_AT = re.compile(rf"(?:\bat|@)\s*{SPEED}", re.IGNORECASE)
_ABOVE = re.compile(rf"\b(?:above|over|past|beyond|from)\s+{SPEED}(?:\s+(?:up|on))?", re.IGNORECASE)
_BELOW = re.compile(rf"\b(?:below|under|up to|to)\s+{SPEED}", re.IGNORECASE)


@dataclass(frozen=True)
class SpeedRegion:
    """Engine speeds from `low_rpm` to `high_rpm`, both included; None: as far as the engine was run, or is to be.

    Equal ends are a single speed.
    """

    low_rpm: float | None = None
    high_rpm: float | None = None

    @property
    def is_one_speed(self) -> bool:
        return self.low_rpm is not None and self.low_rpm == self.high_rpm

    @property
    def words(self) -> str:
        """The region as it is said; empty where it has no ends."""
        if self.low_rpm is None:
            return "" if self.high_rpm is None else f"below {self.high_rpm:.0f} rpm"
        if self.high_rpm is None:
            return f"above {self.low_rpm:.0f} rpm"
        if self.is_one_speed:
            return f"at {self.low_rpm:.0f} rpm"
        return f"from {self.low_rpm:.0f} to {self.high_rpm:.0f} rpm"


def take_region(text: str) -> tuple[str, SpeedRegion | None]:
    """The text without the speeds that it names, and those; None where it names none.

    Shapes: one text.
    Units:  rpm.
    Errors: ValueError if a range does not rise, or speeds are named twice.
    Source: house rule.
    >>> take_region("2 % above 5500"), take_region("430 hp at 5,800 rpm")[1].words
    (('2 %', SpeedRegion(low_rpm=5500.0, high_rpm=None)), 'at 5800 rpm')
    """
    for pattern, ends in ((_BETWEEN, (1, 2)), (_AT, (1, 1)), (_ABOVE, (1, None)), (_BELOW, (None, 1))):
        found = pattern.search(text)
        if found is None:
            continue
        low, high = (None if group is None else float(found[group].replace(",", "")) for group in ends)
        if low is not None and high is not None and low > high:
            raise ValueError("write the lower speed first")
        rest = " ".join(f"{text[: found.start()]} {text[found.end() :]}".split())
        if take_region(rest)[1] is not None:
            raise ValueError("name one speed or one range of speeds")
        return rest, SpeedRegion(low, high)
    return text, None
