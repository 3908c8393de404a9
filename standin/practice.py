"""python -m standin.practice: what a practice test hides, drawn from its seed, and what it was once it is revealed.

The stand gets the seed with what is bolted on, and behaves accordingly. Nothing of it is on the line; whoever knows
the seed may ask for it here: a JSON object in, one out, as docs/line-protocol.md describes.
"""

from __future__ import annotations

import json
import math
import random
import sys
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from standin.truth import Worth

TRAITS = ("drift", "curved_drift", "cold_starts", "wash", "confounded", "boost_miss")
APART = (-0.007, 0.0, 0.006)  # levels of three parts, of the filling; a wash makes the upper two one
WASH = (-0.009, 0.004, 0.004)
HEADERS = (0.0, -0.008)  # a second part that takes back what the first one gains
TILT = 0.003  # standard deviation, of the filling by 1000 rpm
DRIFT = 0.0015  # of a pull
BEND, BEND_PULLS = 0.014, 3.0  # lost in all while it warms through, and after how many pulls all but a third is
COOLS, COOLS_MORE = 0.10, 0.40  # of the warmth of oil and coolant that goes when parts are changed
MISSED_KPA = 7.0  # of the boost


class NoSuchPractice(ValueError):
    """What is asked for is no practice test."""


@dataclass(frozen=True)
class Practice:
    """`session` counts pulls: the drift of each session begins anew."""

    seed: str
    traits: frozenset[str]
    session: str = ""

    def worth(self, part: str) -> Worth:
        """By the last letter of a part's name: A, B and C are three of a kind, 1 and 2 go with them."""
        dice = random.Random(f"{self.seed}/worth/{part}")
        letter = part[-1:]
        if letter in "12":
            return Worth(1 + (HEADERS["12".index(letter)] if "confounded" in self.traits else 0.0))
        if letter not in "ABC":
            return Worth()
        levels = list(WASH if "wash" in self.traits else APART)
        random.Random(f"{self.seed}/levels").shuffle(levels)
        tilt = 0.0 if "wash" in self.traits else dice.gauss(0, TILT)
        return Worth(1 + levels["ABC".index(letter)], tilt)

    @property
    def drift_per_pull(self) -> float:
        if "drift" not in self.traits:
            return 0.0
        return DRIFT * (1 if random.Random(f"{self.seed}/drift").random() < 0.25 else -1)

    @property
    def bend(self) -> float:
        return BEND if "curved_drift" in self.traits else 0.0

    def level(self, before: int) -> float:
        """What is left of the torque after so many pulls of the session."""
        return (1 + self.drift_per_pull * before) * (1 - self.bend * -math.expm1(-before / BEND_PULLS))

    @property
    def cools(self) -> float:
        return COOLS_MORE if "cold_starts" in self.traits else COOLS

    def boost_miss(self, part: str) -> float:
        """kPa above what was asked for, with one of the three parts."""
        if "boost_miss" not in self.traits:
            return 0.0
        return MISSED_KPA if part[-1:] == random.Random(f"{self.seed}/boost").choice("ABC") else 0.0


def read_practice(given: object) -> Practice | None:
    """As the command `fit` tells it; None where it is no practice test."""
    if given is None:
        return None
    if not isinstance(given, Mapping) or not {*given.get("traits", ())} <= {*TRAITS}:
        raise NoSuchPractice(f"the traits of a practice test are among {', '.join(TRAITS)}")
    return Practice(str(given.get("seed", "")), frozenset(given.get("traits", ())), str(given.get("session", "")))


def reveal(asked: Mapping[str, Any]) -> dict[str, Any]:
    """Torque of each fit at the speeds, N·m; what parts are worth; and how the engine behaves from pull to pull."""
    from standin import stand
    from standin.engine import ENGINES
    from standin.parts import read_fit

    practice = read_practice(asked["practice"])
    if practice is None:
        raise NoSuchPractice("no practice test was asked for")
    speeds = [float(speed) for speed in asked["speeds"]]
    torque, parts = [], {}
    for fit in asked["fits"]:
        bench = stand.Stand(engine=ENGINES[asked["engine"]])
        fitted = read_fit(bench.engine, {**fit, "practice": asked["practice"]})
        bench.command("fit", {**fit, "practice": asked["practice"]})
        bench.turbo.target = fitted.boost_target
        torque.append(bench.truth(speeds))
        parts.update({
            name: {"level": practice.worth(name).level, "tilt": practice.worth(name).tilt,
                   "boost_miss_kpa": practice.boost_miss(name)}
            for name in fitted.names
        })  # fmt: skip
    habits = {
        "scatter": stand.PULL_SCATTER, "drift_per_pull": stand.PULL_DRIFT + practice.drift_per_pull,
        "warming": practice.bend, "warming_pulls": BEND_PULLS,
    }  # fmt: skip
    return {"torque": torque, "parts": parts, "habits": habits, "cools": practice.cools}


def main() -> None:
    print(json.dumps(reveal(json.load(sys.stdin))))


if __name__ == "__main__":
    main()
