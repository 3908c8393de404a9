"""Plans whose setups cross a part with a level: boost, a pulley, spark or a spacer."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from torvix_core.engine.dimensions import Slot
from torvix_core.regimes.grid import Grid, grid_of

from engines.parts.service import stack_part
from programmes.plan.plans import SETTING, Plan, PlannedSetup

BOOST_TARGET, SPARK = f"{SETTING}boost_target", f"{SETTING}spark_advance"
# What may be a level, the first choice first
LEVEL_ROWS = (BOOST_TARGET, Slot.BOOST_CONTROL, Slot.PULLEY, SPARK, Slot.SPACER)


@dataclass(frozen=True)
class PlanGrid:
    """A grid whose cells are places among `setups`; level_values in SI, None where nobody wrote one down.

    A level of a pulley is its drive ratio, of a spacer its height.
    """

    grid: Grid
    setups: Sequence[PlannedSetup]
    level_values: tuple[float | None, ...]

    @property
    def is_boost(self) -> bool:
        """The level is the boost that was asked for."""
        return self.grid.level_slot in (BOOST_TARGET, Slot.BOOST_CONTROL)

    def part_name(self, part: int) -> str:
        """A row as people call it: the parts or values that make it."""
        return " with ".join(name for name in self.grid.parts[part] if name) or "nothing"

    def missing(self, part: int, level: int) -> dict[str, str]:
        """What the setup of an empty cell has in each row of the plan that the grid is about."""
        grid = self.grid
        return {**dict(zip(grid.part_slots, grid.parts[part], strict=True)), grid.level_slot: grid.levels[level]}


def plan_grid(plan: Plan) -> PlanGrid | None:
    """The grid of the setups that are in the plan; None where they form none."""
    setups = [plan.setups[place] for place in plan.active]
    factors = [plan.factors(setup) for setup in setups]
    known: dict[str, dict[str, float | None]] = {row: {} for row in LEVEL_ROWS}
    for setup, levels in zip(setups, factors, strict=True):
        for row in LEVEL_ROWS:
            if row in levels:
                known[row].setdefault(levels[row], _value(setup, row))
    rising = {row: sorted(values, key=lambda one, of=values: _order(of[one])) for row, values in known.items()}  # type: ignore[misc]
    found = grid_of(factors, rising)
    if found is None:
        return None
    values = known[found.level_slot]
    return PlanGrid(found, setups, tuple(values.get(level) for level in found.levels))


def _order(value: float | None) -> tuple[bool, float]:
    """Levels that nobody wrote down come last."""
    return value is None, value or 0.0


def _value(setup: PlannedSetup, row: str) -> float | None:
    if row.startswith(SETTING):
        return setup.settings[row].value if row in setup.settings else None
    stack = [stack_part(part) for part in setup.parts if part.slot == row]
    match row:
        case Slot.BOOST_CONTROL:
            found = [part.number("boost_target") for part in stack]
        case Slot.PULLEY:
            found = [_drive(part.number("crank_pulley"), part.number("blower_pulley")) for part in stack]
        case _:
            found = [part.number("height") for part in stack]
    numbers = [one for one in found if one is not None]
    return numbers[0] if len(numbers) == 1 else None


def _drive(crank: float | None, blower: float | None) -> float | None:
    return crank / blower if crank and blower else None
