"""Time two pieces of work in turns, so that a machine whose speed drifts treats both alike."""

from __future__ import annotations

import os
import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass

ROUNDS = 1 if os.environ.get("TORVIX_PERF_TINY") == "1" else 31


@dataclass(frozen=True)
class Ratio:
    """Median over rounds of (work / yardstick), with the medians of both in seconds."""

    name: str
    value: float
    low: float
    high: float
    work_s: float
    yardstick_s: float
    wanted: str

    @property
    def measured(self) -> str:
        times = f"{self.work_s * 1e6:.0f} µs against {self.yardstick_s * 1e6:.0f} µs"
        return f"{self.value:.2f} (rounds {self.low:.2f} to {self.high:.2f}; {times})"


def measure(
    name: str, work: Callable[[], object], yardstick: Callable[[], object], wanted: str, *, repeat: int = 1
) -> Ratio:
    """Both in turns for ROUNDS rounds of `repeat` calls each, after one round to warm up."""
    pairs = [(_timed(work, repeat), _timed(yardstick, repeat)) for _ in range(ROUNDS + 1)][1:]
    ratios = sorted(ours / theirs for ours, theirs in pairs)
    return Ratio(
        name,
        statistics.median(ratios),
        ratios[len(ratios) // 10],
        ratios[-1 - len(ratios) // 10],
        statistics.median(ours for ours, _ in pairs),
        statistics.median(theirs for _, theirs in pairs),
        wanted,
    )


def _timed(work: Callable[[], object], repeat: int) -> float:
    started = time.perf_counter()
    for _ in range(repeat):
        work()
    return (time.perf_counter() - started) / repeat
