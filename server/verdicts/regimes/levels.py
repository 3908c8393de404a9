"""The level that each pull of a grid was run at: the boost it reached, or the drive, spark or height it was set to."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from torvix_core.engine.dimensions import Slot
from torvix_core.tuning.targets import settled_boost
from torvix_core.units.checked import Array

from curves.models import Reduced
from curves.reduction.inspection import derived_curves, engine_of
from programmes.plan.grids import SPARK, PlanGrid
from verdicts.comparison.aligned_pulls import Comparison

LEAST_BOOST_STEP = 0.03  # of the absolute pressure: levels nearer to each other are one level
ATMOSPHERE = 101_325.0  # Pa, where nobody read the barometer
BOOST, DRIVE, TIMING, HEIGHT = "boost", "drive", "timing", "height"
NAMES = {BOOST: "Boost reached", DRIVE: "Drive ratio", TIMING: "Ignition timing", HEIGHT: "Height"}


@dataclass(frozen=True)
class PullLevels:
    """Of every pull of a comparison, on a scale on which the log of power is nearly straight: x (pulls,).

    Of boost that is the log of the absolute pressure, with `ambient` the mean of the pulls in Pa. `measured`: as the
    pulls reached it; else as it was set.
    """

    kind: str
    x: Array
    measured: bool
    ambient: float = 0.0

    @property
    def least_step(self) -> float:
        return LEAST_BOOST_STEP if self.kind == BOOST else 0.0

    def shown(self, x: Array | float) -> Array:
        """Levels as people read them, SI: boost above ambient."""
        if self.kind == BOOST:
            return np.asarray(np.exp(x) - self.ambient)
        return np.asarray(np.exp(x) if self.kind == DRIVE else x)

    def unit(self, units: Mapping[str, str]) -> str:
        return {BOOST: units["boost"], DRIVE: ":1", TIMING: "°", HEIGHT: units["length"]}[self.kind]


def pull_levels(comparison: Comparison, plan_grid: PlanGrid) -> PullLevels | None:
    """None where nobody wrote down what the levels are, so that they have an order at most."""
    slot = plan_grid.grid.level_slot
    nominal = _nominal(comparison, plan_grid)
    if plan_grid.is_boost:
        ambient = ambients(comparison)
        read = boosts(comparison)
        measured = bool(np.isfinite(read).all())
        boost = read if measured else nominal
        if not np.isfinite(boost).all():
            return None
        return PullLevels(BOOST, np.log(ambient + boost), measured, float(ambient.mean()))
    if not np.isfinite(nominal).all():
        return None
    if slot == Slot.PULLEY:
        return PullLevels(DRIVE, np.log(nominal), measured=False)
    return PullLevels(TIMING if slot == SPARK else HEIGHT, nominal, measured=False)


def boosts(comparison: Comparison) -> Array:
    """Boost of each pull once it had come, Pa above ambient, (pulls,); nan where it was not recorded."""
    engines = {build.pk: engine_of(build) for build in {one.pull.build for one in comparison.kept}}
    found = []
    for one in comparison.kept:
        reduced: Reduced = one.pull.reduced
        boost = derived_curves(one.pull, engines[one.pull.build_id]).get("boost")
        settled = None if boost is None else settled_boost(np.array(reduced.speed_rpm), boost)
        found.append(np.nan if settled is None else settled[0])
    return np.array(found)


def ambients(comparison: Comparison) -> Array:
    """Pa, of each pull; the standard atmosphere where nobody read the barometer."""
    return np.array([one.pull.air.barometer if one.pull.air else ATMOSPHERE for one in comparison.kept])


def _nominal(comparison: Comparison, plan_grid: PlanGrid) -> Array:
    """As planned, (pulls,), of setups outside the grid the mean of the others; nan where nobody wrote it down."""
    of_setup = {}
    for place, setup in enumerate(plan_grid.setups):
        found = np.argwhere(plan_grid.grid.cells == place)
        value = plan_grid.level_values[int(found[0][1])]
        of_setup[setup.pk] = np.nan if value is None else value
    values = np.array([of_setup.get(one.pull.setup_id, np.inf) for one in comparison.kept])
    inside = ~np.isinf(values)
    return np.where(inside, values, values[inside].mean() if inside.any() else np.nan)
