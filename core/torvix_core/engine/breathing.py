"""How much air the engine wants, what carburetor, throttle and head let through, and where a runner is tuned."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike
from torvix_core.engine.geometry import Cycle
from torvix_core.units.checked import Array, finite, positive

FOUR_BARREL_DEPRESSION = 1.5 * 3386.389  # Pa, 1.5 inHg, at which four-barrel carburetors are rated [prac]
TWO_BARREL_DEPRESSION = 3.0 * 3386.389  # Pa, 3.0 inHg, two-barrel carburetors [prac]
BENCH_DEPRESSION = 28 * 249.08891  # Pa, 28 inH2O, at which head flow is usually told [prac]
HEAD_FLOW_POWER = 0.257 * 745.69987 / 4.7194745e-4  # W for each m³/s of one intake port: 0.257 hp/CFM [mem]
POWER_PER_AIR = (0.60, 0.85)  # hp/CFM that gasoline engines make of the air they swallow [prac]
THROTTLE_VELOCITY = (75.0, 100.0)  # m/s of air through a wide-open throttle that is neither small nor too large [mem]
QUARTER_WAVE_ORDERS = (3, 4, 5)  # waves from one intake stroke to the next that have been made use of [mem]
HELMHOLTZ_CONSTANTS = (2.0, 2.5)  # [-], natural over tuned frequency, Heywood [mem]


def airflow_demand(
    displacement: ArrayLike, speed_rpm: ArrayLike, volumetric_efficiency: ArrayLike, cycle: Cycle
) -> Array:
    """Air that the engine swallows, as a volume at inlet density.

    Shapes: the arguments broadcast.
    Units:  m³, rpm, [-]; result m³/s.
    Errors: ValueError naming the argument.
    Source: V·n·VE over revolutions per cycle [phys]; CID·rpm·VE/3456 CFM for four strokes.
    >>> round(float(airflow_demand(440 * 1.6387064e-5, 7400.0, 1.0, Cycle.FOUR_STROKE)) / 4.7194745e-4)
    942
    """
    turns = finite("speed_rpm", speed_rpm) / 60 / cycle.revolutions
    return positive("displacement", displacement) * turns * positive("volumetric_efficiency", volumetric_efficiency)


def flow_at_depression(flow: ArrayLike, rated: ArrayLike, depression: ArrayLike) -> Array:
    """Flow of the same opening at another depression.

    Shapes: the arguments broadcast.
    Units:  any flow; both depressions in one unit of pressure; result as `flow`.
    Errors: ValueError naming the argument.
    Source: flow ∝ √depression, incompressible [phys].
    >>> round(float(flow_at_depression(650.0, 1.5, 1.8)))
    712
    """
    ratio = positive("depression", depression) / positive("rated", rated)
    return positive("flow", flow) * np.sqrt(ratio)


def depression_at_flow(flow: ArrayLike, rated_flow: ArrayLike, rated: ArrayLike) -> Array:
    """Depression below an opening that passes this flow.

    Shapes: the arguments broadcast.
    Units:  both flows in one unit; `rated` any unit of pressure, and so the result.
    Errors: ValueError naming the argument.
    Source: as `flow_at_depression` [phys].
    >>> round(float(depression_at_flow(548.0, 650.0, 1.5)), 2)
    1.07
    """
    return positive("rated", rated) * (positive("flow", flow) / positive("rated_flow", rated_flow)) ** 2


def head_flow_power(port_flow: ArrayLike, cylinders: ArrayLike) -> Array:
    """Power near which the heads run out of flow.

    Shapes: the arguments broadcast.
    Units:  m³/s through one intake port at 28 inH2O (BENCH_DEPRESSION), count; result W.
    Errors: ValueError naming the argument.
    Source: rule of thumb 0.257 hp/CFM for each cylinder [mem]; a ceiling to reason with, not a forecast.
    >>> round(float(head_flow_power(268 * 4.7194745e-4, 8)) / 745.69987)
    551
    """
    return HEAD_FLOW_POWER * positive("port_flow", port_flow) * positive("cylinders", cylinders)


def throttle_bore(flow: ArrayLike, throttles: ArrayLike, velocity: ArrayLike) -> Array:
    """Bore of each throttle that passes this flow at this mean velocity.

    Shapes: the arguments broadcast.
    Units:  m³/s, count, m/s; result m.
    Errors: ValueError naming the argument.
    Source: continuity [phys]; which velocity suits is practice (THROTTLE_VELOCITY).
    >>> round(float(throttle_bore(0.15, 1, 80.0)) * 1000, 1)
    48.9
    """
    area = positive("flow", flow) / (positive("velocity", velocity) * positive("throttles", throttles))
    return np.sqrt(4 / np.pi * area)


def circle_area(diameter: ArrayLike) -> Array:
    """Area of a round opening.

    Shapes: any; the result has the shape of `diameter`.
    Units:  m to m².
    Errors: ValueError if not above zero.
    Source: geometry.
    >>> round(float(circle_area(0.05)) * 1e4, 3)
    19.635
    """
    return np.pi / 4 * positive("diameter", diameter) ** 2


def speed_of_sound(temperature: ArrayLike) -> Array:
    """Speed of sound in dry air.

    Shapes: any; the result has the shape of `temperature`.
    Units:  K to m/s.
    Errors: ValueError if not above zero.
    Source: √(γRT), γ 1.4, R 287.05 J/(kg·K) [phys].
    >>> round(float(speed_of_sound(288.15)), 1)
    340.3
    """
    return np.sqrt(1.4 * 287.05 * positive("temperature", temperature))


def quarter_wave_speed(length: ArrayLike, order: ArrayLike, speed_of_sound: ArrayLike, cycle: Cycle) -> Array:
    """Engine speed at which a runner open at the plenum and closed at the valve rings `order` times a cycle.

    Shapes: the arguments broadcast.
    Units:  m from valve to open end, count, m/s; result rpm.
    Errors: ValueError naming the argument.
    Source: f = c/4L against one intake stroke a cycle [phys]; which orders count is practice [mem].
    >>> round(float(quarter_wave_speed(0.42, 4, 345.0, Cycle.FOUR_STROKE)))
    6161
    """
    natural = positive("speed_of_sound", speed_of_sound) / (4 * positive("length", length))
    return 60 * cycle.revolutions * natural / positive("order", order)


def helmholtz_speed(
    *, length: ArrayLike, area: ArrayLike, cylinder: ArrayLike, static_ratio: ArrayLike,
    speed_of_sound: ArrayLike, constant: ArrayLike,
) -> Array:  # fmt: skip
    """Tuned engine speed of one runner and its cylinder as a Helmholtz resonator.

    Shapes: the arguments broadcast.
    Units:  m, m², m³ swept by one cylinder, [-], m/s, [-] (HELMHOLTZ_CONSTANTS); result rpm.
    Errors: ValueError naming the argument; also if the ratio is not above 1.
    Source: Heywood, Internal Combustion Engine Fundamentals, intake tuning [mem]: the effective volume is half the
            swept one times (r + 1)/(r − 1).
    >>> round(float(helmholtz_speed(length=0.42, area=1.4e-3, cylinder=4.85e-4, static_ratio=10.5,
    ...                             speed_of_sound=345.0, constant=2.5)))
    4441
    """
    ratio = positive("static_ratio", static_ratio)
    if (ratio <= 1).any():
        raise ValueError("static_ratio must be above 1")
    effective = positive("cylinder", cylinder) / 2 * (ratio + 1) / (ratio - 1)
    natural = np.sqrt(positive("area", area) / (positive("length", length) * effective))
    return 30 / np.pi * positive("speed_of_sound", speed_of_sound) * natural / positive("constant", constant)
