"""How warm the engine of a session usually was: what its pulls are held against, instead of the first of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from torvix_core.units.checked import Array, finite

NORMAL_MAD = 1.4826  # standard deviations in a median absolute deviation, of a normal distribution
FEWEST = 3  # readings that have a middle which one of them does not move
FAR = 3.0  # deviations from the usual that are more than the spread of a session [prac]


@dataclass(frozen=True)
class WarmState:
    """The usual reading of a channel over the pulls of a session, and how far they commonly stray; K."""

    centre: float
    spread: float


def usual_of(readings: Array) -> WarmState:
    """The middle of so many readings, one a pull, which a cold one among them does not move.

    Shapes: readings (pulls,).
    Units:  K; any one unit.
    Errors: ValueError if there is none or one is not finite.
    Source: median and median absolute deviation (Hampel, J. Am. Statist. Assoc. 69 (1974) [mem]).
    >>> usual_of(np.array([334.0, 357.0, 361.0, 360.0, 362.0])).centre
    360.0
    """
    values = finite("readings", readings)
    if not len(values):
        raise ValueError("readings must not be empty")
    centre = float(np.median(values))
    return WarmState(centre, NORMAL_MAD * float(np.median(np.abs(values - centre))))


def states_of(pulls: Sequence[Mapping[str, float]], others: Sequence[Mapping[str, float]] = ()) -> dict[str, WarmState]:
    """The usual state of every channel that two pulls and more have; of fewer, with those of the engine's other days.

    Shapes: one mapping a pull, channel to reading; `others` are pulls of other days.
    Units:  K.
    Errors: ValueError if a reading is not finite.
    Source: `usual_of`; two readings have no middle that one of them does not move, so other days count then.
    >>> cold, warm = {"oil_temperature": 330.0}, {"oil_temperature": 362.0}
    >>> states_of([cold, warm], [warm, warm])["oil_temperature"].centre
    362.0
    """
    found = {}
    for key in dict.fromkeys(key for pull in pulls for key in pull):
        readings = [pull[key] for pull in pulls if key in pull]
        if len(readings) < FEWEST:
            readings += [pull[key] for pull in others if key in pull]
        if len(readings) > 1:
            found[key] = usual_of(np.array(readings))
    return found
