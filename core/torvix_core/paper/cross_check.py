"""Figures that were read off paper against the physics of the job: power is torque times speed, speeds step evenly,
curves are smooth. What fails is marked, and what would fit is offered; nobody's word replaces a look at the paper."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from math import log

import numpy as np
from torvix_core.engine import geometry
from torvix_core.paper import smoothness
from torvix_core.paper.number_text import Readings, decimals, look_alikes, of_one_form, usual_decimals, whole
from torvix_core.units import quantities
from torvix_core.units.checked import Array

MOST_SKIPPED = 3  # lines that are missing in one place; beyond, the speeds were misread [prac]
EVEN_SHARE = 0.6  # of the rows, on one step, before the rest are expected on it [prac]
OFF_SHARE = 0.05  # of the torque, off the line through its neighbors, that no smooth curve has [prac]
RIVAL = 0.3  # of the weight of the best, from which another reading is in doubt with it
SURE = 0.6  # share of the readings, below which one without a second column to check it is marked
FACTOR = 1e-4  # what rounded factors of conversion (5252, 7023, 9549) may add [prac]
KINK = 2.5  # of the usual distance from the curve through the neighbors [prac]
SLIP = 1.5  # the same, for a figure whose look-alike stands on that curve [prac]
NEARER = 3.0  # times nearer to the curve than what was read [prac]
PLAIN = 3e-4  # within which a sheet's own factor is the true one, and the rest is rounding of its figures [prac]
LIKENESS = 0.004  # of the sheet's own factor to the true one; beyond, its columns are not what they seem


class Doubt(StrEnum):
    NOTHING = "nothing"  # no figure was read
    STEP = "step"  # the speeds around it step evenly, this does not
    POWER = "power"  # power is not torque times speed
    CURVE = "curve"  # it stands off the curve of its neighbors
    FORM = "form"  # its decimals are not those of the column
    READINGS = "readings"  # it can be read in more than one way, and nothing else decides


@dataclass(frozen=True)
class Cell:
    """What stands for a cell: "" where nothing was read. `likely` is what would fit, where that is known."""

    text: str
    confidence: float
    doubt: Doubt | None = None
    likely: str = ""


@dataclass(frozen=True)
class Columns:
    """Readings of a table by row, a list for each column that it has; units as printed."""

    speed: Sequence[Readings]
    torque: Sequence[Readings] | None
    power: Sequence[Readings] | None
    torque_unit: str = "lb-ft"
    power_unit: str = "hp"


def cross_check(columns: Columns) -> list[dict[str, Cell]]:
    """Each row's cells by name: speed, and torque and power as far as they are there.

    Shapes: columns of equally many rows.
    Units:  of the columns.
    Errors: ValueError if there is neither torque nor power.
    Source: P = T·ω [phys], within the rounding of the figures; even steps and smooth curves [prac].
    >>> one = Columns([{"3000": 0.9}, {"3100": 0.9}], [{"400": 0.9}, {"401": 0.9}], [{"228.5": 0.9}, {"286.7": 0.9}])
    >>> [(row["power"].text, row["power"].doubt and row["power"].doubt.value) for row in cross_check(one)]
    [('228.5', None), ('286.7', 'power')]
    """
    if columns.torque is None and columns.power is None:
        raise ValueError("there is neither torque nor power to check")
    speeds = _speeds([{whole(text): share for text, share in cell.items()} for cell in columns.speed])
    if columns.torque is None or columns.power is None:
        name = "power" if columns.torque is None else "torque"
        cells = _alone(speeds, of_one_form(columns.torque or columns.power or []), name)
        return [{"speed": speed, name: cell} for speed, cell in zip(speeds, cells, strict=True)]
    return _Pairs(speeds, columns).checked()


def _speeds(column: Sequence[Readings]) -> list[Cell]:
    """Speeds by their even step, if most rows have one."""
    best = [_best(cell) for cell in column]
    values = np.array([float(text) if text else np.nan for text, _ in best])
    steps = Counter(np.diff(values)[np.isfinite(np.diff(values))].tolist())
    step = steps.most_common(1)[0][0] if steps else 0.0
    skipped = _lines_skipped(values, step)
    on_step = np.isfinite(skipped)
    if step == 0 or len(values) < 3 or on_step.sum() < EVEN_SHARE * len(values):
        return [_plain(cell) for cell in column]
    cells = []
    for row, (text, share) in enumerate(best):
        before, after = skipped[:row][on_step[:row]], skipped[row + 1 :][on_step[row + 1 :]]
        near = {*before[-1:].tolist(), *after[:1].tolist()}
        if on_step[row]:
            jump = len(before) > 0 and before[-1] != skipped[row]  # a line may be missing before it
            cells.append(Cell(text, share, Doubt.STEP if jump else None))
            continue
        start = values[on_step][0] - step * np.flatnonzero(on_step)[0]
        likely = f"{start + step * (row + near.pop()):.0f}" if len(near) == 1 else ""
        if likely and likely in column[row]:
            cells.append(Cell(likely, column[row][likely]))
        else:
            cells.append(Cell(text, share, Doubt.STEP if text else Doubt.NOTHING, likely))
    return cells


def _lines_skipped(values: Array, step: float) -> Array:
    """How many lines of a table that steps evenly are missing before each row; NaN for a row that is not on the step.

    One alone that is off by whole steps was misread; two that agree stand below a line that was not seen.
    """
    if step == 0:
        return np.full(len(values), np.nan)
    start = values - step * np.arange(len(values))  # where the table would have begun, by each row
    usual = Counter(start[np.isfinite(start)].tolist()).most_common(1)
    found = np.round((start - usual[0][0]) / step, 6) if usual else np.full(len(values), np.nan)
    agreed = {one for one, times in Counter(found[np.isfinite(found)].tolist()).items() if times >= 2}
    found[~np.isin(found, list(agreed))] = np.nan
    found[(found != np.round(found)) | (np.abs(found) > MOST_SKIPPED)] = np.nan
    rising = np.fmax.accumulate(np.where(np.isfinite(found), found, -np.inf))
    found[found < rising] = np.nan
    first = found[np.isfinite(found)]
    return found - (first[0] if len(first) else 0.0)


def _best(cell: Readings) -> tuple[str, float]:
    if not cell:
        return "", 0.0
    text = max(cell, key=lambda one: cell[one])
    return text, min(1.0, cell[text])


def _plain(cell: Readings) -> Cell:
    """The best reading alone: in doubt where another is nearly as good, or where it is none."""
    text, share = _best(cell)
    if not text:
        return Cell("", 0.0, Doubt.NOTHING)
    others = sorted((weight for one, weight in cell.items() if one != text), reverse=True)
    rival = bool(others) and others[0] > RIVAL * cell[text]
    likely = max((one for one in cell if one != text), key=lambda one: cell[one]) if rival else ""
    return Cell(text, share, Doubt.READINGS if rival or share < SURE else None, likely)


def _alone(speeds: Sequence[Cell], column: Sequence[Readings], name: str) -> list[Cell]:
    """A column without a second one that checks it: by its own smoothness."""
    cells = [_plain(cell) for cell in column]
    speed = _numbers(speeds)
    torque = _numbers(cells) if name == "torque" else _numbers(cells) / np.where(speed > 0, speed, np.nan)
    sure = np.array([cell.doubt is None for cell in cells]) & np.isfinite(torque) & np.isfinite(speed)
    for row, cell in enumerate(cells):
        expected = smoothness.expected(speed, torque, sure, row)
        if not cell.text or not np.isfinite(expected) or not np.isfinite(torque[row]):
            continue
        if abs(torque[row] / expected - 1) > OFF_SHARE:
            value = expected if name == "torque" else expected * speed[row]
            fitting = [one for one in column[row] if abs(float(one) / value - 1) <= OFF_SHARE / 2]
            likely = max(fitting, key=lambda one: column[row][one]) if fitting else ""
            cells[row] = Cell(cell.text, cell.confidence, Doubt.CURVE, likely)
    return cells


def _numbers(cells: Sequence[Cell]) -> Array:
    return np.array([float(cell.text) if cell.text else np.nan for cell in cells])


class _Pairs:
    """Torque and power of each row against each other, in the units of the sheet."""

    def __init__(self, speeds: list[Cell], columns: Columns) -> None:
        self.speeds, self.speed = speeds, _numbers(speeds)
        # A speed that does not fit is checked by what is expected in its place.
        likely = [float(cell.likely) if cell.doubt and cell.likely else np.nan for cell in speeds]
        self.speed = np.where(np.isfinite(likely), likely, self.speed)
        self.torque, self.power = of_one_form(columns.torque or []), of_one_form(columns.power or [])
        self.steps = [10.0 ** -usual_decimals(column) for column in (self.torque, self.power)]
        torque_si = quantities.to_si_rule(columns.torque_unit).scale
        power_si = quantities.to_si_rule(columns.power_unit).scale
        self.per = torque_si / power_si * float(geometry.angular_speed(1.0)) * self.speed  # power for one of torque
        self.factor = self._factor()

    def _factor(self) -> float:
        """How the sheet's own factor of conversion stands to the true one: a printer may have rounded it."""
        ratios = []
        for row in range(len(self.speed)):
            torque, power = _best(self.torque[row])[0], _best(self.power[row])[0]
            if torque and power and self.per[row] > 0 and float(torque) > 0:
                ratios.append(float(power) / (float(torque) * self.per[row]))
        near = [ratio for ratio in ratios if abs(ratio - 1) < LIKENESS]
        factor = float(np.median(near)) if len(near) >= 5 else 1.0
        return factor if abs(factor - 1) > PLAIN else 1.0

    def fits(self, row: int, torque: str, power: str) -> bool:
        per = self.per[row] * self.factor
        allowed = (self.steps[1] + per * self.steps[0]) / 2 * 1.02 + FACTOR * float(power)
        return bool(abs(float(power) - float(torque) * per) <= allowed)

    def checked(self) -> list[dict[str, Cell]]:
        pairs = [self._fitting(row) for row in range(len(self.speed))]
        torque = np.array([float(one[0][0]) if one else np.nan for one in pairs])
        sure = np.isfinite(torque)
        rows = []
        for row, speed in enumerate(self.speeds):
            expected = smoothness.expected(self.speed, torque, sure, row)
            rows.append({"speed": speed, **self._row(row, pairs[row], expected)})
        for name, step in zip(("torque", "power"), self.steps, strict=True):
            self._mark_kinks(rows, name, step)
        return rows

    def _mark_kinks(self, rows: list[dict[str, Cell]], name: str, step: float) -> None:
        values = _numbers([Cell(row[name].likely or row[name].text, 1.0) for row in rows])
        away = smoothness.away(self.speed, values)
        for at, times in smoothness.kinks(away, values, step).items():
            cell = rows[at][name]
            if cell.doubt is not None:
                continue
            nearer = self._nearer(rows[at], name, at, float(away[at]))
            if times > KINK or (nearer and times > SLIP):
                rows[at][name] = replace(cell, doubt=Doubt.CURVE, likely=nearer)

    def _nearer(self, row: dict[str, Cell], name: str, at: int, away: float) -> str:
        """A figure that looks alike, fits its other column and stands on the curve; "" where there is none."""
        texts = {one: row[one].text for one in ("torque", "power")}
        found = [
            (left, text) for text in look_alikes(texts[name])
            if (left := abs(away + float(text) - float(texts[name]))) < abs(away) / NEARER
            and self.fits(at, **(texts | {name: text}))
        ]  # fmt: skip
        return min(found)[1] if found else ""

    def _fitting(self, row: int) -> list[tuple[str, str, float]]:
        """Pairs of readings that fit each other, the weightiest first."""
        if not np.isfinite(self.speed[row]):
            return []
        found = [
            (torque, power, log(one) + log(other))
            for torque, one in self.torque[row].items() for power, other in self.power[row].items()
            if one > 0 and other > 0 and float(torque) > 0 and self.fits(row, torque, power)
        ]  # fmt: skip
        return sorted(found, key=lambda pair: -pair[2])

    def _row(self, row: int, pairs: list[tuple[str, str, float]], expected: float) -> dict[str, Cell]:
        smooth = [pair for pair in pairs if not abs(float(pair[0]) / expected - 1) > OFF_SHARE]
        if not smooth:
            return self._unfit(row, pairs, expected)
        torque, power, weight = smooth[0]
        rivals = [pair for pair in smooth[1:] if pair[2] > weight + log(RIVAL)]
        return {
            "torque": self._cell(torque, self.torque[row], self.steps[0], [one for one, _, _ in rivals]),
            "power": self._cell(power, self.power[row], self.steps[1], [one for _, one, _ in rivals]),
        }

    def _cell(self, text: str, readings: Readings, step: float, rivals: Sequence[str]) -> Cell:
        other = next((one for one in rivals if one != text), "")
        if 10.0 ** -decimals(text) != step:
            return Cell(text, min(1.0, readings[text]), Doubt.FORM)
        return Cell(text, min(1.0, readings[text]), Doubt.READINGS if other else None, other)

    def _unfit(self, row: int, pairs: list[tuple[str, str, float]], expected: float) -> dict[str, Cell]:
        """No reading of torque fits one of power: both are marked, and what the rest says is offered for either."""
        (torque, sure), (power, other) = _best(self.torque[row]), _best(self.power[row])
        doubt = Doubt.CURVE if pairs else Doubt.POWER
        per = self.per[row] * self.factor
        from_power = float(power) / per if power and np.isfinite(per) and per > 0 else np.nan
        from_torque = float(torque) * per if torque and np.isfinite(per) else np.nan
        likely_torque = likely_power = ""
        # Whichever of the two lies on the curve of the neighbors says what the other should be.
        away = [
            abs(value / expected - 1) if np.isfinite(expected) and np.isfinite(value) else np.inf
            for value in (float(torque) if torque else np.nan, from_power)
        ]
        if away[1] < OFF_SHARE and away[1] < away[0] / 2:
            allowed = (self.steps[1] / per + self.steps[0]) / 2
            likely_torque = _nearest(torque, from_power, allowed, self.steps[0])
        elif away[0] < OFF_SHARE and away[0] < away[1] / 2:
            allowed = (self.steps[0] * per + self.steps[1]) / 2
            likely_power = _nearest(power, from_torque, allowed, self.steps[1])
        return {
            "torque": Cell(torque, sure, doubt if torque else Doubt.NOTHING, likely_torque),
            "power": Cell(power, other, doubt if power else Doubt.NOTHING, likely_power),
        }


def _nearest(read: str, value: float, allowed: float, step: float) -> str:
    """Of the figures that would be printed for a value, rounded as it may be, the one with the fewest digits unlike
    those that were read."""
    places = max(0, round(-np.log10(step)))
    steps = np.arange(np.ceil((value - allowed) / step), np.floor((value + allowed) / step) + 1)
    near = sorted((steps * step).tolist(), key=lambda one: abs(one - value))[:9] or [value]

    def unlike(text: str) -> int:
        return sum(one != other for one, other in zip(text, read, strict=False)) + abs(len(text) - len(read))

    return min((f"{one:.{places}f}" for one in near), key=unlike)
