"""Which records of the library may be one part, and what is done about it.

Nothing is deleted: a merged part stays behind its link, and setups keep the part that they name.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

from django.db import connection, transaction
from torvix_core.engine.dimensions import Dimension, Slot, part_dimensions

from engines.models import Alias, DistinctParts, Part
from engines.parts.service import readable_parts
from engines.sheet import sheets
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Refusal

ALIKE = 0.7  # trigram similarity of two names from which they may be one name spelled twice [prac]
AGREE = 0.02  # share by which two readings of one dimension of one part may differ [prac]

# Called the same, or in one slot almost the same with the same numbers in the name: Cam 228 is not Cam 242.
PAIRS = """
WITH listed AS (
    SELECT id, slot, lower(name) AS name, btrim(regexp_replace(name, '[^0-9]+', ' ', 'g')) AS numbers,
        parent_id, same_as_id
    FROM engines_part WHERE archived_at IS NULL
), called AS (
    SELECT id, name FROM listed
    UNION SELECT part_id, lower(alias.name) FROM engines_alias alias JOIN listed ON listed.id = alias.part_id
), pairs AS (
    SELECT one.id AS one, other.id AS other, min(one.name) AS shared
    FROM called one JOIN called other ON other.name = one.name AND other.id > one.id GROUP BY 1, 2
    UNION ALL
    SELECT one.id, other.id, '' FROM listed one JOIN listed other
    ON other.slot = one.slot AND other.numbers = one.numbers AND other.id > one.id
    WHERE similarity(one.name, other.name) >= %(alike)s
)
SELECT one, other, max(shared) FROM pairs
JOIN listed a ON a.id = one JOIN listed b ON b.id = other
WHERE a.same_as_id IS DISTINCT FROM other AND b.same_as_id IS DISTINCT FROM one
    AND a.parent_id IS DISTINCT FROM other AND b.parent_id IS DISTINCT FROM one
    AND NOT EXISTS (SELECT 1 FROM engines_distinctparts d WHERE d.one_id = one AND d.other_id = other)
GROUP BY one, other ORDER BY one, other
"""


@dataclass(frozen=True)
class Lookalike:
    """Two parts that may be one: the name that both go by, if any, and dimensions in which they agree and differ."""

    one: Part
    other: Part
    shared_name: str
    agree: tuple[Dimension, ...]
    differ: tuple[Dimension, ...]


def lookalikes(person: Person) -> list[Lookalike]:
    """Pairs of listed parts that are called the same, and those spelled alike that no written dimension tells apart.

    Two parts of one name are pointed out also where they differ: then the name is what is wrong.
    """
    with connection.cursor() as cursor:
        cursor.execute(PAIRS, {"alike": ALIKE})
        pairs: list[tuple[int, int, str]] = cursor.fetchall()
    parts = readable_parts(person).in_bulk({pk for one, other, _ in pairs for pk in (one, other)})
    found = [
        _held_against(parts[one], parts[other], shared)
        for one, other, shared in pairs
        if one in parts and other in parts
    ]
    return [one for one in found if one.shared_name or not one.differ]


def _held_against(one: Part, other: Part, shared: str) -> Lookalike:
    known = [sheets.values(part.readings.all()) for part in (one, other)]
    lines = part_dimensions(Slot(one.slot))
    both = [line for key, line in lines.items() if key in known[0] and key in known[1]]
    agree = tuple(line for line in both if _same(known[0][line.key], known[1][line.key]))
    spelled = next((alias.name for alias in one.aliases.all() if alias.name.lower() == shared), shared)
    shown = one.name if one.name.lower() == shared else spelled
    return Lookalike(one, other, shown, agree, tuple(line for line in both if line not in agree))


def _same(one: float | str, other: float | str) -> bool:
    if isinstance(one, str) or isinstance(other, str):
        return str(one).casefold() == str(other).casefold()
    return abs(one - other) <= AGREE * max(abs(one), abs(other))


@transaction.atomic
def merge(person: Person, kept: Part, merged: Part, at: datetime) -> Part:
    """One record for both: it takes the names of the other and what it does not know itself; the other is archived
    behind its link, with all that was pulled with it."""
    require_operator(person)
    _require_a_pair(kept, merged)
    _require_one_slot(kept, merged)
    if merged.same_as_id not in (None, kept.pk) or kept.same_as_id not in (None, merged.pk):
        raise Refusal("One of them is linked to a third part already. Undo that first.", code="linked_already")
    names = [merged.name, *(alias.name for alias in merged.aliases.all())]
    there = {kept.name.lower(), *(alias.name.lower() for alias in kept.aliases.all())}
    Alias.objects.bulk_create(Alias(part=kept, name=name) for name in names if name.lower() not in there)
    known = {reading.dimension for reading in kept.readings.all()}
    for reading in merged.readings.all():
        if reading.dimension not in known:
            reading.pk, reading.part = None, kept
            reading.save()
    kept.same_as, merged.same_as, merged.archived_at = None, kept, at
    kept.save(update_fields=["same_as"])
    merged.save(update_fields=["same_as", "archived_at"])
    return kept


@transaction.atomic
def link(person: Person, one: Part, other: Part) -> None:
    """Both records stay, and say of each other that they are the same."""
    require_operator(person)
    _require_a_pair(one, other)
    _require_one_slot(one, other)
    other.same_as = one
    other.save(update_fields=["same_as"])


@transaction.atomic
def distinguish(person: Person, one: Part, other: Part, at: datetime) -> None:
    """They are two parts, and are not pointed out again."""
    require_operator(person)
    _require_a_pair(one, other)
    first, second = sorted((one, other), key=lambda part: part.pk)
    DistinctParts.objects.get_or_create(one=first, other=second, defaults={"by": person, "at": at})


def _require_a_pair(one: Part, other: Part) -> None:
    if one.pk == other.pk:
        raise Refusal("A part is the same as itself already.", code="one_part")


def _require_one_slot(one: Part, other: Part) -> None:
    if one.slot != other.slot:
        raise Refusal("They go in different slots, so they are two parts. Remove the name from one.", code="two_slots")


def labels(lines: Iterable[Dimension]) -> list[str]:
    return [line.label for line in lines]
