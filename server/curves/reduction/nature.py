"""What a curve is made of: measured, printed figures, or a simulated stand. The three never look alike."""

from __future__ import annotations

from enum import StrEnum

from stand.models import Pull, PullOrigin

OF_FIGURES = (PullOrigin.TABLE, PullOrigin.TYPED)


class Nature(StrEnum):
    """What a curve is made of: the three never look alike."""

    MEASURED = "measured"
    FIGURES = "figures"
    SIMULATED = "simulated"


def nature_of(pull: Pull) -> Nature:
    if pull.origin in OF_FIGURES:
        return Nature.FIGURES
    return Nature.SIMULATED if pull.origin == PullOrigin.SIMULATED else Nature.MEASURED
