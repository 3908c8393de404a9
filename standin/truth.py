"""What parts are really worth beyond what their dimensions say: known to the simulated stand alone.

The judge of a verdict asks for it with the command `truth`, which only a simulated stand takes.
"""

from __future__ import annotations

import random
from dataclasses import dataclass


@dataclass(frozen=True)
class Worth:
    """A factor of the filling at 4500 rpm, and how much it changes by 1000 rpm [-]."""

    level: float = 1.0
    tilt: float = 0.0

    def at(self, speed_rpm: float) -> float:
        return self.level * (1 + self.tilt * (speed_rpm - 4500) / 1000)


PLAIN = Worth()
# Parts whose dimensions say all there is to say. Others get a worth of their own by their name.
PLAIN_PARTS = {
    "Six-port head", "Hill-climb cams 272/268", "Manifold gasket, fiber", "Throttle body 68", "Six-into-one header",
    "Long-runner manifold", "Middle-runner manifold", "Short-runner manifold",
    "Middle-runner manifold with 60 mm trumpets",
    "Heads as cast", "Heads with opened inlets", "Cam 224 for the tow truck", "Cast exhaust", "Four-into-one headers",
    "Low two-level manifold", "Open manifold", "Carburetor 390", "Carburetor 650", "Gasket, paper",
    "Gasket, insulating",
}  # fmt: skip
SLOPE, SLOPE_SD, CURVE_SD = 0.58, 0.12, 0.004  # of the jet area rule, and of lambda by 1000 rpm
BANKS_SD, IDLE_SD = 0.006, 0.02  # of lambda
LEVEL, TILT = 0.004, 0.0015  # standard deviations of what cannot be read off a part


def worth(part: str) -> Worth:
    """The same for a name on every day and every stand."""
    if part in PLAIN_PARTS:
        return PLAIN
    chance = random.Random(f"worth of {part}")
    return Worth(1 + chance.gauss(0, LEVEL), chance.gauss(0, TILT))


@dataclass(frozen=True)
class Mixing:
    """How a carburetor answers to its jets: share of the area rule, and leaner (+) or richer by 1000 rpm [-]."""

    slope: float
    tilt: float
    banks: float  # of lambda, left bank leaner (+) than the mean of both by so much
    idle: float  # of lambda, leaner (+) at idle than one and a half turns usually give


def mixing(carburetor: str) -> Mixing:
    """The same for a name on every day; one in ten follows the area rule."""
    chance = random.Random(f"mixing of {carburetor}")
    slope = 1.0 if chance.random() < 0.1 else chance.gauss(SLOPE, SLOPE_SD)
    return Mixing(slope, chance.gauss(0, CURVE_SD), chance.gauss(0, BANKS_SD), chance.gauss(0, IDLE_SD))
