"""Speeds at which a pull was not healthy: what a stumble costs is the pull's, and no part's."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from torvix_core.pull.anomalies import AnomalyKind
from torvix_core.units.checked import Array
from torvix_core.units.grammar import listed

from verdicts.comparison.aligned_pulls import Comparison

UNHEALTHY = {
    AnomalyKind.STUMBLE: "stumbled", AnomalyKind.MISFIRE: "misfired", AnomalyKind.BOOST_LOST: "lost boost",
    AnomalyKind.KNOCK: "knocked",
}  # fmt: skip


@dataclass(frozen=True)
class UnhealthyStretch:
    """Speeds at which one counted pull was not healthy, as far as they lie where all were run."""

    setup: int  # index in the comparison
    pull_id: int
    number: int
    kind: AnomalyKind
    low_rpm: float
    high_rpm: float

    def words(self, letter: str) -> str:
        return (
            f"pull {self.number} of {letter} {UNHEALTHY[self.kind]} from {self.low_rpm:.0f} to {self.high_rpm:.0f} rpm"
        )


def unhealthy(comparison: Comparison) -> list[UnhealthyStretch]:
    """Every flagged stretch of the pulls that count, in their order."""
    first, last = float(comparison.speed_rpm[0]), float(comparison.speed_rpm[-1])
    return [
        UnhealthyStretch(int(comparison.setup_of[row]), kept.pull.pk, kept.pull.number, AnomalyKind(odd.kind),
                         odd.low_rpm, odd.high_rpm)
        for row, kept in enumerate(comparison.kept)
        for odd in kept.pull.reduced.anomalies.all()
        if AnomalyKind(odd.kind) in UNHEALTHY and odd.high_rpm >= first and odd.low_rpm <= last
    ]  # fmt: skip


def healthy_bins(comparison: Comparison) -> NDArray[np.bool_]:
    """Bins at which no counted pull of any setup is flagged: left out for one they are left out for all, (bins,)."""
    speed: Array = comparison.speed_rpm
    found = np.ones(len(speed), dtype=bool)
    for stretch in unhealthy(comparison):
        found &= (speed < stretch.low_rpm - 1e-6) | (speed > stretch.high_rpm + 1e-6)
    return found


def sentence(comparison: Comparison, left_out: bool) -> str:
    """What a reader must know of them; empty where every pull was healthy."""
    stretches: Sequence[UnhealthyStretch] = unhealthy(comparison)
    if not stretches:
        return ""
    letters = [setup.letter for setup in comparison.setups]
    named = [one.words(letters[one.setup]) for one in stretches[:4]]
    more = f" and {len(stretches) - 4} more" if len(stretches) > 4 else ""
    text = f"{listed(named)}{more}"
    end = (
        "These speeds are excluded for all setups."
        if left_out
        else "That is the pull's, not the part's: judge without those speeds, or pull again."
    )
    return f"{text[0].upper()}{text[1:]}. {end}"
