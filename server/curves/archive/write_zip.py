"""A whole programme as one file: a zip of JSON and Parquet, described in docs/file-formats.md."""

from __future__ import annotations

import io
import json
import zipfile
from datetime import date, datetime
from decimal import Decimal
from typing import Any

from django.db import models
from torvix_core import VERSION

from curves.archive.tables import FORMAT, FORMAT_VERSION, RECORD, TABLES, Table, fields_of
from curves.files.write import parquet_bytes
from curves.reduction.nature import WORDS, nature_of
from programmes.models import Programme
from shop.models import Person
from shop.permissions import require_operator
from stand.models import Pull
from stand.pulls.samples import read_raw


def write(person: Person, programme: Programme, at: datetime) -> bytes:
    """The zip. Private prices go along, so only who may run the programme takes it out."""
    require_operator(person)
    blobs: dict[str, bytes] = {}
    people: dict[int, Person] = {}
    tables = {table.name: [_row(table, row, blobs, people) for row in table.rows(programme)] for table in TABLES}
    for row, setup in zip(tables["setups"], programme.setups.order_by("pk"), strict=True):
        row["parts"] = sorted(setup.parts.values_list("pk", flat=True))
    for pull in Pull.objects.filter(session__programme=programme).order_by("pk"):
        if raw := read_raw(pull):
            blobs[f"raw/{pull.pk}.parquet"] = parquet_bytes(raw, WORDS[nature_of(pull)])
    record = {
        "format": FORMAT, "version": FORMAT_VERSION, "made_at": at.isoformat(), "core_version": VERSION,
        "people": [{"id": pk, "username": one.username, "name": str(one)} for pk, one in sorted(people.items())],
        "tables": tables,
    }  # fmt: skip
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(RECORD, json.dumps(record, ensure_ascii=False, indent=1, allow_nan=False))
        for name, content in blobs.items():
            archive.writestr(name, content)
    return out.getvalue()


def _row(table: Table, row: models.Model, blobs: dict[str, bytes], people: dict[int, Person]) -> dict[str, Any]:
    columns: dict[str, Any] = {"id": row.pk}
    for field in fields_of(table):
        value = getattr(row, field.attname)
        if isinstance(field, models.BinaryField):
            if value:
                columns[field.name] = f"{table.name}/{row.pk}-{field.name}"
                blobs[columns[field.name]] = bytes(value)
            continue
        if field.related_model is Person and value is not None and value not in people:
            people[value] = getattr(row, field.name)
        columns[field.name] = _plain(value)
    return columns


def _plain(value: Any) -> Any:
    if isinstance(value, datetime | date):
        return value.isoformat()
    return str(value) if isinstance(value, Decimal) else value
