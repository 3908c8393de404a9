"""Stored curves under any standard, whenever asked: a factor for each pull, never the raw data again."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from torvix_core.air import standards
from torvix_core.air.air import air_from_relative_humidity
from torvix_core.air.standards import BoostSchool, Standard
from torvix_core.engine import geometry
from torvix_core.pull.curve import Peak, peak
from torvix_core.units.checked import Array

from curves.models import Reduced
from curves.reduction.nature import OF_FIGURES
from programmes.models import Programme
from shop.refusals import Refusal
from stand.models import Pull, Standing
from stand.weather import service as weather

UNKNOWN_STANDARD = "unknown"  # of printed figures


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

    def under(self, factor: float, inside: bool) -> CorrectedPull:
        """The same pull with another factor."""
        share = factor / self.factor
        return replace(self, torque=self.torque * share, power=self.power * share, factor=factor, inside=inside)

    def peaks(self) -> tuple[Peak, Peak]:
        return peak(self.speed_rpm, self.torque), peak(self.speed_rpm, self.power)


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
    air = pull.air
    try:
        return _factor_in(air.barometer, air.temperature, air.relative_humidity, standard,
                          BoostSchool(pull.session.programme.boost_school))  # fmt: skip
    except ValueError as error:
        raise NoAir(f"{pull} has impossible weather ({error}). Look at it observed, or leave it out.") from error


@lru_cache(maxsize=20_000)
def _factor_in(
    barometer: float, temperature: float, relative_humidity: float, standard: Standard, school: BoostSchool
) -> tuple[float, bool]:
    """One screen asks for it of the same pull several times: to compare it, to show it, and under other standards."""
    air = air_from_relative_humidity(barometer, temperature, relative_humidity)
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
    """The accepted pulls that have a curve under a standard."""
    kept = []
    for pull in pulls:
        if pull.standing == Standing.ACCEPTED:
            try:
                kept.append(corrected(pull, standard))
            except Refusal:
                continue
    return kept


def pulls_of(programme: Programme) -> Sequence[Pull]:
    """Every pull of the programme with its curve, in order, in one query."""
    pulls = list(
        Pull.objects.filter(session__programme=programme)
        .select_related("reduced", "setup", "operator", "judged_by", "build", "session__programme")
        .prefetch_related("reduced__channel_means", "reduced__anomalies", "settings")
        .order_by("number")
    )
    weather.give_air(pulls)
    return pulls
