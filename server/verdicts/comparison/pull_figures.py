"""One figure of every counted pull: its peak, its average over some speeds, its value at one speed."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from torvix_core.pull.curve import OutsideTheCurve, at_speed, average
from torvix_core.units.checked import Array
from torvix_core.units.speed_region import SpeedRegion

from verdicts.comparison.aligned_pulls import Comparison


@dataclass(frozen=True)
class PullFigure:
    """Which figure: of torque or of power; the peak over the speeds that all were run at, else by `region`.

    An open end of a region is that of the programme's range, or of what all were run over where that is less.
    """

    is_power: bool
    is_peak: bool = False
    region: SpeedRegion = field(default_factory=SpeedRegion)

    @property
    def words(self) -> str:
        """Where the figure is of, as it is said."""
        if self.is_peak:
            return "at the peak"
        return self.region.words if self.region.is_one_speed else f"on average {self.region.words}".strip()


def ends_rpm(comparison: Comparison, region: SpeedRegion) -> tuple[float, float]:
    """The speeds that a region is of. OutsideTheCurve where not all were run there."""
    speed, programme = comparison.speed_rpm, comparison.programme
    low = max(programme.low_rpm, float(speed[0])) if region.low_rpm is None else region.low_rpm
    high = min(programme.high_rpm, float(speed[-1])) if region.high_rpm is None else region.high_rpm
    if low > high or (low == high and not region.is_one_speed):
        there = f"{speed[0]:.0f} to {speed[-1]:.0f} rpm"
        raise OutsideTheCurve(f"{region.words} nothing was measured; all were run from {there}")
    return low, high


def of_each_pull(comparison: Comparison, figure: PullFigure) -> Array:
    """(pulls,), N·m or W. OutsideTheCurve where not all were run over what the figure asks for."""
    curves = comparison.power if figure.is_power else comparison.torque
    if figure.is_peak:
        return np.asarray(curves.max(axis=1))
    low, high = ends_rpm(comparison, figure.region)
    if figure.region.is_one_speed:
        return at_speed(comparison.speed_rpm, curves, low)
    return average(comparison.speed_rpm, curves, low, high)
