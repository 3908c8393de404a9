"""What a stamped number means in size: the tables that the shop keeps, one for each kind of tune item."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from itertools import pairwise

from django.db import transaction
from torvix_core.engine.settings import TUNE_KINDS, tune_item
from torvix_core.units import quantities
from torvix_core.units.quantity_parser import NotUnderstood, read_number, read_quantity, split

from programmes.models import TuneSize
from programmes.plan.plans import SETTING
from shop.models import Person
from shop.permissions import require_operator, units_of
from shop.refusals import Invalid

MOST_ROWS = 400
DIAMETER_M, AREA_M2 = (1e-4, 0.02), (1e-8, 3e-4)
FEWER_DIGITS = 1  # fewer than in the table, of a millimeter: as a gauge pin says it
WITHOUT_SIZE = ("power_valve", "rod_hanger")  # a vacuum and a height, not an opening


def kinds() -> dict[str, str]:
    """The kinds that have sizes, with their labels."""
    return {key: kind.label for key, kind in TUNE_KINDS.items() if key not in WITHOUT_SIZE}


def areas(kind: str) -> dict[float, float]:
    """m² by the number stamped; {} where the shop keeps no table."""
    return dict(TuneSize.objects.filter(kind=kind).values_list("number", "area"))


def remark(key: str, number: float | None) -> str:
    """What to know of a number that the shop's table of its kind lacks; "" where it has it, or keeps no table."""
    kind, _ = tune_item(key.removeprefix(SETTING))
    table = areas(kind) if kind else {}
    if number is None or not table or number in table:
        return ""
    label = TUNE_KINDS[kind].label.lower()
    return (
        f"{number:g} is written down, but the shop's table of the {label} has {min(table):g} to {max(table):g} without "
        "it: nothing is advised from a size that is not known."
    )


@dataclass(frozen=True)
class SizeTables:
    """The shop's tables, m² by kind and number, and the unit in which a person reads a diameter."""

    areas: Mapping[str, Mapping[float, float]]
    unit: str

    def size_of(self, kind: str, text: str) -> str:
        """The diameter of what a number stands for, such as “1.83 mm”; "" where the shop has no size for it."""
        try:
            area = self.areas.get(kind, {}).get(float(text.replace(",", ".")))
        except ValueError:  # a file of somebody else's may have words here
            return ""
        return "" if area is None else _diameter_text(area, self.unit, FEWER_DIGITS)


def tables(units: Mapping[str, str]) -> SizeTables:
    """Every table of the shop, in one query."""
    found: dict[str, dict[float, float]] = {}
    for kind, number, area in TuneSize.objects.values_list("kind", "number", "area"):
        found.setdefault(kind, {})[number] = area
    return SizeTables(found, units["length"])


def write(person: Person, kind: str, text: str) -> None:
    """A whole table, a row each: the number, then a diameter or an area. It takes the place of the one before.

    Invalid names the line. An empty text takes the table away.
    """
    require_operator(person)
    if kind not in kinds():
        raise Invalid("There is no such kind.", fields={"kind": f"one of {', '.join(kinds().values())}"})
    lines = [(number, line) for number, line in enumerate(text.splitlines(), start=1) if line.strip()]
    if len(lines) > MOST_ROWS:
        raise Invalid("The table is too long.", fields={"text": f"at most {MOST_ROWS} rows"})
    found: dict[float, float] = {}
    for at, line in lines:
        words = line.replace(";", " ").replace("\t", " ").split(maxsplit=1)
        try:
            number = read_number(words[0], TUNE_KINDS[kind].low, TUNE_KINDS[kind].high)
            if len(words) < 2:
                raise NotUnderstood("Write the size behind the number, such as “72 1.83 mm”.")
            area = _area(words[1], units_of(person)["length"])
        except NotUnderstood as reason:
            raise Invalid("A row cannot be read.", fields={"text": f"line {at}: {reason}"}) from reason
        if number in found:
            raise Invalid("A number stands twice.", fields={"text": f"line {at}: {number:g} has a size already"})
        found[number] = area
    rising = [found[number] for number in sorted(found)]
    if any(one >= other for one, other in pairwise(rising)):
        raise Invalid("The sizes do not rise.", fields={"text": "a larger number has a larger size; look for a slip"})
    with transaction.atomic():
        TuneSize.objects.filter(kind=kind).delete()
        TuneSize.objects.bulk_create(
            TuneSize(kind=kind, number=number, area=area) for number, area in sorted(found.items())
        )


def _area(text: str, unit: str) -> float:
    """m² of a diameter, or of an area where the text has a unit of area."""
    _, named = split(text)
    try:
        is_area = bool(named) and quantities.measures(named) == "area"
    except ValueError:
        is_area = False  # the length below says which units there are
    if is_area:
        return read_quantity(text, "area", "mm²", *AREA_M2).value
    return math.pi / 4 * read_quantity(text, "length", unit, *DIAMETER_M).value ** 2


def text_of(kind: str, unit: str) -> str:
    """The table as it would be typed, in diameters."""
    return "\n".join(f"{number:g} {_diameter_text(area, unit)}" for number, area in sorted(areas(kind).items()))


def _diameter_text(area: float, unit: str, fewer: int = 0) -> str:
    shown, digits = (unit, 4) if unit == "in" else ("mm", 3 - fewer)
    return f"{2 * math.sqrt(area / math.pi) / quantities.to_si_rule(shown).scale:.{digits}f} {shown}"
