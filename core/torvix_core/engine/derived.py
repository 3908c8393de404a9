"""Curves that follow from the channels of a pull: filling, specific consumption, mixture, boost, back pressure."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from torvix_core.engine import geometry
from torvix_core.engine.geometry import Cycle
from torvix_core.units.checked import Array

DRY_AIR_GAS_CONSTANT = 287.042  # J/(kg·K), CIPM-2007 [std]


@dataclass(frozen=True)
class Surroundings:
    """What the derived curves need beside the channels; None where it is not known, and what needs it is left out."""

    displacement: float | None = None  # m³
    cycle: Cycle = Cycle.FOUR_STROKE
    ambient: float | None = None  # Pa
    air_density: float | None = None  # kg/m³ of the air that the engine was given


# what each curve measures, for its unit; "" has none
MEASURES = {
    "power": "power",
    "mean_effective_pressure": "pressure",
    "volumetric_efficiency": "fraction",
    "specific_fuel": "specific consumption",
    "specific_air": "specific consumption",
    "air_fuel_ratio": "ratio",
    "lambda": "mixture",
    "boost": "pressure",
    "depression": "pressure",
    "exhaust_pressure": "pressure",
    "back_pressure_ratio": "ratio",
    "turbine_speed": "speed",
}


def derived(speed_rpm: Array, torque: Array, means: Mapping[str, Array], around: Surroundings) -> dict[str, Array]:
    """Every curve that the channels allow, by name; MEASURES says what each is.

    Shapes: (bins,) each; nan in a bin where a ratio says nothing.
    Units:  rpm, N·m, channels SI; results SI.
    Errors: ValueError where arrays differ in length.
    Source: filling = air mass flow / (air density · displacement · cycles a second), textbook [phys]; fuel and air over
            power; boost from the manifold pressure where no channel reads it; depression below ambient likewise.
    >>> means = {"air_flow": np.array([0.12]), "fuel_flow": np.array([0.0095])}
    >>> found = derived(np.array([4800.0]), np.array([400.0]), means, Surroundings(0.005, air_density=1.18))
    >>> round(float(found["volumetric_efficiency"][0]), 4), round(float(found["air_fuel_ratio"][0]), 3)
    (0.5085, 12.632)
    """
    power = geometry.power(torque, speed_rpm)
    found: dict[str, Array] = {"power": power}
    if around.displacement:
        found["mean_effective_pressure"] = geometry.brake_mean_effective_pressure(
            torque, around.displacement, around.cycle
        )
    air, fuel = means.get("air_flow"), means.get("fuel_flow")
    with np.errstate(divide="ignore", invalid="ignore"):
        if air is not None and around.displacement and around.air_density:
            cycles = speed_rpm / (120 if around.cycle is Cycle.FOUR_STROKE else 60)
            found["volumetric_efficiency"] = air / (around.air_density * around.displacement * cycles)
        if fuel is not None:
            found["specific_fuel"] = np.where(power > 0, fuel / power, np.nan)
        if air is not None:
            found["specific_air"] = np.where(power > 0, air / power, np.nan)
        if air is not None and fuel is not None:
            found["air_fuel_ratio"] = np.where(fuel > 0, air / fuel, np.nan)
    if "lambda" in means:
        found["lambda"] = means["lambda"]
    manifold = means.get("manifold_pressure")
    if "boost" in means:
        found["boost"] = means["boost"]
    elif manifold is not None and around.ambient and float(np.median(manifold)) > 1.02 * around.ambient:
        found["boost"] = manifold - around.ambient
    if manifold is not None and around.ambient and "boost" not in found:
        found["depression"] = around.ambient - manifold
    if "exhaust_pressure" in means:
        found["exhaust_pressure"] = means["exhaust_pressure"]
        if "boost" in found:
            with np.errstate(divide="ignore", invalid="ignore"):
                # Of a boost near nothing a ratio says nothing.
                ratio = means["exhaust_pressure"] / found["boost"]
            found["back_pressure_ratio"] = np.where(found["boost"] > 10_000, ratio, np.nan)
    if "turbine_speed" in means:
        found["turbine_speed"] = means["turbine_speed"]
    # A bin that says nothing is nan and takes nothing from the others; a curve of such bins alone is not there.
    return {name: np.where(np.isfinite(curve), curve, np.nan) for name, curve in found.items()
            if np.isfinite(curve).any()}  # fmt: skip
