"""The pull that runs: its samples not yet written, and how many the stand's numbers say are missing."""

from __future__ import annotations

import math
import time

import numpy as np
from numpy.typing import NDArray

from stand.worker.entries import SamplesRecorded
from stand.worker.line import Samples


class Recording:
    """Takes samples as they come; `chunk` hands over what has gathered, to be written."""

    def __init__(self, pull: int) -> None:
        self.pull = pull
        self.sequence = 0
        self.samples = 0
        self.lost = 0
        self.last_rpm = math.nan
        self.flushed_at = time.monotonic()
        self._blocks: list[NDArray[np.float64]] = []
        self._next: int | None = None

    def add(self, samples: Samples) -> None:
        """Samples whose numbers follow each other. A jump in the numbers is a loss; one that came before is dropped."""
        first, table = samples.first, samples.table()
        if self._next is not None:
            self.lost += max(0, first - self._next)
            table = table[max(0, self._next - first) :]
        if len(table):
            self._next = first + len(samples.times)
            self.samples += len(table)
            self._blocks.append(table)

    def chunk(self) -> SamplesRecorded | None:
        """What has gathered since the last chunk."""
        self.flushed_at = time.monotonic()
        if not self._blocks:
            return None
        table = np.concatenate(self._blocks).astype("<f8", copy=False)
        self._blocks = []
        self.sequence += 1
        return SamplesRecorded(self.pull, self.sequence - 1, len(table), table.tobytes())
