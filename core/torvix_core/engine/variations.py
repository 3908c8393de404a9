"""What moves when one thing is moved: airflow with engine speed, valve events and compression with the cam."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from torvix_core.engine import breathing, camshaft, compression
from torvix_core.engine.figures import rated_depression
from torvix_core.engine.sheet import BuildSheet, Missing
from torvix_core.engine.short_block import AMBIENT, SEAT, displacement, intake_closing, static_ratio, timing
from torvix_core.units.checked import Array, finite

SPEED_STEP_RPM = 500.0


@dataclass(frozen=True)
class AirflowBySpeed:
    """Rows by engine speed, each (n,): rpm, m³/s, m³/s twice, Pa or None without a carburetor, m twice or None."""

    speed_rpm: Array
    demand: Array
    rating_low: Array
    rating_high: Array
    depression: Array | None
    bore_low: Array | None
    bore_high: Array | None


@dataclass(frozen=True)
class AdvanceSteps:
    """Rows by change of advance, each (n,): degrees; then None where the sheet lacks what it needs."""

    degrees: Array
    intake_closing: Array
    overlap: Array | None
    trapped_ratio: Array | None
    cranking_low: Array | None
    cranking_high: Array | None


def airflow_by_speed(sheet: BuildSheet) -> AirflowBySpeed:
    """Air wanted, and the carburetor and throttle that suit, from 1000 rpm to redline.

    Shapes: one sheet; rows (n,) every 500 rpm and the redline.
    Units:  as AirflowBySpeed.
    Errors: Missing, with what the sheet lacks.
    Source: `breathing`.
    >>> airflow_by_speed(BuildSheet({}))
    Traceback (most recent call last):
    torvix_core.engine.sheet.Missing: redline
    """
    redline = sheet.number("redline")
    speed = np.append(np.arange(min(1000.0, redline), redline, SPEED_STEP_RPM), redline)
    filling = sheet.given("volumetric_efficiency") or 1.0
    demand = breathing.airflow_demand(displacement(sheet), speed, filling, sheet.cycle)
    rating, depression = sheet.maybe("carburetor_rating"), None
    if rating is not None and sheet.words("carburetor_kind"):
        depression = breathing.depression_at_flow(demand, rating, rated_depression(sheet))
    count, narrow, wide = sheet.maybe("throttles"), None, None
    if count is not None:
        wide, narrow = (breathing.throttle_bore(demand, count, velocity) for velocity in breathing.THROTTLE_VELOCITY)
    return AirflowBySpeed(speed, demand, demand, demand * np.sqrt(2.0), depression, narrow, wide)


def advance_steps(sheet: BuildSheet, degrees: ArrayLike) -> AdvanceSteps:
    """What advancing the cam moves, first bank.

    Shapes: one sheet, degrees (n,).
    Units:  crank degrees earlier than now; result as AdvanceSteps.
    Errors: Missing, if the closing of the intake is not known.
    Source: `camshaft.advanced`, `compression.trapped_ratio`.
    >>> from torvix_core.engine.evidence import Settled
    >>> advance_steps(BuildSheet({"intake_closing": Settled(67.0)}), [0.0, 4.0]).intake_closing.tolist()
    [67.0, 63.0]
    """
    early = finite("degrees", degrees)
    closing, overlap = intake_closing(sheet) - early, None
    try:
        overlap = camshaft.advanced(timing(sheet, SEAT, 1), early).overlap
    except Missing:
        pass  # the closing was told; the rest of the cam is not described, so its overlap is not known
    else:
        overlap = np.broadcast_to(overlap, early.shape)  # advancing both lobes leaves it as it is
    try:
        stroke, rod = sheet.numbers("stroke", "rod_length")
        ratio = compression.trapped_ratio(static_ratio(sheet), stroke, rod, closing)
    except (Missing, ValueError):
        return AdvanceSteps(early, closing, overlap, None, None, None)
    low, high = (compression.cranking_pressure(ratio, AMBIENT, n) for n in compression.CRANKING_EXPONENTS)
    return AdvanceSteps(early, closing, overlap, ratio, low, high)
