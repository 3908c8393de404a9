"""What a file of tests would bring into this shop, before it is read in: what is new, what is here already."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from curves.archive import scope
from curves.archive.scope import identity_in
from curves.archive.tables import LIBRARY_RECORD
from curves.archive.unpack import ArchiveFile
from curves.files.table import FileProblem
from curves.models import FileState, SourceFile
from engines.models import Engine, Part
from programmes.models import Programme

DIGITS = 9  # to which two values of a part have to agree


@dataclass(frozen=True)
class PreviewedPart:
    """A part or an engine: `same_as` is the one of this shop that has the name and every value; `here` one so named."""

    name: str
    here: bool
    same_as: int | None


@dataclass(frozen=True)
class PreviewedTest:
    """`here` is the test of this shop that is the same, whatever it is called."""

    question: str
    engine: str
    pulls: int
    here: Programme | None


@dataclass(frozen=True)
class ImportPreview:
    """`kind` is test, engine or shop; `recordings_of` are tests that read some of its files themselves."""

    kind: str
    name: str
    tests: tuple[PreviewedTest, ...]
    engines: tuple[PreviewedPart, ...]
    parts: tuple[PreviewedPart, ...]
    recordings_of: tuple[str, ...] = ()


def look(archive: ArchiveFile) -> ImportPreview:
    """What is broken in its rows is found when it is read."""
    if archive.manifest is not None:
        return _many(archive, archive.manifest)
    tables = archive.record()["tables"]
    engine = str(next((row.get("name", "") for row in rows_of(tables, "engines")), ""))
    question = str(next((row.get("question", "") for row in rows_of(tables, "programmes")), ""))
    identity = identity_in(tables)
    here = scope.here_already([identity]).get(identity.digest) if identity else None
    test = PreviewedTest(question, engine, sum(1 for _ in rows_of(tables, "pulls")), here)
    marks = [str(row.get("sha256")) for row in rows_of(tables, "source_files") if row.get("pull") is not None]
    twins = SourceFile.objects.filter(sha256__in=marks, state=FileState.READ)
    if here is not None:
        twins = twins.exclude(batch__programme=here)
    others = twins.order_by("batch__programme__question").values_list("batch__programme__question", flat=True)
    return ImportPreview(
        "test", question, (test,), _engines(tables), _parts(tables), tuple(dict.fromkeys(others.distinct()))
    )


def _many(archive: ArchiveFile, manifest: Mapping[str, Any]) -> ImportPreview:
    tables = archive.record(LIBRARY_RECORD)["tables"]
    tests: Sequence[Mapping[str, Any]] = manifest["tests"]
    here = scope.here_already(scope.identities_listed(tests))
    kind = manifest.get("scope")
    if kind not in ("engine", "shop"):
        raise FileProblem("it does not say of what it is")
    return ImportPreview(
        kind, str(manifest.get("name", "")),
        tuple(
            PreviewedTest(one["question"], one["engine"], int(one.get("pulls") or 0), here.get(one["identity"]))
            for one in tests
        ),
        _engines(tables), _parts(tables),
    )  # fmt: skip


def _engines(tables: Mapping[str, Any]) -> tuple[PreviewedPart, ...]:
    same, _ = same_engines(tables)
    names = set(Engine.objects.values_list("name", flat=True))
    return tuple(
        PreviewedPart(str(row.get("name", "")), row.get("name") in names, same.get(row.get("id")))
        for row in rows_of(tables, "engines")
    )


def _parts(tables: Mapping[str, Any]) -> tuple[PreviewedPart, ...]:
    same = same_parts(tables)
    names = set(Part.objects.values_list("name", flat=True))
    return tuple(
        PreviewedPart(str(row.get("name", "")), row.get("name") in names, same.get(row.get("id")))
        for row in rows_of(tables, "parts")
    )


def same_parts(tables: Mapping[str, Any]) -> dict[Any, int]:
    """Parts of the file that this shop has, by the key in the file: same name, slot, values and origins."""
    theirs = _readings(tables, "part_readings", "part")
    named = {part.name: part for part in Part.objects.prefetch_related("readings")}
    found: dict[Any, int] = {}
    for row in rows_of(tables, "parts"):
        part = named.get(str(row.get("name")))
        if part is None or part.slot != row.get("slot"):
            continue
        ours = {
            _reading(reading.dimension, reading.origin, reading.value, reading.words) for reading in part.readings.all()
        }
        if ours == theirs.get(row.get("id"), set()):
            found[row.get("id")] = part.pk
    return found


def same_engines(tables: Mapping[str, Any]) -> tuple[dict[Any, int], dict[Any, int]]:
    """Engines of the file that this shop has, and their revisions, by the keys in the file: every revision of the file
    is here, with the same dimensions. What this shop wrote since does not make it another engine."""
    theirs = _readings(tables, "build_readings", "build")
    revisions: dict[Any, list[Mapping[str, Any]]] = {}
    for row in rows_of(tables, "builds"):
        revisions.setdefault(row.get("engine"), []).append(row)
    names = [str(row.get("name")) for row in rows_of(tables, "engines")]
    named = {one.name: one for one in Engine.objects.filter(name__in=names).prefetch_related("builds__readings")}
    engines: dict[Any, int] = {}
    builds: dict[Any, int] = {}
    for row in rows_of(tables, "engines"):
        engine, listed = named.get(str(row.get("name"))), revisions.get(row.get("id"), [])
        if engine is None or not listed:
            continue
        ours = {
            build.revision: (build.pk, {_reading(one.dimension, one.origin, one.value, one.words)
                                        for one in build.readings.all()})
            for build in engine.builds.all()
        }  # fmt: skip
        same = {one.get("id"): ours.get(one.get("revision", 0)) for one in listed}
        if all(found is not None and found[1] == theirs.get(key, set()) for key, found in same.items()):
            engines[row.get("id")] = engine.pk
            builds |= {key: found[0] for key, found in same.items() if found is not None}
    return engines, builds


def _readings(tables: Mapping[str, Any], name: str, owner: str) -> dict[Any, set[tuple[object, ...]]]:
    found: dict[Any, set[tuple[object, ...]]] = {}
    for row in rows_of(tables, name):
        found.setdefault(row.get(owner), set()).add(
            _reading(row.get("dimension"), row.get("origin"), row.get("value"), row.get("words"))
        )
    return found


def _reading(dimension: object, origin: object, value: object, words: object) -> tuple[object, ...]:
    number = f"{float(value):.{DIGITS}g}" if isinstance(value, int | float) else ""
    return dimension, origin, number, words or ""


def rows_of(tables: Mapping[str, Any], name: str) -> Iterator[dict[str, Any]]:
    """The rows of a table that are rows at all."""
    rows = tables.get(name)
    return (row for row in rows if isinstance(row, dict)) if isinstance(rows, list) else iter(())
