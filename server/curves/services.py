"""From stored pulls to curves: reduce once, correct by any standard whenever asked."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from enum import StrEnum
from typing import Any

import numpy as np
from django.db import DatabaseError
from torvix_core import VERSION
from torvix_core.air import standards
from torvix_core.air.air import air_from_relative_humidity
from torvix_core.air.standards import BoostSchool, Standard
from torvix_core.engine import geometry
from torvix_core.pull import published_figures_check
from torvix_core.pull.anomalies import anomalies
from torvix_core.pull.curve import Peak, peak
from torvix_core.pull.reduction import NotASweep, Options, StandInertia, reduce_sweep
from torvix_core.pull.steps import reduce_steps
from torvix_core.pull.trace import SPEED, TORQUE, Finding, Problem, Trace
from torvix_core.units.checked import Array

from curves.models import Reduced, Wish
from programmes.models import Programme
from shop.refusals import Refusal
from stand.models import Origin, Pull, PullState, Purpose, Standing
from stand.pulls.samples import figures_of, read_raw, read_trace
from stand.weather import service as weather

log = logging.getLogger("torvix.curves")

WORDS = {
    Problem.TIME_BACKWARDS: "time runs backwards",
    Problem.GAP: "samples are missing",
    Problem.RPM_JUMP: "speed jumps",
    Problem.STUCK: "the reading does not move",
    Problem.MISSING: "sent nothing",
    Problem.IMPLAUSIBLE: "read what cannot be",
}
UNKNOWN_STANDARD = "unknown"  # of printed figures
OF_FIGURES = (Origin.TABLE, Origin.TYPED)


class Nature(StrEnum):
    """What a curve is made of: the three never look alike."""

    MEASURED = "measured"
    FIGURES = "figures"
    SIMULATED = "simulated"


def nature_of(pull: Pull) -> Nature:
    if pull.origin in OF_FIGURES:
        return Nature.FIGURES
    return Nature.SIMULATED if pull.origin == Origin.SIMULATED else Nature.MEASURED


class NoAir(Refusal):
    """A corrected figure was asked for, and the pull has no usable weather."""

    code = "no_air"


@dataclass(frozen=True)
class CorrectedPull:
    """One pull under one standard; arrays (bins,), torque N·m, power W."""

    pull: Pull
    speed_rpm: Array
    torque: Array
    power: Array
    factor: float
    inside: bool

    def peaks(self) -> tuple[Peak, Peak]:
        return peak(self.speed_rpm, self.torque), peak(self.speed_rpm, self.power)


def options_for(pull: Pull) -> Options:
    """As the stand's facts and the newest wish of a person say; defaults for the rest."""
    usual = Options(stand_inertia=StandInertia(pull.inertia_in_torque), inertia=pull.inertia)
    wish: Wish | None = pull.wishes.last()
    if wish is None:
        return usual
    wanted = dict(wish.options)
    if "stand_inertia" in wanted:
        wanted["stand_inertia"] = StandInertia(wanted["stand_inertia"])
    return replace(usual, **wanted)


def reduce_pull(pull: Pull) -> Reduced | None:
    """Make (or make again) the curve of a complete pull. None for a pull that never completed."""
    if pull.state != PullState.COMPLETE:
        return None
    options = options_for(pull)
    try:
        fields = (
            fields_of_figures(*figures_of(read_raw(pull)))
            if pull.origin in OF_FIGURES
            else fields_of_trace(read_trace(pull), options, steps=pull.purpose == Purpose.STEPS)
        )
    except (NotASweep, ValueError, Refusal) as error:
        fields = {"refused": str(error)[:300], **{name: kind() for name, kind in EMPTY.items()}}
    except DatabaseError:
        raise
    except Exception as error:
        # Samples of a kind that nobody thought of. They are kept; that no curve comes of them is said, not fatal.
        log.exception("no curve of %s", pull)
        reason = f"The curve could not be computed ({type(error).__name__}: {error}). The samples are kept."
        fields = {"refused": reason[:300], **{name: kind() for name, kind in EMPTY.items()}}
    fields |= {"core_version": VERSION, "options": asdict(options)}
    reduced, _ = Reduced.objects.update_or_create(pull=pull, defaults=fields)
    return reduced


EMPTY: dict[str, type] = {
    "speed_rpm": list, "torque": list, "torque_scatter": list, "samples": list, "means": dict, "cut": dict,
    "findings": list, "anomalies": list,
}  # fmt: skip


def fields_of_trace(trace: Trace, options: Options, steps: bool = False) -> dict[str, Any]:
    """What is kept of a reduced trace. NotASweep and ValueError as the core raises them."""
    reduction = reduce_steps(trace, options) if steps else reduce_sweep(trace, options)
    rows = dict(zip(reduction.names, reduction.means, strict=True))
    return {
        "refused": "",
        "speed_rpm": reduction.speed_rpm.tolist(),
        "torque": reduction.torque.tolist(),
        "torque_scatter": reduction.torque_scatter.tolist(),
        "samples": reduction.samples.tolist(),
        "means": {name: row.tolist() for name, row in rows.items() if name not in (SPEED, TORQUE)},
        "cut": asdict(reduction.cut),
        "findings": [asdict(finding) for finding in reduction.findings],
        "anomalies": [asdict(odd) for odd in anomalies(trace, reduction)],
    }


def fields_of_figures(speed_rpm: Array, torque: Array) -> dict[str, Any]:
    """What is kept of printed figures: scatter and channels stay unknown, nothing lies beyond the figures."""
    grid, values, between = published_figures_check.to_grid(speed_rpm, torque)
    return {
        "refused": "", "speed_rpm": grid.tolist(), "torque": values.tolist(), "torque_scatter": [],
        "samples": np.where(between, 0, 1).tolist(), "means": {}, "cut": {}, "findings": [], "anomalies": [],
    }  # fmt: skip


def corrected(pull: Pull, standard: Standard) -> CorrectedPull:
    """The pull's curve under a standard. NoAir if it needs weather the pull has not; Refusal if there is no curve."""
    reduced: Reduced | None = getattr(pull, "reduced", None)
    if reduced is None or not reduced.speed_rpm:
        raise Refusal(
            f"{pull} gave no curve: {reduced.refused if reduced else 'it did not complete'}.", code="no_curve"
        )
    factor, inside = correction_of(pull, standard)
    speed, torque = np.array(reduced.speed_rpm), np.array(reduced.torque) * factor
    return CorrectedPull(pull, speed, torque, geometry.power(torque, speed), factor, inside)


def correction_of(pull: Pull, standard: Standard) -> tuple[float, bool]:
    """Factor of a pull and whether the standard vouches for it."""
    if pull.origin in OF_FIGURES and pull.figures_standard != Standard.OBSERVED:
        return _of_corrected_figures(pull, standard)
    if standard is Standard.OBSERVED:
        return 1.0, True
    if pull.air is None:
        weather.give_air([pull])
    if pull.air is None:
        raise NoAir(
            f"{pull} has no weather, so it cannot be corrected. Write the weather of its time into the log, look at it "
            "observed, or leave it out."
        )
    return _factor(pull, standard)


def _factor(pull: Pull, standard: Standard) -> tuple[float, bool]:
    assert pull.air is not None
    try:
        air = air_from_relative_humidity(pull.air.barometer, pull.air.temperature, pull.air.relative_humidity)
    except ValueError as error:
        raise NoAir(f"{pull} has impossible weather ({error}). Look at it observed, or leave it out.") from error
    school = BoostSchool(pull.session.programme.boost_school)
    found = standards.correction(air, standard, school=school)
    return float(found.factor), bool(found.inside)


def _of_corrected_figures(pull: Pull, standard: Standard) -> tuple[float, bool]:
    """Printed figures that were corrected already: as they are under their own standard, by the air under others."""
    if pull.figures_standard == UNKNOWN_STANDARD:
        raise NoAir(
            f"{pull} holds printed figures, and nobody says whether they are corrected, or to what. Say it in the "
            "pull's own view, or leave it out."
        )
    own = Standard(pull.figures_standard)
    if standard is own:
        return 1.0, True
    if pull.air is None:
        weather.give_air([pull])
    if pull.air is None:
        label = standards.DEFINITIONS[own].label
        raise NoAir(
            f"{pull} holds figures corrected to {label}, and the air they were made in is not known: they compare "
            f"under {label} alone."
        )
    (back, _), (there, inside) = _factor(pull, own), (1.0, True)
    if standard is not Standard.OBSERVED:
        there, inside = _factor(pull, standard)
    return there / back, inside


def kept_of(pulls: Sequence[Pull], standard: Standard) -> list[CorrectedPull]:
    """The kept pulls that have a curve under a standard."""
    kept = []
    for pull in pulls:
        if pull.standing == Standing.ACCEPTED:
            try:
                kept.append(corrected(pull, standard))
            except Refusal:
                continue
    return kept


def finding_words(finding: dict[str, Any]) -> str:
    """One finding as a person reads it."""
    told = Finding(Problem(finding["problem"]), finding["channel"], finding["samples"], finding["first_s"])
    where = told.channel.replace("_", " ") or "time base"
    times = "sample" if told.samples == 1 else "samples"
    return f"{where}: {WORDS[told.problem]} ({told.samples} {times}, first at {told.first_s:.1f} s)"


def pulls_of(programme: Programme) -> Sequence[Pull]:
    """Every pull of the programme with its curve, in order, in one query."""
    pulls = list(
        Pull.objects.filter(session__programme=programme)
        .select_related("reduced", "setup", "operator", "judged_by", "build", "session__programme")
        .order_by("number")
    )
    weather.give_air(pulls)
    return pulls
