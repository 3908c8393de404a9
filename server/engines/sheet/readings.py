"""Readings of a build or of a part: one value for each origin, written down, taken out, or chosen over the others."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import TYPE_CHECKING, Any

from torvix_core.engine.evidence import Origin

from engines.sheet.entries import DimensionValue
from shop.models import Person
from shop.refusals import Invalid
from shop.texts import optional

if TYPE_CHECKING:
    from django.db.models.fields.related_descriptors import RelatedManager

    from engines.models import BuildReading, PartReading

    Readings = RelatedManager[BuildReading] | RelatedManager[PartReading]


@dataclass(frozen=True)
class ReadingChange:
    """One line of a sheet as a person changes it; an empty text takes out what that origin told."""

    text: str
    origin: Origin = Origin.MEASURED
    how: str = ""


def fields(key: str, entry: DimensionValue, origin: Origin, how: str, person: Person, at: datetime) -> dict[str, Any]:
    """What a row keeps of one value."""
    return {
        "dimension": key, "origin": origin, "value": entry.value, "words": entry.words, "typed": entry.typed,
        "unit": entry.unit, "how": optional(how, "how", 200), "written_at": at, "written_by": person,
    }  # fmt: skip


def write_all(
    readings: Readings, entries: Mapping[str, DimensionValue], origin: Origin, person: Person, at: datetime
) -> None:
    """The first values of something new, all of one origin."""
    for key, entry in entries.items():
        readings.create(**fields(key, entry, origin, "", person, at))


def write(
    readings: Readings, key: str, entry: DimensionValue | None, change: ReadingChange, person: Person, at: datetime
) -> None:
    """Put one value in the place of what that origin told before, or take that out. A choice stays with its origin."""
    existing = readings.filter(dimension=key, origin=change.origin)
    chosen = existing.filter(chosen=True).exists()
    existing.delete()
    if entry is not None:
        readings.create(**fields(key, entry, change.origin, change.how, person, at), chosen=chosen)


def choose(readings: Readings, key: str, origin: Origin) -> None:
    """Use this value although another contradicts it."""
    of_line = readings.filter(dimension=key)
    if not of_line.filter(origin=origin).exists():
        raise Invalid("There is no such value to choose.", fields={"origin": "nothing is written down under it"})
    of_line.update(chosen=False)
    of_line.filter(origin=origin).update(chosen=True)
