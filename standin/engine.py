"""The truth about the simulated engines: how much torque they make, in which state, with what bolted on.

Made up and plausible, not measured: filling with one tuned peak set by the length of the intake runner, losses that
grow with speed and runner length, friction that falls as the oil warms, a charge that the manifold heats. Parts that
differ from those an engine came with change this by factors that are 1 for its own (see `parts`).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from math import exp, pi

CYCLE_ANGLE = 4 * pi  # rad for a four-stroke cycle
SPEED_OF_SOUND = 345.0  # m/s in the runner
PORT_LENGTH = 0.12  # m from valve to manifold face
TUNING_ORDER = 2.4  # waves that fit between closing and opening of the valve
REFERENCE_DENSITY = 1.16  # kg/m³ at which the filling holds
BEST_LAMBDA = 0.87
CFM = 4.719474e-4  # m³/s


@dataclass(frozen=True)
class Engine:
    """One kind of engine as it came. `own` are dimensions of the parts it came with, SI, by slot and name."""

    name: str
    cylinders: int
    displacement: float  # m³
    limit_rpm: float  # the stand keeps its own authority
    inertia: float  # kg·m², crank, flywheel, coupling and brake
    own: Mapping[str, float] = field(default_factory=dict)
    centre_rpm: float = 4300.0  # of the broad filling
    width_rpm: float = 3000.0
    indicated: float = 1.43e6  # Pa at a filling of 1
    friction: tuple[float, float, float] = (18.0, 0.0042, 4.0e-7)  # N·m, by powers of speed in rpm
    fuel_lambda: float = 0.872  # under load, as it comes
    best_spark: float = 34.0  # ° before top dead center, unboosted
    boost: str = ""  # "", turbo or belt
    oil_bar: float = 5.2  # that the relief valve holds


SIX = Engine(
    "six", 6, 2.9e-3, 7400.0, 0.45,
    own={"camshaft.intake_duration_050": 234.0, "camshaft.intake_lift": 0.0106, "cylinder_head.intake_flow": 214 * CFM,
         "throttle_body.throttle_bore": 0.068, "header.primary_length": 0.78, "header.primary_diameter": 0.041,
         "spark_advance": 31.0, "spacer.height": 0.0},
)  # fmt: skip
FOUR = Engine(
    "four", 4, 2.0e-3, 8000.0, 0.30,
    own={"camshaft.intake_duration_050": 216.0, "camshaft.intake_lift": 0.0095, "cylinder_head.intake_flow": 220 * CFM,
         "throttle_body.throttle_bore": 0.065, "header.primary_length": 0.42, "header.primary_diameter": 0.040,
         "spark_advance": 20.0, "spacer.height": 0.0},
    centre_rpm=4500.0, friction=(12.0, 0.0034, 3.2e-7), fuel_lambda=0.84, best_spark=32.0, boost="turbo",
    oil_bar=5.9,
)  # fmt: skip
EIGHT = Engine(
    "eight", 8, 5.7e-3, 6800.0, 0.75,
    own={"camshaft.intake_duration_050": 224.0, "camshaft.intake_lift": 0.0122, "cylinder_head.intake_flow": 240 * CFM,
         "carburetor.carburetor_rating": 750 * CFM, "header.primary_length": 0.90, "header.primary_diameter": 0.0445,
         "spark_advance": 33.0, "spacer.height": 0.0},
    centre_rpm=3900.0, width_rpm=2700.0, friction=(30.0, 0.0072, 8.5e-7), fuel_lambda=0.865, best_spark=35.0,
    oil_bar=4.8, boost="belt",
)  # fmt: skip
ENGINES = {engine.name: engine for engine in (SIX, FOUR, EIGHT)}
OWN_RUNNER = 0.33  # m, where the setup brings no manifold of its own


def tuned_rpm(runner_length: float) -> float:
    """Speed at which the runner helps most."""
    return 60 * SPEED_OF_SOUND / (4 * (runner_length + PORT_LENGTH) * TUNING_ORDER)


def filling(engine: Engine, speed_rpm: float, runner_length: float, shift_rpm: float = 0.0) -> float:
    """Volumetric efficiency at full throttle, unboosted [-]; a longer camshaft shifts it upwards."""
    broad = 0.93 - 0.16 * ((speed_rpm - engine.centre_rpm - shift_rpm) / engine.width_rpm) ** 2
    tuned = 0.045 * exp(-(((speed_rpm - tuned_rpm(runner_length)) / 1250) ** 2))
    runner_loss = 0.10 * runner_length * (speed_rpm / 6500) ** 2
    return broad + tuned - runner_loss


def friction_torque(engine: Engine, speed_rpm: float, oil_celsius: float) -> float:
    """N·m that the engine spends on itself; cold oil costs more."""
    cold = 1 + 0.010 * max(0.0, 90 - oil_celsius)
    still, by_speed, by_square = engine.friction
    return (still + by_speed * speed_rpm + by_square * speed_rpm**2) * cold


def mixture_loss(fuel_lambda: float) -> float:
    """Share of the indicated torque that the mixture leaves [-]: flat near the best, steeper when lean."""
    away = fuel_lambda - BEST_LAMBDA
    return 1 - (1.6 if away < 0 else 3.2) * away**2


def heat_loss(manifold_celsius: float) -> float:
    """Share of the charge that a hot manifold leaves [-]: a cold one flatters the part."""
    return 1 - 0.00036 * (manifold_celsius - 45)


def air_flow(engine: Engine, speed_rpm: float, full: float, density: float) -> float:
    """Air swallowed at full throttle at a filling of `full`, kg/h."""
    return full * density * engine.displacement * speed_rpm / 120 * 3600
