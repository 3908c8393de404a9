"""The duty of an engine that is rowed through its gears: how long it stays at each speed between shift and recovery."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from torvix_core.judging.duty import MOST_POINTS, Duty
from torvix_core.units.checked import finite

MOST_GEARS = 10
EDGE_RPM = 1.0  # width of the steps of a weight that is drawn with straight lines


def through_the_gears(ratios: Sequence[float], shift_rpm: float, launch_rpm: float) -> Duty:
    """Weight over engine speed of an acceleration from the launch through all gears.

    In each gear the engine climbs from where the last shift dropped it to the shift. For even torque the time it stays
    at a speed goes with 1/ratio², so that the higher gears weigh most.

    Shapes: ratios (gears,), falling.
    Units:  [-] and rpm; the weights' largest is 1.
    Errors: ValueError in words for the person who typed them.
    Source: rate of engine speed in a gear = torque·ratio²/(mass·rolling radius²) at even torque, without drag [phys].
    >>> duty = through_the_gears([3.0, 2.0, 1.5], 6000, 3000)
    >>> [(round(speed), round(weight, 2)) for speed, weight in duty.points][:4]
    [(3000, 0.14), (4000, 0.14), (4001, 0.45), (4500, 0.45)]
    """
    gears = finite("ratios", ratios)
    if not 2 <= len(gears) <= MOST_GEARS:
        raise ValueError(f"type 2 to {MOST_GEARS} gear ratios")
    if (gears <= 0).any() or (np.diff(gears) >= 0).any():
        raise ValueError("gear ratios must fall from first gear to the last")
    if not 0 < launch_rpm < shift_rpm:
        raise ValueError("the launch must lie below the shift")
    # Where each gear begins: the launch, then where the shift drops the engine to.
    begins = [launch_rpm, *(max(shift_rpm * after / before, launch_rpm) for before, after in pairwise(gears.tolist()))]
    stays = 1 / gears**2
    edges = sorted(set(begins))
    weights = [float(sum(stay for begin, stay in zip(begins, stays, strict=True) if begin <= edge)) for edge in edges]
    top, points = max(weights), list[tuple[float, float]]()
    for place, (edge, weight) in enumerate(zip(edges, weights, strict=True)):
        until = edges[place + 1] if place + 1 < len(edges) else shift_rpm
        points += [(edge + (EDGE_RPM if place else 0.0), weight / top), (until, weight / top)]
    return Duty(tuple(points[:MOST_POINTS]))
