"""Which recordings a programme holds already, so that the same evidence is not counted twice."""

from __future__ import annotations

import numpy as np
from torvix_core.pull.recording_overlap import ANCHORS, LEAST_SAMPLES, Overlap, overlap
from torvix_core.pull.trace import SPEED, TORQUE
from torvix_core.units import quantities
from torvix_core.units.checked import Array

from programmes.models import Programme
from stand.models import Channel
from stand.pulls.codec import unpack

FINE = np.array([[50.0], [200.0]])  # steps in one rpm and one N·m by which samples are separated when sought


class KnownRecording:
    """Speed and torque of recordings, found again by single samples and then compared in full."""

    def __init__(self) -> None:
        self._recordings: list[tuple[int, Array]] = []
        self._places: dict[int, int] = {}

    def add(self, number: int, speed_torque: Array) -> None:
        """(2, samples), rpm and N·m, of the pull of this number."""
        self._places.update(dict.fromkeys(_keys(speed_torque).tolist(), len(self._recordings)))
        self._recordings.append((number, speed_torque))

    def find(self, speed_torque: Array) -> tuple[int, Overlap] | None:
        """The number of the pull that holds the same samples, and how many."""
        samples = speed_torque.shape[1]
        if samples < LEAST_SAMPLES:
            return self._same_figures(speed_torque)
        sought = np.unique(np.linspace(0, samples - 1, 3 * ANCHORS).astype(int))
        for place in {self._places.get(key) for key in _keys(speed_torque[:, sought]).tolist()}:
            if place is not None:
                number, known = self._recordings[place]
                if found := overlap(known, speed_torque):
                    return number, found
        return None

    def _same_figures(self, speed_torque: Array) -> tuple[int, Overlap] | None:
        """Tables are short: only the whole table counts as the same."""
        for number, known in self._recordings:
            if known.shape == speed_torque.shape and np.allclose(known, speed_torque, rtol=1e-5):
                return number, Overlap(known.shape[1], 1.0, 1.0)
        return None


def _keys(speed_torque: Array) -> np.ndarray:
    whole = np.nan_to_num(np.round(speed_torque * FINE), nan=-1.0, posinf=-1.0, neginf=-1.0).astype(np.int64)
    return np.asarray(whole[0] * 10_000_019 + whole[1])


def known_of(programme: Programme) -> KnownRecording:
    """Every recording that the programme holds, in two columns each."""
    known = KnownRecording()
    rows = Channel.objects.filter(pull__session__programme=programme, name__in=(SPEED, TORQUE), samples__gt=0)
    pairs: dict[int, dict[str, Array]] = {}
    for channel in rows.values("pull__number", "name", "unit", "codec", "samples", "data").iterator(chunk_size=200):
        values = quantities.to_si(unpack(channel["codec"], bytes(channel["data"]), channel["samples"]), channel["unit"])
        pairs.setdefault(channel["pull__number"], {})[channel["name"]] = values
    for number, pair in pairs.items():
        if len(pair) == 2:
            known.add(number, np.stack([pair[SPEED], pair[TORQUE]]))
    return known
