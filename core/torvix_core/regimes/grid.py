"""Setups that cross parts with a level, such as boost, a pulley or spark: what each part is worth at each level."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray
from torvix_core.judging.difference import Difference
from torvix_core.judging.effects import Effects
from torvix_core.units.checked import Array

EMPTY = -1  # of a cell that no setup fills
NOTHING = ""


@dataclass(frozen=True, eq=False)
class Grid:
    """A grid of setups: `parts` are rows, each the levels of `part_slots`; `levels` are columns of `level_slot`.

    cells (parts, levels): index of the setup, EMPTY where there is none.
    """

    level_slot: str
    part_slots: tuple[str, ...]
    parts: tuple[tuple[str, ...], ...]
    levels: tuple[str, ...]
    cells: NDArray[np.int_]

    def empty(self) -> list[tuple[int, int]]:
        """Row and column of every cell that no setup fills."""
        return [(int(row), int(column)) for row, column in np.argwhere(self.cells == EMPTY)]

    def row_of(self, setup: int) -> int | None:
        """The row of a setup; None if it is not in the grid."""
        found = np.argwhere(self.cells == setup)
        return int(found[0][0]) if len(found) else None


def grid_of(setups: Sequence[Mapping[str, str]], levels: Mapping[str, Sequence[str]]) -> Grid | None:
    """The grid that the setups form; None where they form none.

    `levels` are the slots that may be a level, the first choice first, each with its levels in rising order. A grid has
    two rows at least that two levels have in common, or nothing would tell what a part is worth at each level.

    Shapes: setups (n,) of slot to part or value.
    Units:  none.
    Errors: none; two setups in one cell are no grid.
    Source: a crossed design (any textbook on the design of experiments).
    >>> setups = [{"cam": cam, "boost": boost} for cam in ("mild", "wild") for boost in ("0.5 bar", "0.8 bar")]
    >>> found = grid_of(setups[:3], {"boost": ["0.5 bar", "0.8 bar"]})
    >>> found is None, grid_of(setups, {"boost": ["0.5 bar", "0.8 bar"]}).cells.tolist()
    (True, [[0, 1], [2, 3]])
    """
    slots = list(dict.fromkeys(slot for setup in setups for slot in setup))
    varies = [slot for slot in slots if len({setup.get(slot, NOTHING) for setup in setups}) > 1]
    for level_slot, known in levels.items():
        part_slots = tuple(slot for slot in varies if slot != level_slot)
        if level_slot not in varies or not part_slots:
            continue
        found = _crossed(setups, level_slot, part_slots, known)
        if found is not None and _has_block(found.cells != EMPTY):
            return found
    return None


def _crossed(
    setups: Sequence[Mapping[str, str]], level_slot: str, part_slots: tuple[str, ...], known: Sequence[str]
) -> Grid | None:
    rows = [tuple(setup.get(slot, NOTHING) for slot in part_slots) for setup in setups]
    columns = [setup.get(level_slot, NOTHING) for setup in setups]
    parts = tuple(dict.fromkeys(rows))
    levels = tuple(level for level in dict.fromkeys([*known, *columns]) if level in columns)
    cells = np.full((len(parts), len(levels)), EMPTY)
    for place, (row, column) in enumerate(zip(rows, columns, strict=True)):
        at = parts.index(row), levels.index(column)
        if cells[at] != EMPTY:
            return None
        cells[at] = place
    return Grid(level_slot, part_slots, parts, levels, cells)


def _has_block(filled: NDArray[np.bool_]) -> bool:
    """Whether two rows have two columns in common."""
    return any((filled[one] & filled[other]).sum() > 1 for one, other in combinations(range(len(filled)), 2))


@dataclass(frozen=True)
class PartEffect:
    """One row of a grid against another: at each level, and over the levels that both have.

    `at_levels` holds level and difference; change, low and high are shares of the mean over them; `interacts` says that
    the gain depends on the level beyond doubt, so that the mean means little.
    """

    one: int
    other: int
    at_levels: tuple[tuple[int, Difference], ...]
    change: float
    low: float
    high: float
    interacts: bool


def part_effects(effects: Effects, grid: Grid) -> tuple[PartEffect, ...]:
    """What each part is worth against each other one, at equal level.

    Shapes: effects of (setups,), one score; the grid holds indices of its setups.
    Units:  shares.
    Errors: none; pairs with no level in common, or on days that nothing links, are not there.
    Source: least squares over the setups on the log scale. The means hold for all pairs together (Bonferroni).
    >>> from torvix_core.judging.design_matrix import Layout
    >>> from torvix_core.judging.effects import fit
    >>> grid = grid_of([{"c": c, "b": b} for c in "mw" for b in "12"], {"b": ["1", "2"]})
    >>> scores = np.tile([100.0, 150, 104, 156], 2) * np.repeat([1.0, 1.001], 4)
    >>> found, = part_effects(fit(scores, Layout.of(np.tile(range(4), 2))), grid)
    >>> round(found.change, 3), found.interacts
    (0.04, False)
    """
    pairs = [pair for pair in combinations(range(len(grid.parts)), 2) if len(_shared(effects, grid, *pair))]
    return tuple(_effect(effects, grid, one, other, len(pairs)) for one, other in pairs)


def _effect(effects: Effects, grid: Grid, one: int, other: int, pairs: int) -> PartEffect:
    shared = _shared(effects, grid, one, other)
    rows = np.zeros((len(shared), len(effects.log_mean)))
    for place, level in enumerate(shared):
        rows[place, grid.cells[other, level]], rows[place, grid.cells[one, level]] = 1.0, -1.0
    change, low, high = (float(np.expm1(each)) for each in effects.contrast(rows.mean(axis=0), pairs))
    at_levels = tuple(
        (level, effects.difference(int(grid.cells[other, level]), int(grid.cells[one, level]))) for level in shared
    )
    return PartEffect(one, other, at_levels, change, low, high, _interacts(effects, rows))


def _shared(effects: Effects, grid: Grid, one: int, other: int) -> list[int]:
    """Levels that both rows were run at, and can be compared at."""
    return [
        level
        for level, (first, second) in enumerate(grid.cells[[one, other]].T.tolist())
        if EMPTY not in (first, second) and effects.linked(first, second)
    ]


def _interacts(effects: Effects, rows: Array) -> bool:
    """Whether the gains at any two levels differ beyond doubt."""
    pairs = list(combinations(range(len(rows)), 2))
    for one, other in pairs:
        _, low, high = effects.contrast(rows[other] - rows[one], len(pairs))
        if low > 0 or high < 0:
            return True
    return False
