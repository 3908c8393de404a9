"""Limits that stop a pull: what is watched, against what, and how many samples make a trip. They trip in `guard`.

A software stop is not a safety system: the stand needs its own wired emergency stop. Usual values are common practice
or recalled; the owner of the stand sets his own.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from torvix_core.pull.trace import SPEED
from torvix_core.units.checked import finite

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
    moves: bool = False  # its reading never stands still to the last digit while an engine under load speeds up
    stops_unseen: bool = True  # the pull is stopped when the channel says nothing usable; else people are warned
    why: str = ""  # of the usual value, in words
    source: str = ""

    def at(self, speed_rpm: float) -> float | None:
        """The value at an engine speed; None where it is not known."""
        return None if self.value is None else self.value + self.per_rpm * speed_rpm


USUAL: tuple[Limit, ...] = (
    Limit("over_speed", "Over-speed", SPEED, "speed", "rpm", Side.ABOVE, None, moves=True,
          why="the redline of the engine's sheet", source="[prac]"),
    Limit("oil_pressure", "Oil pressure", "oil_pressure", "pressure", "bar", Side.BELOW, 0.0, "oil_pressure",
          per_rpm=69.0, under_load=True, moves=True, why="10 psi for each 1000 rpm, common practice", source="[prac]"),
    Limit("coolant", "Coolant", "coolant_temperature", "temperature", "°C", Side.ABOVE, 383.15, "temperature",
          why="110 °C, common practice", source="[prac]"),
    Limit("oil", "Oil", "oil_temperature", "temperature", "°C", Side.ABOVE, 408.15, "temperature",
          why="135 °C, common practice", source="[prac]"),
    Limit("lean", "Lean under load", "lambda", "mixture", "lambda", Side.ABOVE, 0.98, under_load=True, samples=8, of=10,
          moves=True, why="0.98 at full load on gasoline, common practice", source="[prac]"),
    Limit("boost", "Boost over target", "boost", "pressure", "bar", Side.ABOVE, None, "boost", moves=True,
          why="the setup's boost target and 0.15 bar more", source="[mem]"),
    Limit("exhaust", "Exhaust temperature", "exhaust_temperature", "temperature", "°C", Side.ABOVE, 1223.15,
          "temperature", why="950 °C", source="[mem]"),
    Limit("turbine", "Turbine speed", "turbine_speed", "speed", "rpm", Side.ABOVE, None,
          why="what the owner sets for the turbocharger", source="[prac]"),
    Limit("back_pressure", "Exhaust pressure", "exhaust_pressure", "pressure", "bar", Side.ABOVE, None, "boost",
          moves=True, why="what the owner sets for the engine", source="[prac]"),
    Limit("charge", "Charge temperature", "inlet_temperature", "temperature", "°C", Side.ABOVE, None, "temperature",
          why="what the owner sets for the engine under boost: a hot charge knocks", source="[prac]"),
    Limit("knock", "Knock", "knock", "fraction", "1", Side.ABOVE, 0.5, samples=2, of=4,
          why="the stand's own knock flag, any strength", source="[prac]"),
)  # fmt: skip
# Of a boosted engine these have no usual value, and right boost alone does not guard it: its owner has to set them
BOOSTED_LIMITS = frozenset({"turbine", "back_pressure", "charge"})
OVER_BOOST = 15_000.0  # Pa above the target of a setup before it counts as over it [mem]


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
