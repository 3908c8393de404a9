"""The truth about the simulated engine: how much torque it makes, in which state, with which manifold.

A naturally aspirated 2.9-litre in-line six. The model is made up and plausible, not measured: filling with one
tuned peak set by the length of the intake runner, losses that grow with speed and runner length, friction that
falls as the oil warms, and a charge that the manifold heats.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import exp, pi

DISPLACEMENT = 2.9e-3  # m³
CYCLE_ANGLE = 4 * pi  # rad for a four-stroke cycle
SPEED_OF_SOUND = 345.0  # m/s in the runner
PORT_LENGTH = 0.12  # m from valve to manifold face
TUNING_ORDER = 2.4  # waves that fit between closing and opening of the valve
REFERENCE_DENSITY = 1.16  # kg/m³ at which `FILLING` holds
BEST_LAMBDA = 0.87
INERTIA = 0.45  # kg·m², crank, flywheel, coupling and brake


@dataclass(frozen=True)
class Manifold:
    """What the stand needs to know of the part that is bolted on."""

    runner_length: float  # m

    @property
    def tuned_rpm(self) -> float:
        return 60 * SPEED_OF_SOUND / (4 * (self.runner_length + PORT_LENGTH) * TUNING_ORDER)


def filling(speed_rpm: float, manifold: Manifold) -> float:
    """Volumetric efficiency at full throttle [-]."""
    broad = 0.93 - 0.16 * ((speed_rpm - 4300) / 3000) ** 2
    tuned = 0.045 * exp(-(((speed_rpm - manifold.tuned_rpm) / 1250) ** 2))
    runner_loss = 0.10 * manifold.runner_length * (speed_rpm / 6500) ** 2
    return broad + tuned - runner_loss


def friction_torque(speed_rpm: float, oil_celsius: float) -> float:
    """N·m that the engine spends on itself; cold oil costs more."""
    cold = 1 + 0.010 * max(0.0, 90 - oil_celsius)
    return (18 + 0.0042 * speed_rpm + 4.0e-7 * speed_rpm**2) * cold


def mixture_loss(fuel_lambda: float) -> float:
    """Share of the indicated torque that the mixture leaves [-]: flat near the best, steeper when lean."""
    away = fuel_lambda - BEST_LAMBDA
    return 1 - (1.6 if away < 0 else 3.2) * away**2


def full_torque(
    speed_rpm: float,
    manifold: Manifold,
    density: float,
    oil_celsius: float,
    manifold_celsius: float,
    fuel_lambda: float,
) -> float:
    """Torque at the crankshaft at steady speed and full throttle, N·m."""
    heat = 1 - 0.00036 * (manifold_celsius - 45)  # a cold manifold flatters the part
    charge = filling(speed_rpm, manifold) * density / REFERENCE_DENSITY * heat
    indicated_pressure = 1.43e6 * charge * mixture_loss(fuel_lambda)
    return indicated_pressure * DISPLACEMENT / CYCLE_ANGLE - friction_torque(speed_rpm, oil_celsius)


def air_flow(speed_rpm: float, manifold: Manifold, density: float) -> float:
    """Air swallowed at full throttle, kg/h."""
    return filling(speed_rpm, manifold) * density * DISPLACEMENT * speed_rpm / 120 * 3600
