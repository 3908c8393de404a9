"""A check pass: a few seconds to a set speed after a change, and whether the full sweep may follow.

It says go or no go, with the reasons, and never a peak: so short a pull tells nothing of torque.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from torvix_core.pull.trace import BANKS, MIXTURE
from torvix_core.units.checked import Array, same_length

SECONDS = 3.0  # of the sweep [prac]
JUDGED_SHARE = 0.4  # the last of it under load, where the mixture has settled
LEAN_LIMIT, RICH_LIMIT = 0.92, 0.70  # lambda under load on gasoline [prac]
FAR_LEAN = 0.06  # leaner than the target by so much is no go before the limit is [prac]
OIL_PER_1000_RPM = 69_000.0  # Pa, 10 psi for each 1000 rpm [prac]
OPEN = 0.9  # of the widest throttle: full load
KNOCK = 0.5  # of a channel that is 0 or 1
HOT_OIL, HOT_COOLANT = 403.15, 383.15  # K, 130 and 110 °C [prac]


@dataclass(frozen=True)
class CheckLine:
    """One thing looked at: its value, SI; whether it is right, None where it was not measured."""

    key: str
    value: float | None
    limit: float | None
    right: bool | None


@dataclass(frozen=True)
class CheckPass:
    """What a check pass says, line by line."""

    lines: tuple[CheckLine, ...]

    @property
    def go(self) -> bool:
        """Nothing that was measured is wrong. What was not measured is named, not guessed."""
        return not any(line.right is False for line in self.lines)


def read_check_pass(speed_rpm: Array, channels: Mapping[str, Array], target: float | None = None) -> CheckPass:
    """Go or no go, from the samples of a check pass.

    Shapes: (samples,) each; NaN where nothing was read.
    Units:  rpm; SI. `target` is of lambda.
    Errors: ValueError naming the channel that is not as long as the speed.
    Source: limits of a careful operator [prac], at the head of this module.
    >>> rpm = np.linspace(2500, 3500, 50)
    >>> found = read_check_pass(rpm, {"lambda": np.full(50, 0.97), "oil_pressure": np.full(50, 350_000.0)}, 0.87)
    >>> found.go, [(line.key, line.right) for line in found.lines]
    (False, [('lambda', False), ('oil_pressure', True), ('knock', None), ('oil_temperature', None), \
('coolant_temperature', None)])
    """
    same_length(speed_rpm=speed_rpm, **channels)
    if not np.isfinite(speed_rpm).any():
        return CheckPass(())
    late = _late_under_load(speed_rpm, channels.get("throttle"))
    lines = [_mixture(key, channels.get(key), late, target) for key in _mixtures(channels)]
    lines.append(_oil(speed_rpm, channels.get("oil_pressure")))
    for key, limit in (("knock", KNOCK), ("oil_temperature", HOT_OIL), ("coolant_temperature", HOT_COOLANT)):
        highest = _most(channels.get(key))
        lines.append(CheckLine(key, highest, limit, None if highest is None else highest <= limit))
    return CheckPass(tuple(lines))


def _late_under_load(speed_rpm: Array, throttle: Array | None) -> NDArray[np.int_]:
    """Places of the last samples of the sweep at full throttle: neither its load-in nor its roll-off is judged."""
    loaded = np.arange(len(speed_rpm)) <= int(np.nanargmax(speed_rpm))
    if throttle is not None and np.isfinite(throttle).any():
        loaded = loaded & (throttle >= OPEN * np.nanmax(throttle))
    places = np.flatnonzero(loaded)
    return np.asarray(places[int(len(places) * (1 - JUDGED_SHARE)) :])


def _mixtures(channels: Mapping[str, Array]) -> tuple[str, ...]:
    """Each bank that is read is judged: a mean may hide a lean one. Both of them stand for the engine."""
    banks = tuple(bank for bank in BANKS if bank in channels)
    return banks if len(banks) == len(BANKS) and MIXTURE not in channels else (MIXTURE, *banks)


def _mixture(key: str, found: Array | None, late: NDArray[np.int_], target: float | None) -> CheckLine:
    read = None if found is None else found[late][np.isfinite(found[late])]
    if read is None or not len(read):
        return CheckLine(key, None, None, None)
    mean = float(read.mean())
    most = LEAN_LIMIT if target is None else min(LEAN_LIMIT, target + FAR_LEAN)
    return CheckLine(key, mean, RICH_LIMIT if mean < RICH_LIMIT else most, RICH_LIMIT <= mean <= most)


def _oil(speed_rpm: Array, found: Array | None) -> CheckLine:
    """The sample that lies lowest against what its speed wants."""
    known = np.isfinite(speed_rpm) if found is None else np.isfinite(found) & np.isfinite(speed_rpm)
    if found is None or not known.any():
        return CheckLine("oil_pressure", None, None, None)
    wanted = OIL_PER_1000_RPM * speed_rpm[known] / 1000
    worst = int((found[known] / wanted).argmin())
    value, least = float(found[known][worst]), float(wanted[worst])
    return CheckLine("oil_pressure", value, least, value >= least)


def _most(found: Array | None) -> float | None:
    known = None if found is None else found[np.isfinite(found)]
    return None if known is None or not len(known) else float(known.max())
