"""What a part gained on one engine, carried to another: a rule with a wide band, never a measurement.

A part acts by the air that goes through it. Where another engine asks it for the same air, at another speed of its own,
the share gained is taken to be the same; how much engines differ beside that is in the band.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from scipy.stats import norm
from scipy.stats import t as student
from torvix_core.engine.dimensions import Slot
from torvix_core.units.checked import Array, finite, positive, same_length

# How engines differ where nobody has learned it from tests of the same parts [own assumption, no source]
SHARE_SD = 0.35  # of the gain
LEVEL_SD = 0.006  # of torque, whatever the gain
SPEED_SD = 0.06  # of the speed at which it comes
CONFIDENCE = 0.95
FEWEST_TESTS = 3  # elsewhere, from which the shop has learned something
WHOLE_ENGINE = frozenset({Slot.CARBURETOR, Slot.THROTTLE_BODY, Slot.SPACER, Slot.PULLEY, Slot.BOOST_CONTROL})


class Demand(StrEnum):
    """Whose air a part sees."""

    ENGINE = "engine"  # all cylinders draw through it
    CYLINDER = "cylinder"  # each cylinder has its own


@dataclass(frozen=True)
class EngineSize:
    """Displacement in m³, cylinders, strokes of a cycle, and the port area in m² where gas speed in it decides."""

    displacement: float
    cylinders: int
    strokes: int = 4
    port_area: float | None = None

    def air_per_turn(self, demand: Demand) -> float:
        """m³ that a part sees in one turn of the crank, at the same filling."""
        whole = self.displacement * 2 / self.strokes
        return whole if demand is Demand.ENGINE else whole / self.cylinders


@dataclass(frozen=True)
class EngineSpread:
    """How engines differ beside the rule, standard deviations: share of the gain, of torque, and of the speed."""

    share: float = SHARE_SD
    level: float = LEVEL_SD
    speed: float = SPEED_SD
    learned_from: int = 0  # tests; 0 is the default


@dataclass(frozen=True, eq=False)
class TransferredGain:
    """A gain on another engine: its speeds (bins,), share gained and its 95 % band; `scale` is of the speeds."""

    speed_rpm: Array
    change: Array
    low: Array
    high: Array
    scale: float


def demand_of(slots: Collection[str]) -> Demand | None:
    """Whose air the parts of some slots see; None where they are of both kinds.

    Shapes: any number of slots.
    Units:  none.
    Errors: none.
    Source: geometry: a carburetor or a throttle feeds all cylinders, a runner, a port, a cam lobe or a primary one.
    >>> demand_of(["carburetor"]).value, demand_of(["camshaft", "header"]).value, demand_of(["carburetor", "camshaft"])
    ('engine', 'cylinder', None)
    """
    kinds = {Demand.ENGINE if slot in WHOLE_ENGINE else Demand.CYLINDER for slot in slots}
    return kinds.pop() if len(kinds) == 1 else None


def speed_scale(before: EngineSize, after: EngineSize, demand: Demand) -> float:
    """By how much speeds move: the speed of the second engine at which the part sees the same air.

    Shapes: scalars.
    Units:  [-].
    Errors: ValueError naming what is not above zero.
    Source: same volume flow through the part, and with port areas the same gas speed in the port [phys]; that a gain
            follows it is common practice, no source.
    >>> round(speed_scale(EngineSize(5.7e-3, 8), EngineSize(5.0e-3, 8), Demand.CYLINDER), 3)
    1.14
    """
    for size in (before, after):
        positive("displacement", size.displacement)
        positive("cylinders", size.cylinders)
    scale = before.air_per_turn(demand) / after.air_per_turn(demand)
    if before.port_area is not None and after.port_area is not None:
        scale *= float(positive("port_area", after.port_area) / positive("port_area", before.port_area))
    return float(scale)


def transfer(
    speed_rpm: Array, change: Array, half_width: Array, scale: float, spread: EngineSpread | None = None
) -> TransferredGain:
    """A gain by speed carried to an engine whose speeds are `scale` times as high; percentages are kept.

    Shapes: speed_rpm, change and half_width (bins,).
    Units:  rpm, shares of torque.
    Errors: ValueError naming the argument.
    Source: `speed_scale`; the band adds, on the log scale and as independent, what is not known of the gain itself, how
            engines differ in it, and its slope over a speed that is not known well.
    >>> speed = np.arange(3000.0, 6001, 500)
    >>> found = transfer(speed, np.full(7, 0.02), np.full(7, 0.004), 1.1)
    >>> round(float(found.speed_rpm[0])), round(float(found.change[0]), 3), bool(found.low[0] < 0.01)
    (3300, 0.02, True)
    """
    speeds, gains, widths = finite("speed_rpm", speed_rpm), finite("change", change), finite("half_width", half_width)
    same_length(speed_rpm=speeds, change=gains, half_width=widths)
    positive("scale", scale)
    known, logs = spread or EngineSpread(), np.log1p(gains)
    quantile = float(norm.ppf(0.5 + CONFIDENCE / 2))
    slope = np.gradient(logs, np.log(speeds)) if len(speeds) > 1 else np.zeros(1)
    deviation = np.sqrt(
        (widths / quantile) ** 2 + (known.share * logs) ** 2 + known.level**2 + (known.speed * slope) ** 2
    )
    low, high = (np.expm1(logs + side * quantile * deviation) for side in (-1, 1))
    return TransferredGain(speeds * scale, gains, low, high, scale)


def learned_spread(missed: Array) -> EngineSpread | None:
    """How engines differ, from what the rule missed where the same parts were tested on other engines.

    Shapes: (tests,), each the root mean square over the speeds that both have.
    Units:  logs of torque.
    Errors: ValueError naming the argument.
    Source: root mean square, widened by Student's t for so few tests; None below three, which say too little.
    >>> learned_spread(np.array([0.01, 0.02])) is None
    True
    """
    found = finite("missed", missed)
    if len(found) < FEWEST_TESTS:
        return None
    few = float(student.ppf(0.5 + CONFIDENCE / 2, len(found)) / norm.ppf(0.5 + CONFIDENCE / 2))
    level = float(np.sqrt(np.mean(found**2))) * few
    return EngineSpread(0.0, max(level, LEVEL_SD / 2), SPEED_SD, len(found))
