"""When the valves move: events from durations and centrelines, overlap, and what advancing the cam does."""

from __future__ import annotations

from dataclasses import dataclass

from numpy.typing import ArrayLike
from torvix_core.units.checked import Array, finite, positive

LEAST_CLEARANCE = {"intake": 0.0015, "exhaust": 0.0020}  # m between piston and valve: 0.060 and 0.080 in [prac]
BANK_TOLERANCE = 2.0  # degrees of crank between banks that call for a look; seen up to 8 or 9 [prac]


@dataclass(frozen=True)
class ValveTiming:
    """Degrees of crankshaft. Openings before and closings after their dead center count above zero."""

    intake_opening: Array  # before top dead center
    intake_closing: Array  # after bottom dead center
    exhaust_opening: Array  # before bottom dead center
    exhaust_closing: Array  # after top dead center

    @property
    def overlap(self) -> Array:
        """Both valves open; below zero where they are not open together."""
        return self.intake_opening + self.exhaust_closing


def centrelines(lobe_separation: ArrayLike, advance: ArrayLike) -> tuple[Array, Array]:
    """Centrelines of a cam that has both lobes on one shaft.

    Shapes: the arguments broadcast.
    Units:  degrees: separation of the cam, advance of the crank (both as the trade quotes them); result intake after
            and exhaust before top dead center.
    Errors: ValueError naming the argument.
    Source: geometry of the cam; the advance is taken off the intake centreline.
    >>> [float(angle) for angle in centrelines(110.0, 4.0)]
    [106.0, 114.0]
    """
    separation, early = positive("lobe_separation", lobe_separation), finite("advance", advance)
    return separation - early, separation + early


def valve_timing(
    intake_duration: ArrayLike, exhaust_duration: ArrayLike, intake_centreline: ArrayLike, exhaust_centreline: ArrayLike
) -> ValveTiming:
    """Opening and closing of both valves, for lobes that are symmetrical about their centreline.

    Shapes: the arguments broadcast.
    Units:  degrees of crankshaft; centrelines after (intake) and before (exhaust) top dead center.
    Errors: ValueError naming the argument, if not finite, or a duration not above zero.
    Source: half the duration either side of the centreline.
    >>> float(valve_timing(280.0, 280.0, 107.0, 111.0).intake_closing)
    67.0
    """
    intake, exhaust = positive("intake_duration", intake_duration), positive("exhaust_duration", exhaust_duration)
    intake_peak = finite("intake_centreline", intake_centreline)
    exhaust_peak = finite("exhaust_centreline", exhaust_centreline)
    return ValveTiming(
        intake_opening=intake / 2 - intake_peak,
        intake_closing=intake / 2 + intake_peak - 180,
        exhaust_opening=exhaust / 2 + exhaust_peak - 180,
        exhaust_closing=exhaust / 2 - exhaust_peak,
    )


def advanced(timing: ValveTiming, degrees: ArrayLike) -> ValveTiming:
    """The events of a cam that is advanced: every one comes earlier.

    Shapes: the arguments broadcast.
    Units:  degrees of crankshaft; below zero retards.
    Errors: ValueError if not finite.
    Source: geometry; more torque low and less high is common practice [prac].
    >>> float(advanced(valve_timing(280.0, 280.0, 107.0, 111.0), 4.0).intake_closing)
    63.0
    """
    early = finite("degrees", degrees)
    return ValveTiming(
        intake_opening=timing.intake_opening + early,
        intake_closing=timing.intake_closing - early,
        exhaust_opening=timing.exhaust_opening + early,
        exhaust_closing=timing.exhaust_closing - early,
    )
