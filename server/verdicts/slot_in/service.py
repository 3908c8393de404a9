"""A part of the library between those that were tested: which stand beside it, where it lies, and what it would be."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from torvix_core.beyond import deciding
from torvix_core.beyond.deciding import SecondCause
from torvix_core.beyond.slot_in import SlottedIn, fewest_parts, slot_in
from torvix_core.engine.dimensions import Dimension, Measure, Slot
from torvix_core.judging.effects import Effects
from torvix_core.units.checked import Array

from engines.models import Part
from engines.sheet import sheets
from programmes.models import Setup
from shop.models import Person
from verdicts.comparison.aligned_pulls import Comparison
from verdicts.estimates.gains import change_of
from verdicts.judging.choice import Choice

OWN = "own"  # a variable of the shop's own, its values typed beside the parts


@dataclass(frozen=True)
class Asked:
    """What a reader wants slotted in; empty is left to the test. `values` by setup, of a variable of their own."""

    slot: Slot | None = None
    family_id: int | None = None  # a setup of it
    part_id: int | None = None
    variable: str = ""
    reference_id: int | None = None
    without: frozenset[int] = frozenset()
    own_name: str = ""
    values: Mapping[int, float] = field(default_factory=dict)
    value: float | None = None


@dataclass(frozen=True)
class TestedPart:
    """A part that was run, in a setup that differs from the others of its family in that part alone."""

    setup: Setup
    part: Part
    place: float | None  # of the deciding variable
    used: bool


@dataclass(frozen=True)
class Between:
    """`refused` says at which field why nothing is drawn; `found` is None then, and below the fewest tested parts."""

    slot: Slot
    slots: Sequence[Slot]
    families: Sequence[Sequence[Setup]]
    tested: Sequence[TestedPart]
    candidates: Sequence[Part]
    part: Part | None
    at: float | None
    variable: Dimension
    variables: Sequence[Dimension]
    reference: Setup | None
    causes: Sequence[SecondCause]
    refused: Mapping[str, str]
    found: SlottedIn | None

    @property
    def used(self) -> list[TestedPart]:
        """Those the curve is drawn from, by their place."""
        return sorted((one for one in self.tested if one.used), key=lambda one: one.place or 0.0)


def families_of(comparison: Comparison) -> dict[Slot, list[list[Setup]]]:
    """Setups that ran and differ in one slot alone, by slot: the family of most parts first, then the baseline's."""
    found: dict[Slot, list[list[Setup]]] = {}
    ran = list(comparison.setups)
    for slot in deciding.DECIDING:
        families: list[list[Setup]] = []
        for setup in ran:
            if part_in(setup, slot) is None:
                continue
            family = next((each for each in families if {row for row, _ in change_of(each[0], setup)} <= {slot}), None)
            if family is None:
                families.append([setup])
            else:
                family.append(setup)
        several = [family for family in families if len({part_in(one, slot) for one in family}) > 1]
        if several:
            found[slot] = sorted(
                several, key=lambda each: (-len(each), not any(setup.is_baseline for setup in each))
            )  # fmt: skip
    return found


def part_in(setup: Setup, slot: Slot) -> Part | None:
    """The one part that a setup has in a slot; None for none, or several."""
    inside = [part for part in setup.parts.all() if part.slot == slot]
    return inside[0] if len(inside) == 1 else None


def place_between(person: Person, comparison: Comparison, choice: Choice, asked: Asked) -> Between | None:
    """None where no two setups differ in one slot alone. Needs setups with their parts, readings and settings."""
    by_slot = families_of(comparison)
    if not by_slot:
        return None
    slot = asked.slot if asked.slot in by_slot else max(by_slot, key=lambda one: len(by_slot[one][0]))
    family = next((each for each in by_slot[slot] if asked.family_id in {one.pk for one in each}), by_slot[slot][0])
    known = deciding.variables(slot)
    own = Dimension(OWN, asked.own_name.strip() or "Variable of your own", Measure.NUMBER)
    variable = own if asked.variable == OWN else _variable(family, slot, asked.variable)
    candidates = _candidates(person, slot, family)
    part = next((one for one in candidates if one.pk == asked.part_id), None)
    tested = _tested(family, slot, variable, asked)
    used = [one for one in tested if one.used]
    at = asked.value if variable is own else _place(part, variable)
    if part is None and asked.part_id is None:
        part = _first_between(slot, variable, used, candidates)
        at = asked.value if variable is own else _place(part, variable)
    reference = next((one.setup for one in used if one.setup.pk == asked.reference_id), None)
    reference = reference or next((one.setup for one in used if one.setup.is_baseline), None)
    reference = reference or (used[0].setup if used else None)
    causes = [] if part is None or at is None else _causes(slot, variable, used, at, part)
    effects = comparison.curves(choice.school)
    refused = _refused(tested, part, at, variable, effects, comparison)
    enough = len({one.place for one in used}) >= fewest_parts(variable.key)
    found = None
    if part is not None and at is not None and effects is not None and enough and not refused and not causes:
        found = _curve(comparison, effects, sorted(used, key=lambda one: one.place or 0.0), at)
    return Between(
        slot,
        list(by_slot),
        by_slot[slot],
        tested,
        candidates,
        part,
        at,
        variable,
        [*known, own],
        reference,
        causes,
        refused,
        found,
    )


def _candidates(person: Person, slot: Slot, family: Sequence[Setup]) -> list[Part]:
    """Parts of the library of this kind that were not run in it."""
    ran = {part.pk for setup in family for part in setup.parts.all()}
    seen = Part.objects.visible_to(person).filter(slot=slot, archived_at=None).exclude(pk__in=ran)
    return list(seen.prefetch_related("readings").order_by("name"))


def _variable(family: Sequence[Setup], slot: Slot, asked: str) -> Dimension:
    """As asked, else the first in which the parts are known to differ."""
    known = deciding.variables(slot)
    parts = [part_in(setup, slot) for setup in family]
    differ = (one for one in known if len({_place(part, one) for part in parts} - {None}) > 1)
    return next((one for one in known if one.key == asked), None) or next(differ, known[0])


def _place(part: Part | None, variable: Dimension) -> float | None:
    value = None if part is None else sheets.values(part.readings.all()).get(variable.key)
    return None if value is None or isinstance(value, str) else float(value)


def _tested(family: Sequence[Setup], slot: Slot, variable: Dimension, asked: Asked) -> list[TestedPart]:
    found = []
    for setup in family:
        part = part_in(setup, slot)
        assert part is not None
        place = asked.values.get(setup.pk) if variable.key == OWN else _place(part, variable)
        found.append(TestedPart(setup, part, place, place is not None and setup.pk not in asked.without))
    return found


def _inside(used: Sequence[TestedPart], at: float | None) -> bool:
    places = [one.place for one in used if one.place is not None]
    return at is not None and bool(places) and min(places) <= at <= max(places)


def _first_between(
    slot: Slot, variable: Dimension, used: Sequence[TestedPart], candidates: Sequence[Part]
) -> Part | None:
    """So that something stands there: one that lies between, without a second cause if there is such a one."""
    places = [(one, place) for one in candidates if (place := _place(one, variable)) is not None]
    inside = [(one, place) for one, place in places if _inside(used, place)]
    plain = (one for one, place in inside if not _causes(slot, variable, used, place, one))
    return next(plain, inside[0][0] if inside else None)


def _causes(slot: Slot, variable: Dimension, used: Sequence[TestedPart], at: float, part: Part) -> list[SecondCause]:
    written = [sheets.values(one.part.readings.all()) for one in used]
    places = [one.place or 0.0 for one in used]
    return deciding.second_causes(slot, variable.key, places, written, at, sheets.values(part.readings.all()))


def _refused(
    tested: Sequence[TestedPart], part: Part | None, at: float | None, variable: Dimension, effects: Effects | None,
    comparison: Comparison,
) -> dict[str, str]:  # fmt: skip
    """Why nothing can be drawn, by field; too few tested parts and second causes stand beside the parts."""
    label = variable.label.lower()
    used = [one for one in tested if one.used]
    if effects is None:
        return {"slot": "how much a pull scatters is not known by speed: repeat one of these setups"}
    if len(used) < 2:
        known = "use two of them at least" if variable.key != OWN else f"type the {label} of two of them at least"
        return {"without": known}
    places = {setup.pk: place for place, setup in enumerate(comparison.setups)}
    if any(not effects.linked(places[one.setup.pk], places[used[0].setup.pk]) for one in used):
        return {"without": "these were run on days that nothing links: take one of them out, or run a setup on both"}
    if part is None:
        return {"part": "choose a part that was not run"}
    if at is None:
        where = "type it" if variable.key == OWN else "write it on its sheet under Parts"
        return {"value" if variable.key == OWN else "part": f"its {label} is not known: {where}"}
    if not _inside(used, at):
        return {"part": f"its {label} lies outside what was tested: nothing is drawn there"}
    return {}


def _curve(comparison: Comparison, effects: Effects, used: Sequence[TestedPart], at: float) -> SlottedIn:
    places = {setup.pk: place for place, setup in enumerate(comparison.setups)}
    rows = np.array([places[one.setup.pk] for one in used])
    position = np.array([one.place for one in used], dtype=np.float64)
    return slot_in(position, at, effects.log_mean[rows], _unknown(effects, rows), comparison.speed_rpm)


def _unknown(effects: Effects, rows: np.typing.NDArray[np.int_]) -> Array:
    """What the pulls do not settle of the setups' worth, (bins, setups, setups): the spread of the whole mixture."""
    known = effects.known
    among = np.ix_(rows, rows)
    found = []
    for at in range(known.mean.shape[2]):
        weight, apart = known.weight[:, at], known.mean[:, rows, at] - effects.log_mean[rows, at]
        inside = np.einsum("c,cij->ij", weight, known.covariance(at)[:, among[0], among[1]])
        found.append(inside + np.einsum("c,ci,cj->ij", weight, apart, apart))
    return np.array(found)
