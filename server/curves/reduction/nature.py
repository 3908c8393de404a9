"""What a curve is made of. No two of these ever look alike, on a screen, on paper or in a file; only pulls rank."""

from __future__ import annotations

from enum import StrEnum

from django.db.models import Q

from stand.models import Pull, PullOrigin

OF_FIGURES = (PullOrigin.TABLE, PullOrigin.TYPED)


class Nature(StrEnum):
    """The first three are of pulls; the last two nobody has run."""

    MEASURED = "measured"
    FIGURES = "figures"
    SIMULATED = "simulated"
    INFERRED = "inferred"
    TRANSFERRED = "transferred"


WORDS = {
    Nature.MEASURED: "measured", Nature.FIGURES: "printed figures", Nature.SIMULATED: "simulated",
    Nature.INFERRED: "inferred", Nature.TRANSFERRED: "transferred",
}  # fmt: skip


def head_of(name: str, nature: Nature) -> str:
    """The head of a column of a file: what no engine was run for says so there, where no line shows it."""
    return name if nature is Nature.MEASURED else f"{name} {WORDS[nature]}"


def of_nature(nature: Nature) -> Q:
    """Pulls of which `nature_of` says so."""
    if nature is Nature.FIGURES:
        return Q(origin__in=OF_FIGURES)
    if nature is Nature.SIMULATED:
        return Q(origin=PullOrigin.SIMULATED)
    return ~Q(origin__in=(*OF_FIGURES, PullOrigin.SIMULATED)) if nature is Nature.MEASURED else Q(pk__in=())


def nature_of(pull: Pull) -> Nature:
    if pull.origin in OF_FIGURES:
        return Nature.FIGURES
    return Nature.SIMULATED if pull.origin == PullOrigin.SIMULATED else Nature.MEASURED
