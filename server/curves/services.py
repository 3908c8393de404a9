"""From stored pulls to curves: reduce once, correct by any standard whenever asked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
from torvix_core import VERSION, geometry, standards
from torvix_core.air import air_from_relative_humidity
from torvix_core.checked import Array
from torvix_core.curve import Peak, peak
from torvix_core.reduction import NotASweep, Options, StandInertia, reduce_sweep
from torvix_core.standards import BoostSchool, Standard
from torvix_core.trace import SPEED, TORQUE, Finding, Problem

from curves.models import Reduced
from programmes.models import Programme
from shop.refusals import Refusal
from stand import weather
from stand.models import Pull, PullState
from stand.samples import read_trace

WORDS = {
    Problem.TIME_BACKWARDS: "time runs backwards",
    Problem.GAP: "samples are missing",
    Problem.RPM_JUMP: "speed jumps",
    Problem.STUCK: "the reading does not move",
    Problem.MISSING: "sent nothing",
    Problem.IMPLAUSIBLE: "read what cannot be",
}


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
    return Options(stand_inertia=StandInertia(pull.inertia_in_torque), inertia=pull.inertia)


def reduce_pull(pull: Pull) -> Reduced | None:
    """Make (or make again) the curve of a complete pull. None for a pull that never completed."""
    if pull.state != PullState.COMPLETE:
        return None
    options = options_for(pull)
    fields: dict[str, Any] = {"core_version": VERSION, "options": asdict(options), "refused": ""}
    try:
        reduction = reduce_sweep(read_trace(pull), options)
    except (NotASweep, ValueError, Refusal) as error:
        fields["refused"] = str(error)[:300]
    else:
        names = [name for name in reduction.names if name not in (SPEED, TORQUE)]
        rows = dict(zip(reduction.names, reduction.means, strict=True))
        fields |= {
            "speed_rpm": reduction.speed_rpm.tolist(),
            "torque": reduction.torque.tolist(),
            "torque_scatter": reduction.torque_scatter.tolist(),
            "samples": reduction.samples.tolist(),
            "means": {name: rows[name].tolist() for name in names},
            "cut": asdict(reduction.cut),
            "findings": [asdict(finding) for finding in reduction.findings],
        }
    reduced, _ = Reduced.objects.update_or_create(pull=pull, defaults=fields)
    return reduced


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
    if standard is Standard.OBSERVED:
        return 1.0, True
    if pull.air is None:
        weather.give_air([pull])
    if pull.air is None:
        raise NoAir(
            f"{pull} has no weather, so it cannot be corrected. Write the weather of its time into the log, look at it "
            "observed, or leave it out."
        )
    try:
        air = air_from_relative_humidity(pull.air.barometer, pull.air.temperature, pull.air.relative_humidity)
    except ValueError as error:
        raise NoAir(f"{pull} has impossible weather ({error}). Look at it observed, or leave it out.") from error
    school = BoostSchool(pull.session.programme.boost_school)
    found = standards.correction(air, standard, school=school)
    return float(found.factor), bool(found.inside)


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
