"""What speaks for a setup beside its power: what it must keep, cost, height, mass, looks. It never changes a number."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from django.db.models import prefetch_related_objects
from torvix_core.engine.dimensions import part_dimensions
from torvix_core.engine.stack import StackPart, total
from torvix_core.units import quantities
from torvix_core.units.grammar import listed, plural

from engines.parts.service import stack_of
from programmes.models import Programme, Setup
from programmes.plan import criteria
from programmes.plan.criteria import SetupCost
from programmes.plan.plans import Plan
from shop.models import Person
from shop.money import currency, money
from shop.permissions import units_of
from stand.idle_cards import service as idle_cards
from stand.models import Note, NoteKind

NOTICED = (NoteKind.HEARD, NoteKind.SEEN, NoteKind.SMELT, NoteKind.FELT, NoteKind.FAILED_START, NoteKind.OTHER)
SAME_HEIGHT = 0.0005  # m, half of the millimetre that is shown
SAME_MASS = 0.05  # kg


@dataclass(frozen=True)
class SetupCriteria:
    """One setup: what it fails to keep, what its new parts cost; height in m, mass in kg."""

    fails: Sequence[str]
    cost: SetupCost
    height: float | None
    mass: float | None
    looks_stock: bool | None  # None where nobody looked


def of_setups(plan: Plan, programme: Programme, person: Person) -> dict[int, SetupCriteria]:
    """By setup's key, as far as this person may see it."""
    prefetch_related_objects([programme.build], "readings")
    fails = criteria.failing(plan, programme.build, person)
    found = {}
    for place, planned in enumerate(plan.setups):
        if planned.pk is None:
            continue
        stack = stack_of(list(planned.parts))
        found[planned.pk] = SetupCriteria(
            fails.get(place, ()), criteria.cost(plan, planned, person), _height(stack), total(stack, "mass"),
            _looks(stack),
        )  # fmt: skip
    return found


def out_of_the_choice(setups: Sequence[Setup], beside: Mapping[int, SetupCriteria]) -> frozenset[int]:
    """Places of the setups that do not keep what they must: the same for every reader."""
    return frozenset(place for place, setup in enumerate(setups) if setup.pk in beside and beside[setup.pk].fails)


def manners(programme: Programme, person: Person) -> dict[int, list[str]]:
    """What was noted of each setup: how it idles, starts, sounds and runs decides where power does not."""
    rows = Note.objects.filter(
        session__programme=programme, pull__isnull=False, kind__in=NOTICED, archived_at=None
    ).exclude(text="")
    found = {pk: [text] for pk, text in idle_cards.of_setups(programme, units_of(person)).items()}
    for note in rows.select_related("pull").order_by("at"):
        assert note.pull is not None
        found.setdefault(note.pull.setup_id, []).append(f"{note.get_kind_display()}: {note.text}")
    return found


def _height(stack: Sequence[StackPart]) -> float | None:
    return total([part for part in stack if "height" in part_dimensions(part.slot)], "height")


def _looks(stack: Sequence[StackPart]) -> bool | None:
    told = {part.words("looks_stock") for part in stack} - {""}
    return None if not told else "no" not in told


def tie_break(equal: Sequence[Setup], beside: Mapping[int, SetupCriteria], person: Person) -> list[str]:
    """What may decide between setups that are equal in power; the cheapest first, as nothing is gained by more."""
    if len(equal) < 2:
        return []
    advice = []
    letters = {setup.pk: setup.letter for setup in equal}
    costs = {setup.pk: beside[setup.pk].cost for setup in equal if setup.pk in beside}
    priced = {pk: cost.known for pk, cost in costs.items() if cost.known is not None}
    if len(priced) == len(equal):
        lowest = min(priced.values())
        cheapest = [letters[pk] for pk, cost in priced.items() if cost == lowest]
        if len(cheapest) < len(equal):
            advice.append(f"Choose {listed(cheapest)} on cost{_dearer(letters, costs, lowest)}.")
    elif priced:
        unknown = [letters[pk] for pk in letters if pk not in priced]
        advice.append(f"The cost of {listed(unknown)} is not known: write the price into the part to compare cost.")
    unit = units_of(person)["length"]
    advice += _least({letters[setup.pk]: beside[setup.pk].height for setup in equal if setup.pk in beside},
                     SAME_HEIGHT, "lowest", unit)  # fmt: skip
    advice += _least({letters[setup.pk]: beside[setup.pk].mass for setup in equal if setup.pk in beside},
                     SAME_MASS, "lightest", units_of(person)["mass"])  # fmt: skip
    odd = [letters[setup.pk] for setup in equal if setup.pk in beside and beside[setup.pk].looks_stock is False]
    if odd and len(odd) < len(equal):
        advice.append(f"{listed(odd)} {plural('does', len(odd))} not look stock.")
    return advice


def _dearer(letters: Mapping[int, str], costs: Mapping[int, SetupCost], lowest: float) -> str:
    """By how much the others cost more; nothing where this reader may not see a price."""
    if any(cost.hidden for cost in costs.values()):
        return ""
    of_shop = currency()
    more = [f"setup {letters[pk]} costs {money(cost.known - lowest, of_shop)} more"
            for pk, cost in costs.items() if cost.known is not None and cost.known > lowest]  # fmt: skip
    return f": {listed(more)}"


def price_beside(best: Setup, other: Setup, beside: Mapping[int, SetupCriteria]) -> str:
    """What the setup that is probably better costs against the other; empty where that is not known."""
    one, two = (beside[setup.pk].cost.shown if setup.pk in beside else None for setup in (best, other))
    if one is None or two is None or one == two:
        return ""
    amount = money(abs(one - two), currency())
    return f"{best.letter} costs {amount} {'more' if one > two else 'less'} than {other.letter}."


def _least(values: Mapping[str, float | None], same: float, word: str, unit: str) -> list[str]:
    known = {letter: value for letter, value in values.items() if value is not None}
    if len(known) < len(values) or len(known) < 2 or max(known.values()) - min(known.values()) < same:
        return []
    least = min(known.values())
    first = [letter for letter, value in known.items() if value - least < same]
    most = max(known.values()) - least
    by = float(quantities.difference_from_si(most, unit))
    digits = 2 if unit == "in" else 1 if unit in ("kg", "lb") else 0
    return [f"{listed(first)} {plural('is', len(first))} the {word}, by up to {by:.{digits}f} {unit}."]
