"""One pull in full: raw and reduced, what was cut and why, in which air, what is odd; and another cut by hand."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import numpy as np
from django.db import transaction
from torvix_core.air.air import air_from_relative_humidity
from torvix_core.engine import derived
from torvix_core.engine.derived import Surroundings
from torvix_core.engine.geometry import Cycle, displacement
from torvix_core.pull.anomalies import AnomalyKind
from torvix_core.pull.reduction import CutBy, StandInertia
from torvix_core.units import quantities
from torvix_core.units.checked import Array

from curves.models import CurveAnomaly, Reduced, ReductionOverride
from curves.reduction.nature import OF_FIGURES
from curves.reduction.reduce import reduce_pull
from engines.models import Build
from engines.sheet import sheets
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Invalid, Refusal
from stand.models import Pull, PullState
from stand.pulls.raw_channels import TIME, is_known
from stand.pulls.samples import read_raw
from stand.weather import service as weather

MOST_POINTS = 3000  # of one channel that are drawn; more are shown as their lowest and highest in each stretch
# Units of a person's choice that the derived curves follow
FOLLOWS = {
    "power": "power", "mean_effective_pressure": "oil_pressure", "specific_fuel": "consumption",
    "specific_air": "consumption", "boost": "boost", "depression": "vacuum", "exhaust_pressure": "boost",
}  # fmt: skip
FIXED = {
    "volumetric_efficiency": "%",
    "air_fuel_ratio": ":1",
    "lambda": "lambda",
    "back_pressure_ratio": ":1",
    "turbine_speed": "rpm",
}
NAMES = {
    "power": "Power", "mean_effective_pressure": "Brake mean effective pressure",
    "volumetric_efficiency": "Volumetric efficiency", "specific_fuel": "BSFC",
    "specific_air": "BSAC", "air_fuel_ratio": "Air–fuel ratio", "lambda": "Mixture",
    "boost": "Boost", "depression": "Manifold vacuum", "exhaust_pressure": "Exhaust pressure",
    "back_pressure_ratio": "Exhaust pressure over boost", "turbine_speed": "Turbine speed",
}  # fmt: skip
CUT_WORDS = {
    CutBy.WHOLE: "as recorded", CutBy.RATE: "where the sweep is steady and the throttle open",
    CutBy.SPIKE: "where torque no longer stands out", CutBy.HAND: "set by hand",
}  # fmt: skip


def derived_curves(pull: Pull, engine: tuple[float | None, Cycle] | None = None) -> dict[str, Array]:
    """Everything that follows from the channels of a reduced pull, SI, by name. `engine` as `engine_of` gives it."""
    reduced: Reduced = pull.reduced
    speed, torque = np.array(reduced.speed_rpm), np.array(reduced.torque)
    return derived.derived(speed, torque, reduced.means, surroundings(pull, engine))


def engine_of(build: Build) -> tuple[float | None, Cycle]:
    """Displacement (m³, where it is known) and cycle of a build."""
    bore, stroke, cylinders = (sheets.value(build, key) for key in ("bore", "stroke", "cylinders"))
    volume = float(displacement(bore, stroke, cylinders)) if bore and stroke and cylinders else None
    return volume, Cycle(int(sheets.word(build, "cycle") or Cycle.FOUR_STROKE))


def surroundings(pull: Pull, engine: tuple[float | None, Cycle] | None = None) -> Surroundings:
    """The build's displacement and the air of the pull, as far as they are known."""
    volume, cycle = engine or engine_of(pull.build)
    if pull.air is None:
        weather.give_air([pull])
    ambient = density = None
    if pull.air is not None:
        ambient = pull.air.barometer
        try:
            density = float(
                air_from_relative_humidity(ambient, pull.air.temperature, pull.air.relative_humidity).density
            )
        except ValueError:
            density = None
    return Surroundings(volume, cycle, ambient, density)


END_WORDS = {**CUT_WORDS, CutBy.WHOLE: "where the speed no longer rises"}


@dataclass(frozen=True)
class RawChannel:
    """Samples of one channel in one unit, thinned for drawing where there are many."""

    name: str
    unit: str
    time: Array
    values: Array


def raw_channels(pull: Pull, unit_of: Mapping[str, str]) -> list[RawChannel]:
    """Every channel of a pull in the units asked for, else as it was stored. Refusal where there are no samples."""
    raw = read_raw(pull)
    if TIME not in raw:
        raise Refusal(f"{pull} holds figures, not samples.", code="no_samples")
    time = raw.pop(TIME)[1]
    time = time - time[0]
    found = []
    for name, (unit, samples) in raw.items():
        wanted = unit_of.get(name, "")
        if wanted and is_known(unit):
            samples, unit = quantities.from_si(quantities.to_si(samples, unit), wanted), wanted
        found.append(RawChannel(name, unit, *_thinned(time, samples)))
    return found


def _thinned(time: Array, samples: Array) -> tuple[Array, Array]:
    """All samples, or the lowest and the highest of each stretch: a spike is never thinned away."""
    if len(time) <= MOST_POINTS:
        return time, samples
    stretches = MOST_POINTS // 2
    bounds = np.linspace(0, len(time), stretches + 1).astype(int)[:-1]
    low = np.minimum.reduceat(np.nan_to_num(samples, nan=np.inf), bounds)
    high = np.maximum.reduceat(np.nan_to_num(samples, nan=-np.inf), bounds)
    values = np.stack([low, high], axis=1).ravel()
    values[~np.isfinite(values)] = np.nan
    return np.repeat(time[bounds], 2), values


@dataclass(frozen=True)
class ReductionSettings:
    """How a pull is to be reduced; None leaves it to the defaults."""

    cut_start_s: float | None = None
    cut_end_s: float | None = None
    stand_inertia: str | None = None
    inertia: float | None = None  # kg·m²
    smooth_bins: int | None = None


def reduce_as(person: Person, pull: Pull, wanted: ReductionSettings, at: datetime) -> Reduced:
    """Reduce a pull in another way than usual. Invalid where that gives no curve; what holds then stays."""
    require_operator(person)
    if pull.state != PullState.COMPLETE:
        raise Refusal(f"{pull} did not complete: there is nothing to reduce.", code="not_complete")
    if pull.origin in OF_FIGURES:
        raise Refusal(f"{pull} holds figures that were reduced elsewhere.", code="no_samples")
    options: dict[str, Any] = {key: value for key, value in vars(wanted).items() if value is not None}
    wrong = {}
    start, end = wanted.cut_start_s, wanted.cut_end_s
    if start is not None and not start >= 0:
        wrong["cut_start_s"] = "not before the first sample"
    if end is not None and not end > (start or 0.0):
        wrong["cut_end_s"] = "after the start"
    if wanted.stand_inertia is not None and wanted.stand_inertia not in list(StandInertia):
        wrong["stand_inertia"] = f"one of {', '.join(StandInertia)}"
    if wanted.inertia is not None and not 0 <= wanted.inertia <= 50:
        wrong["inertia"] = "between 0 and 50 kg·m²"
    if wanted.smooth_bins is not None and wanted.smooth_bins not in (1, 3, 5, 7, 9, 11):
        wrong["smooth_bins"] = "an odd number of bins, 1 to 11"
    if wrong:
        raise Invalid("The pull cannot be reduced like that: see the fields.", fields=wrong)
    with transaction.atomic():
        if not options and not pull.reduction_overrides.exists():
            return pull.reduced
        ReductionOverride.objects.create(pull=pull, options=options, by=person, at=at)
        made = reduce_pull(pull)
        assert made is not None
        if made.refused and options:
            raise Invalid(f"That gives no curve: {made.refused}.", fields={"cut_start_s": "set the cuts further apart"})
        return made


ODD = {
    AnomalyKind.STUMBLE: "Torque dips by {size:.1f} %",
    AnomalyKind.MISFIRE: "Torque is rough, scattering by {size:.1f} %: misfire?",
    AnomalyKind.BOOST_LOST: "Boost drops by {size:.0f} % at once: belt slip, or a valve that opens?",
    AnomalyKind.STUCK: "{channel} does not move through {size:.0f} % of the sweep",
    AnomalyKind.STEPPED: "{channel} jumps between two samples",
    AnomalyKind.RPM_JUMP: "Speed jumps",
    AnomalyKind.KNOCK: "Knock is signalled",
    AnomalyKind.CLIMBING: "Power still climbs where the sweep ends",
    AnomalyKind.LOAD_IN_PEAK: "The highest reading, {size:.1f} % above the curve's peak, is brake load-in and ignored",
}


def anomaly_words(odd: CurveAnomaly, units: Mapping[str, str]) -> str:
    """One oddity, where it is and what speaks for it."""
    kind, evidence = AnomalyKind(odd.kind), odd.evidence
    channel = odd.channel.replace("_", " ").capitalize()
    told = ODD[kind].format(size=100 * abs(odd.size), channel=channel)
    low, high = odd.low_rpm, odd.high_rpm
    where = f"at {low:.0f} rpm" if high - low < 1 else f"from {low:.0f} to {high:.0f} rpm"
    if kind is AnomalyKind.STUMBLE and "lambda" in evidence:
        there, around = evidence["lambda"], evidence["lambda_around"]
        off = there - around
        side = "lean" if off > 0.01 else "rich" if off < -0.01 else "as around it"
        told += f", mixture {side} there: lambda {there:.2f} against {around:.2f}"
    if kind is AnomalyKind.KNOCK and evidence.get("torque_lost", 0.0) > 0.01:
        told += f", and torque falls by {100 * evidence['torque_lost']:.1f} %: something took the spark back"
    if kind is AnomalyKind.STEPPED:
        scale = quantities.to_si_rule(units["temperature"]).scale
        told += f" by {odd.size / scale:+.0f} {units['temperature']}"
    return f"{told}, {where}."
