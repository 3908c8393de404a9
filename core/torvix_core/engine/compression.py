"""What the piston squeezes: clearance volume and its shares, static and trapped ratio, cranking pressure."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from torvix_core.units.checked import Array, finite, positive

RATIO_GAMMAS = (1.25, 1.40)  # [-], of a burning mixture [mem] to air
CRANKING_EXPONENTS = (1.2, 1.3)  # [-], polytropic, slow compression of a leaking, cool cylinder [mem]


@dataclass(frozen=True)
class ClearanceVolumes:
    """What is above the piston at top dead center, m³: scalars or broadcasting arrays."""

    chamber: Array
    gasket: Array
    deck: Array  # negative where the piston stands proud
    piston: Array  # dish and reliefs count above zero, a dome below

    @property
    def total(self) -> Array:
        return self.chamber + self.gasket + self.deck + self.piston


def clearance_volumes(
    *, bore: ArrayLike, chamber: ArrayLike, gasket_bore: ArrayLike, gasket_thickness: ArrayLike,
    deck_clearance: ArrayLike, piston: ArrayLike,
) -> ClearanceVolumes:  # fmt: skip
    """Volumes above the piston at top dead center.

    Shapes: the arguments broadcast.
    Units:  m and m³; `deck_clearance` is negative if the piston stands proud, `piston` is dish and reliefs less dome.
    Errors: ValueError naming the argument, if not finite or not above zero where it must be.
    Source: geometry.
    >>> found = clearance_volumes(bore=0.1, chamber=6e-5, gasket_bore=0.1, gasket_thickness=0.001,
    ...                           deck_clearance=0.0, piston=0.0)
    >>> round(float(found.total) * 1e6, 2)
    67.85
    """
    return ClearanceVolumes(
        chamber=positive("chamber", chamber),
        gasket=np.pi / 4 * positive("gasket_bore", gasket_bore) ** 2 * positive("gasket_thickness", gasket_thickness),
        deck=np.pi / 4 * positive("bore", bore) ** 2 * finite("deck_clearance", deck_clearance),
        piston=finite("piston", piston),
    )


def static_ratio(swept: ArrayLike, clearance: ArrayLike) -> Array:
    """Static compression ratio of one cylinder.

    Shapes: the arguments broadcast.
    Units:  m³ of one cylinder; result [-].
    Errors: ValueError if either volume is not above zero.
    Source: (Vs + Vc)/Vc.
    >>> float(static_ratio(9.0, 1.0))
    10.0
    """
    volume = positive("clearance", clearance)
    return (positive("swept", swept) + volume) / volume


def piston_drop(crank_angle: ArrayLike, stroke: ArrayLike, rod: ArrayLike) -> Array:
    """How far the piston is below top dead center.

    Shapes: the arguments broadcast.
    Units:  degrees after top dead center, m, m; result m.
    Errors: ValueError naming the argument; also if the rod is not longer than half the stroke.
    Source: slider-crank geometry, no piston pin offset [phys].
    >>> round(float(piston_drop(180.0, 0.08, 0.14)), 6)
    0.08
    """
    radius, length = positive("stroke", stroke) / 2, positive("rod", rod)
    if (length <= radius).any():
        raise ValueError("rod must be longer than half the stroke")
    angle = np.deg2rad(finite("crank_angle", crank_angle))
    drop: Array = radius * (1 - np.cos(angle)) + length - np.sqrt(length**2 - (radius * np.sin(angle)) ** 2)
    return drop


def trapped_ratio(static_ratio: ArrayLike, stroke: ArrayLike, rod: ArrayLike, intake_closing: ArrayLike) -> Array:
    """Compression ratio from the closing of the intake valve on ("dynamic").

    Shapes: the arguments broadcast.
    Units:  [-], m, m, degrees after bottom dead center (0 to 120); result [-].
    Errors: ValueError naming the argument.
    Source: slider-crank geometry [phys].
    >>> round(float(trapped_ratio(10.0, 0.09, 0.15, 0.0)), 6)
    10.0
    """
    closing = finite("intake_closing", intake_closing)
    if ((closing < 0) | (closing > 120)).any():
        raise ValueError("intake_closing must lie between 0 and 120 degrees after bottom dead center")
    left = piston_drop(180.0 + closing, stroke, rod) / positive("stroke", stroke)
    return 1 + left * (positive("static_ratio", static_ratio) - 1)


def cranking_pressure(trapped_ratio: ArrayLike, ambient: ArrayLike, exponent: ArrayLike) -> Array:
    """Estimated gauge pressure of a cranking test.

    Shapes: the arguments broadcast.
    Units:  [-], Pa absolute, [-]; result Pa above ambient.
    Errors: ValueError naming the argument.
    Source: polytropic compression [phys]; exponents 1.2 to 1.3 [mem] (CRANKING_EXPONENTS). An estimate: leakage,
            cranking speed and gauge volume are not in it.
    >>> round(float(cranking_pressure(8.0, 101_325.0, 1.25)) / 1000)
    1262
    """
    pressed: Array = positive("trapped_ratio", trapped_ratio) ** finite("exponent", exponent)
    return positive("ambient", ambient) * (pressed - 1)


def ratio_worth(before: ArrayLike, after: ArrayLike) -> tuple[Array, Array]:
    """What another static ratio alone is worth in power: the least and the most of it.

    Shapes: the arguments broadcast; results alike.
    Units:  [-]; results shares of power.
    Errors: ValueError naming the argument.
    Source: efficiency of the air cycle, 1 − r^(1 − γ), any textbook of thermodynamics, with γ = 1.4 of air and one of a
            hot mixture from memory. Spark must suit, and the engine must not knock.
    >>> low, high = ratio_worth(9.0, 10.0)
    >>> round(float(low), 3), round(float(high), 3)
    (0.029, 0.036)
    """
    old, new = positive("before", before), positive("after", after)
    shares = [(1 - new ** (1 - gamma)) / (1 - old ** (1 - gamma)) - 1 for gamma in RATIO_GAMMAS]
    return np.minimum(*shares), np.maximum(*shares)
