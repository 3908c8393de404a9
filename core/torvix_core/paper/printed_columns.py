"""Which column of a printed table is which: by their heads, and by what only speed, torque and power do together."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import permutations

import numpy as np
from torvix_core.engine import geometry
from torvix_core.units import quantities
from torvix_core.units.checked import Array

# Letters that a reader takes for each other are given either way.
LB_FT, N_M = r"[li1|]b\s*[-.·/ ]?\s*ft?|ft\s*[-.·/ ]?\s*[li1|]b", r"\bn\s*[-.·* ]?\s*m\b"
WORDS = {
    "speed": re.compile(r"r\s*[./]?\s*p\s*[./]?\s*m|speed|rev|r/min|1/min", re.I),
    "torque": re.compile(rf"t[o0]r[qg]|\btq\b|{LB_FT}|{N_M}", re.I),
    "power": re.compile(r"p[o0]w|\bb?hp\b|\bkw\b|\bps\b", re.I),
}
UNITS = {
    "torque": {"lb-ft": re.compile(LB_FT, re.I), "N·m": re.compile(N_M, re.I)},
    "power": {"kW": re.compile(r"k\s*w", re.I), "PS": re.compile(r"\bps\b", re.I), "hp": re.compile(r"hp", re.I)},
}
PAIRS = (("lb-ft", "hp"), ("N·m", "kW"), ("N·m", "PS"), ("N·m", "hp"), ("lb-ft", "kW"))
CLOSE = 0.0015  # of the ratio of a pair of units, that its rows have in the middle [prac]
LEAST_ROWS = 4


@dataclass(frozen=True)
class PrintedColumns:
    """Positions of the columns, None where the sheet has none; units, "" where nothing says them."""

    speed: int | None
    torque: int | None
    power: int | None
    torque_unit: str = ""
    power_unit: str = ""


def recognize(figures: Sequence[Array], heads: Sequence[str]) -> PrintedColumns:
    """Which column is speed, torque and power, and in which units.

    Shapes: a column of (rows,) each, NaN where nothing was read; a head for each, "" where there is none.
    Units:  as printed.
    Errors: none.
    Source: P = T·ω has another factor for each pair of units [phys]; a head that says otherwise loses [prac].
    >>> speed, torque = np.arange(3000.0, 4000, 100), np.linspace(400, 420, 10)
    >>> recognize([torque * speed / 5252, speed, torque], ["", "", ""])
    PrintedColumns(speed=1, torque=2, power=0, torque_unit='lb-ft', power_unit='hp')
    """
    named = {name: _named(word, heads) for name, word in WORDS.items()}
    speed = _speed_of(figures, named["speed"])
    if speed is None:
        return PrintedColumns(None, None, None)
    pair = _pair(figures, speed, heads)
    if pair:
        torque, power, units = pair
        return PrintedColumns(speed, torque, power, *units)
    single = {name: at if (at := named[name]) != speed else None for name in ("torque", "power")}
    if single["torque"] == single["power"]:
        single["power"] = None
    torque_unit, power_unit = (
        _unit(name, heads[at]) if (at := single[name]) is not None else "" for name in ("torque", "power")
    )
    return PrintedColumns(speed, single["torque"], single["power"], torque_unit, power_unit)


def _named(word: re.Pattern[str], heads: Sequence[str]) -> int | None:
    found = [at for at, head in enumerate(heads) if word.search(head)]
    return found[0] if found else None


def _unit(name: str, head: str) -> str:
    return next((unit for unit, pattern in UNITS[name].items() if pattern.search(head)), "")


def _speed_of(figures: Sequence[Array], named: int | None) -> int | None:
    """The column whose figures step evenly through speeds of an engine; else the one that is called so."""
    shares = []
    for column in figures:
        steps = np.diff(column)
        steps = steps[np.isfinite(steps)]
        usual = float(np.median(steps)) if len(steps) else 0.0
        like_speed = np.isfinite(column) & (column >= 300) & (column <= 20_000)
        even = usual != 0 and abs(usual) >= 10 and len(steps) >= LEAST_ROWS - 1
        shares.append(float(np.mean(steps == usual)) * float(like_speed.mean()) if even else 0.0)
    best = int(np.argmax(shares)) if shares else 0
    if named is not None and (not shares or shares[best] < 0.8):
        return named
    return best if shares and shares[best] >= 0.5 else named


def _pair(figures: Sequence[Array], speed: int, heads: Sequence[str]) -> tuple[int, int, tuple[str, str]] | None:
    turning = float(geometry.angular_speed(1.0)) * figures[speed]
    found = []
    for torque, power in permutations([at for at in range(len(figures)) if at != speed], 2):
        with np.errstate(divide="ignore", invalid="ignore"):
            ratio = figures[power] / (figures[torque] * turning)
        ratio = ratio[np.isfinite(ratio)]
        if len(ratio) < LEAST_ROWS:
            continue
        middle = float(np.median(ratio))
        if not middle > 0 or float(np.median(np.abs(ratio / middle - 1))) > 0.01:
            continue
        for units in PAIRS:
            true = quantities.to_si_rule(units[0]).scale / quantities.to_si_rule(units[1]).scale
            said = [_unit(name, heads[at]) for name, at in (("torque", torque), ("power", power))]
            against = sum(1 for one, unit in zip(said, units, strict=True) if one and one != unit)
            if abs(middle / true - 1) < CLOSE:
                found.append((against, abs(middle / true - 1), torque, power, units))
    if not found:
        return None
    _, _, torque, power, units = min(found)
    return torque, power, units
