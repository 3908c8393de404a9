"""What a reader wants judged: under which standard, by which school and measure, for which duty."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from torvix_core.air.standards import Standard
from torvix_core.judging import duty as duties
from torvix_core.judging.duty import PRESETS, Duty, Preset
from torvix_core.judging.representative_pull import LABELS, School

from programmes.models import Programme
from shop.refusals import Invalid
from verdicts.comparison.aligned_pulls import COUNTINGS, Counting


class ScoreMeasure(StrEnum):
    TORQUE = "torque"
    POWER = "power"
    PEAK_TORQUE = "peak_torque"
    PEAK_POWER = "peak_power"

    @property
    def is_power(self) -> bool:
        return self in (ScoreMeasure.POWER, ScoreMeasure.PEAK_POWER)

    @property
    def is_peak(self) -> bool:
        return self in (ScoreMeasure.PEAK_TORQUE, ScoreMeasure.PEAK_POWER)


MEASURES = {
    ScoreMeasure.TORQUE: "Torque over the duty", ScoreMeasure.POWER: "Power over the duty",
    ScoreMeasure.PEAK_TORQUE: "Peak torque", ScoreMeasure.PEAK_POWER: "Peak power",
}  # fmt: skip
COVARIATES = {
    "oil_temperature": "oil", "coolant_temperature": "coolant", "inlet_temperature": "inlet air",
}  # fmt: skip
PHRASES = {
    Preset.STREET: "For the street", Preset.TOWING: "For towing", Preset.ROAD_COURSE: "For the road course",
    Preset.HILL_CLIMB: "For the hill climb", Preset.STRIP: "For the strip", Preset.DRAWN: "For the duty as drawn",
}  # fmt: skip


@dataclass(frozen=True)
class Choice:
    """`duty` empty: the programme's own. `points` of a drawn duty, rpm and weight."""

    standard: Standard
    school: School = School.MEAN
    measure: ScoreMeasure = ScoreMeasure.TORQUE
    duty: Preset | None = None
    points: tuple[tuple[float, float], ...] = ()
    low_rpm: float | None = None
    high_rpm: float | None = None
    account_for: tuple[str, ...] = ()
    healthy_only: bool = False  # without the speeds at which a counted pull stumbled, misfired or knocked
    counting: Counting = Counting.KEPT


def read_points(text: str) -> tuple[tuple[float, float], ...]:
    """Points of a drawn duty such as 3000:0.2,4500:1. Invalid names the field."""
    try:
        pairs = [(float(speed), float(weight)) for speed, weight in (pair.split(":") for pair in text.split(","))]
    except ValueError as error:
        message = "write them as rpm:weight with commas between, such as 3000:0.2,4500:1"
        raise Invalid(f"The points of the duty are not understood: {message}.", fields={"points": message}) from error
    try:
        return duties.check(pairs).points
    except ValueError as error:
        raise Invalid(f"The duty cannot be used: {error}.", fields={"points": str(error)}) from error


def duty_of(choice: Choice, programme: Programme, low_rpm: float, high_rpm: float) -> tuple[Duty, Preset]:
    """The weight over engine speed, and what it is called. A preset is drawn over the range judged."""
    own = Preset(programme.duty.get("preset") or Preset.EVEN)
    which = choice.duty or own
    if which is not Preset.DRAWN:
        return duties.preset(which, low_rpm, high_rpm), which
    points: Sequence[Sequence[float]] = choice.points or programme.duty.get("points") or ()
    try:
        return duties.check(points), which
    except ValueError as error:
        raise Invalid(f"The duty cannot be used: {error}.", fields={"points": str(error)}) from error


def rule(choice: Choice) -> str:
    """What stands for a setup, and among which pulls where it is not the usual."""
    told = LABELS[choice.school]
    return told if choice.counting is Counting.KEPT else f"{told}, {COUNTINGS[choice.counting].lower()}"


def phrase(which: Preset, low_rpm: float, high_rpm: float) -> str:
    """How a sentence about the duty begins."""
    return PHRASES.get(which) or f"From {low_rpm:.0f} to {high_rpm:.0f} rpm"


def label(which: Preset) -> str:
    return PRESETS[which].label if which in PRESETS else "As drawn"


def school_of(text: str) -> School:
    try:
        return School(text or School.MEAN)
    except ValueError as error:
        raise Invalid("There is no such rule.", fields={"school": f"one of {', '.join(School)}"}) from error


def counting_of(text: str) -> Counting:
    try:
        return Counting(text or Counting.KEPT)
    except ValueError as error:
        raise Invalid("There is no such class.", fields={"counting": f"one of {', '.join(Counting)}"}) from error
