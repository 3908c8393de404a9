"""A vehicle on the road, and the conventions that a time was worked out by: they weigh more than the numerics."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum

from torvix_core.units.checked import positive

GRAVITY = 9.80665  # m/s², standard
FOOT = 0.3048
# Defaults where nobody wrote a value down [prac, no source], each named as assumed beside the time
DRAG_AREA = 0.70  # m², drag coefficient times frontal area of an ordinary car
ROLLING_RESISTANCE = 0.013
EFFICIENCY = 0.88  # of gearbox and final drive together
GRIP = 0.80  # drive force at most, as a share of the weight of the whole car: two driven wheels on street tires
SHIFT_TIME = 0.4  # s, clutch and lever
CONVERTER_SHIFT_TIME = 0.15  # s
ENGINE_INERTIA = 0.18  # kg·m², crankshaft, flywheel and clutch
WHEEL_INERTIA = 4.0  # kg·m², all wheels, brakes and shafts
STALL_TORQUE_RATIO = 2.0  # of a converter at stall
COUPLING = 0.90  # speed ratio from which a converter multiplies no longer
LOCKED = 0.96  # speed ratio of a converter that has run up


class GripAt(StrEnum):
    """What the tires hold: the force at the ground, or the drive force before the wheels are spun up."""

    GROUND = "ground"
    DRIVE = "drive"


class InertiaAt(StrEnum):
    """Whether the engine is spun up before its torque loses something in the gears, or counted as mass after it."""

    BEFORE = "before_loss"
    AFTER = "after_loss"


class TorqueBetween(StrEnum):
    """How torque runs between two bins of the curve."""

    LINEAR = "linear"
    CUBIC = "cubic"


@dataclass(frozen=True)
class Conventions:
    """Rules of a time. `rollout` in m is driven before the clock starts, as the timing beams of a strip have it."""

    grip: GripAt = GripAt.GROUND
    inertia: InertiaAt = InertiaAt.BEFORE
    torque: TorqueBetween = TorqueBetween.LINEAR
    rollout: float = FOOT


@dataclass(frozen=True)
class Vehicle:
    """SI. Either `launch_rpm`, at which a clutch slips, or `stall_rpm` of a converter; `gears` from first to last."""

    mass: float
    gears: tuple[float, ...]
    final_drive: float
    tire_radius: float
    launch_rpm: float | None = None
    stall_rpm: float | None = None
    shift_time: float = SHIFT_TIME
    drag_area: float = DRAG_AREA
    rolling_resistance: float = ROLLING_RESISTANCE
    efficiency: float = EFFICIENCY
    grip: float = GRIP
    engine_inertia: float = ENGINE_INERTIA
    wheel_inertia: float = WHEEL_INERTIA
    grade: float = 0.0  # rise over run
    conventions: Conventions = field(default_factory=Conventions)

    def __post_init__(self) -> None:
        """ValueError in words for the person who typed them."""
        for name in ("mass", "final_drive", "tire_radius", "efficiency", "grip"):
            positive(name, getattr(self, name))
        if not self.gears:
            raise ValueError("type the ratio of each gear")
        if any(ratio <= 0 for ratio in self.gears):
            raise ValueError("a gear ratio is above zero")
        if any(after >= before for before, after in zip(self.gears, self.gears[1:], strict=False)):
            raise ValueError("gear ratios must fall from first gear to the last")
        if (self.launch_rpm is None) == (self.stall_rpm is None):
            raise ValueError("a car has a clutch or a converter: type a launch speed or a stall speed, not both")
        if self.efficiency > 1:
            raise ValueError("the driveline cannot give more than it takes")

    @property
    def begins_rpm(self) -> float:
        """Engine speed at which it leaves the line."""
        return float(self.launch_rpm if self.launch_rpm is not None else self.stall_rpm or 0.0)

    def ratio(self, gear: int) -> float:
        """Turns of the engine for one of the wheels."""
        return self.gears[gear] * self.final_drive
