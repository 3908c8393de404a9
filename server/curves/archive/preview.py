"""What a programme in a file would bring into this shop, before it is read in: what is new, what is here already."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from engines.models import Engine, Part

DIGITS = 9  # to which two values of a part have to agree


@dataclass(frozen=True)
class PreviewedPart:
    """`same_as` is the part of this shop that has the name, the slot and every value; `here` one of the name alone."""

    name: str
    here: bool
    same_as: int | None


@dataclass(frozen=True)
class ImportPreview:
    question: str
    engine: str
    engine_here: bool  # one of this name; the file's gets another name
    setups: int
    pulls: int
    parts: tuple[PreviewedPart, ...]


def look(tables: Mapping[str, Any]) -> ImportPreview:
    """By the tables of a record (curves/archive/read_zip.py). What is broken in them is found when it is read."""
    same = same_parts(tables)
    engine = str(next((row.get("name", "") for row in _rows(tables, "engines")), ""))
    names = set(Part.objects.values_list("name", flat=True))
    return ImportPreview(
        question=str(next((row.get("question", "") for row in _rows(tables, "programmes")), "")),
        engine=engine,
        engine_here=Engine.objects.filter(name=engine).exists(),
        setups=sum(1 for _ in _rows(tables, "setups")),
        pulls=sum(1 for _ in _rows(tables, "pulls")),
        parts=tuple(
            PreviewedPart(str(row.get("name", "")), row.get("name") in names, same.get(row.get("id")))
            for row in _rows(tables, "parts")
        ),
    )


def same_parts(tables: Mapping[str, Any]) -> dict[Any, int]:
    """Parts of the file that this shop has, by the key in the file: same name, slot, values and origins."""
    theirs: dict[Any, set[tuple[object, ...]]] = {}
    for row in _rows(tables, "part_readings"):
        theirs.setdefault(row.get("part"), set()).add(_reading(row.get("dimension"), row.get("origin"),
                                                               row.get("value"), row.get("words")))  # fmt: skip
    named = {part.name: part for part in Part.objects.prefetch_related("readings")}
    found: dict[Any, int] = {}
    for row in _rows(tables, "parts"):
        part = named.get(str(row.get("name")))
        if part is None or part.slot != row.get("slot"):
            continue
        ours = {
            _reading(reading.dimension, reading.origin, reading.value, reading.words) for reading in part.readings.all()
        }
        if ours == theirs.get(row.get("id"), set()):
            found[row.get("id")] = part.pk
    return found


def _reading(dimension: object, origin: object, value: object, words: object) -> tuple[object, ...]:
    number = f"{float(value):.{DIGITS}g}" if isinstance(value, int | float) else ""
    return dimension, origin, number, words or ""


def _rows(tables: Mapping[str, Any], name: str) -> Iterator[Mapping[str, Any]]:
    rows = tables.get(name)
    return (row for row in rows if isinstance(row, dict)) if isinstance(rows, list) else iter(())
