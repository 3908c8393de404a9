"""Tests as one file, streamed: a zip of JSON and Parquet, described in docs/file-formats.md.

Nothing is held but the rows of one table, or the samples of one pull; what is made goes out at once.
"""

from __future__ import annotations

import io
import itertools
import json
import zipfile
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from datetime import date, datetime
from decimal import Decimal
from typing import Any

from django.db import connection, models, transaction
from django.db.models import QuerySet
from django.db.models.functions import Length
from torvix_core import VERSION

from curves.archive.scope import Scope, identities
from curves.archive.tables import (
    COLLECTION,
    COLLECTION_FORMAT,
    COLLECTION_VERSION,
    FORMAT,
    FORMAT_VERSION,
    LIBRARY,
    LIBRARY_RECORD,
    OF_THE_SHOP,
    RECORD,
    SHOP_RECORD,
    TABLES,
    Table,
    fields_of,
)
from curves.files.write import parquet_bytes
from curves.reduction.nature import WORDS, nature_of
from programmes.models import Programme, Setup
from shop.checked_json import CheckedJSONField
from shop.models import Person
from shop.permissions import require_operator
from stand.models import Channel, Pull
from stand.pulls.codec import unpack

ROWS_AT_ONCE = 200
Rows = Callable[[Table], QuerySet[Any]]


class _Sink(io.RawIOBase):
    """Takes what the zip writes until it is handed on; nobody can go back in it."""

    def __init__(self) -> None:
        self.pieces: list[bytes] = []

    def writable(self) -> bool:
        return True

    def write(self, data: Any) -> int:
        self.pieces.append(bytes(data))
        return len(self.pieces[-1])

    def taken(self) -> bytes:
        pieces, self.pieces = self.pieces, []
        return b"".join(pieces)


def write(person: Person, programme: Programme, at: datetime) -> Iterator[bytes]:
    """The zip of one test, piece by piece. Private prices go along, so only who may run the test takes it out."""
    require_operator(person)
    return _streamed(lambda archive: _test(archive, "", programme, TABLES, at))


def write_collection(person: Person, scope: Scope, at: datetime) -> Iterator[bytes]:
    """The zip of an engine or of the whole shop, piece by piece."""
    scope.require(person)
    return _streamed(lambda archive: _collection(archive, scope, at))


def _streamed(entries: Callable[[zipfile.ZipFile], Iterator[None]]) -> Iterator[bytes]:
    sink = _Sink()
    with _snapshot(), zipfile.ZipFile(sink, "w", zipfile.ZIP_DEFLATED) as archive:
        for _ in entries(archive):
            if piece := sink.taken():
                yield piece
    yield sink.taken()


@contextmanager
def _snapshot() -> Iterator[None]:
    """All of it as it stood when it began: a pull that runs meanwhile is in it whole, or not at all."""
    nested = connection.in_atomic_block
    with transaction.atomic():
        if not nested:
            with connection.cursor() as cursor:
                cursor.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ, READ ONLY")
        yield


def _collection(archive: zipfile.ZipFile, scope: Scope, at: datetime) -> Iterator[None]:
    programmes = list(scope.programmes().select_related("build__engine").order_by("pk"))
    known = identities(one.pk for one in programmes)
    manifest = {
        "format": COLLECTION_FORMAT, "version": COLLECTION_VERSION, "made_at": at.isoformat(), "core_version": VERSION,
        "scope": scope.kind, "name": scope.name,
        "tests": [
            {"folder": _folder(one), "question": one.question, "engine": one.build.engine.name,
             "created_at": one.created_at.isoformat(), "pulls": known[one.pk].pulls, "identity": known[one.pk].digest}
            for one in programmes
        ],
    }  # fmt: skip
    archive.writestr(COLLECTION, json.dumps(manifest, ensure_ascii=False, indent=1))
    yield
    yield from _record(archive, "", LIBRARY_RECORD, [one for one in TABLES if one.name in LIBRARY], scope.library, at)
    own = [one for one in TABLES if one.name not in LIBRARY]
    for programme in programmes:
        yield from _test(archive, f"{_folder(programme)}/", programme, own, at)
    if scope.is_whole_shop:
        yield from _record(archive, "", SHOP_RECORD, OF_THE_SHOP, lambda one: one.model._default_manager.all(), at)


def _folder(programme: Programme) -> str:
    return f"tests/{programme.pk}"


def _test(
    archive: zipfile.ZipFile, folder: str, programme: Programme, tables: Sequence[Table], at: datetime
) -> Iterator[None]:
    yield from _record(archive, folder, RECORD, tables, lambda table: table.rows(programme), at)
    samples = Channel.objects.filter(pull__session__programme=programme, samples__gt=0).order_by("pull_id", "position")
    pulls = {one.pk: one for one in Pull.objects.filter(session__programme=programme)}
    for pull_id, channels in itertools.groupby(samples.iterator(chunk_size=50), lambda one: one.pull_id):
        raw = {one.name: (one.unit, unpack(one.codec, bytes(one.data), one.samples)) for one in channels}
        content = parquet_bytes(raw, WORDS[nature_of(pulls[pull_id])])
        # Parquet is compressed already: a second time costs minutes of a shop, and saves nothing.
        archive.writestr(f"{folder}raw/{pull_id}.parquet", content, zipfile.ZIP_STORED)
        yield


def _record(
    archive: zipfile.ZipFile, folder: str, name: str, tables: Sequence[Table], rows_of: Rows, at: datetime
) -> Iterator[None]:
    """The JSON of these tables, row by row, and beside it the bytes that do not belong into JSON."""
    people: set[int] = set()
    blobs: list[tuple[Table, str, list[int]]] = []
    head = {"format": FORMAT, "version": FORMAT_VERSION, "made_at": at.isoformat(), "core_version": VERSION}
    with archive.open(f"{folder}{name}", "w", force_zip64=True) as entry:
        entry.write(f'{json.dumps(head)[:-1]},\n"tables": {{'.encode())
        for position, table in enumerate(tables):
            binary = [one.name for one in fields_of(table) if isinstance(one, models.BinaryField)]
            there: dict[str, list[int]] = {one: [] for one in binary}
            entry.write(f'{"," if position else ""}\n"{table.name}": ['.encode())
            for at_row, row in enumerate(_rows(table, rows_of(table), binary, there, people)):
                text = json.dumps(row, ensure_ascii=False, allow_nan=False)
                entry.write(f"{',' if at_row else ''}\n{text}".encode())
            entry.write(b"]")
            blobs += [(table, one, keys) for one, keys in there.items()]
            yield
        found = Person.objects.filter(pk__in=people).order_by("pk")
        listed = [{"id": one.pk, "username": one.username, "name": str(one)} for one in found]
        entry.write(f'\n}},\n"people": {json.dumps(listed, ensure_ascii=False)}\n}}\n'.encode())
    yield
    for table, column, keys in blobs:
        bytes_of = table.model._default_manager.filter(pk__in=keys).order_by("pk").values_list("pk", column)
        for pk, value in bytes_of.iterator(chunk_size=1):
            archive.writestr(f"{folder}{_blob(table, pk, column)}", bytes(value))
            yield


def _rows(
    table: Table, rows: QuerySet[Any], binary: Sequence[str], there: dict[str, list[int]], people: set[int]
) -> Iterator[dict[str, Any]]:
    """Rows as they stand in the file. Notes who is named in them, and which have bytes."""
    sizes = {f"{name}_bytes": Length(name) for name in binary}
    for some in _batches(rows.defer(*binary).annotate(**sizes).iterator(chunk_size=ROWS_AT_ONCE)):
        parts_of = _parts_of([one.pk for one in some]) if table.model is Setup else {}
        for row in some:
            columns: dict[str, Any] = {"id": row.pk}
            for field in fields_of(table):
                if field.name in binary:
                    if getattr(row, f"{field.name}_bytes"):
                        there[field.name].append(row.pk)
                        columns[field.name] = _blob(table, row.pk, field.name)
                    continue
                value = getattr(row, field.attname)
                if field.related_model is Person and value is not None:
                    people.add(value)
                if isinstance(field, CheckedJSONField) and value is not None:
                    value = field.plain(value)
                columns[field.name] = plain(value)
            if table.model is Setup:
                columns["parts"] = parts_of.get(row.pk, [])
            yield columns


def _batches(rows: Iterable[Any]) -> Iterator[list[Any]]:
    rest = iter(rows)
    while some := list(itertools.islice(rest, ROWS_AT_ONCE)):
        yield some


def _parts_of(setups: Sequence[int]) -> dict[int, list[int]]:
    found: dict[int, list[int]] = {}
    fitted = Setup.parts.through.objects.filter(setup__in=setups).order_by("part_id")
    for setup, part in fitted.values_list("setup_id", "part_id"):
        found.setdefault(setup, []).append(part)
    return found


def _blob(table: Table, pk: int, column: str) -> str:
    return f"{table.name}/{pk}-{column}"


def plain(value: Any) -> Any:
    if isinstance(value, datetime | date):
        return value.isoformat()
    return str(value) if isinstance(value, Decimal) else value
