"""Makes the rows of a file of tests, table by table, under new keys."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np
from django.core.exceptions import ValidationError
from django.db import models

from curves.archive.tables import ACCORDING, FIXED, LAST, NAME_OF, TABLES, Table, fields_of
from curves.archive.unpack import Entries
from curves.files.binary import read_parquet
from curves.files.table import FileProblem
from curves.reduction.reduce import reduce_pull
from engines.models import Alias, Engine, Part, PartReading, Photo
from programmes import models as plan
from programmes.models import Programme
from shop.models import Person, Stand
from stand.models import Channel, Pull
from stand.pulls.codec import pack

MOST_CELLS_OF_A_PULL = 10_000_000  # an hour of fourteen channels at 200 samples a second


class RowReader:
    """Makes the rows of a file, table by table, and keeps which new key stands for which old one."""

    def __init__(
        self, person: Person, record: Mapping[str, Any], blobs: Entries, known_parts: Mapping[Any, int]
    ) -> None:
        """`known_parts`: parts of this shop that stand for parts of the file."""
        self.person, self.blobs, self.known_parts = person, blobs, known_parts
        self.tables: Mapping[str, Any] = record["tables"]
        self.keys: dict[str, dict[Any, int]] = {table.name: {} for table in TABLES}
        people = record.get("people", [])
        listed = [one for one in people if isinstance(one, dict)] if isinstance(people, list) else []
        self.people = {one["id"]: self._person(one) for one in listed if isinstance(one.get("id"), int)}

    @staticmethod
    def _person(listed: Mapping[str, Any]) -> Person:
        """Known by what the file calls them; the same of two files are the same."""
        username, name = (str(listed.get(key, ""))[:60] for key in ("username", "name"))
        name = name.removesuffix(ACCORDING) or username or "somebody"
        digest = hashlib.sha256(f"{username}\n{name}".encode()).hexdigest()[:16]
        found, is_new = Person.objects.get_or_create(
            username=f"file-{digest}", defaults={"first_name": name, "last_name": ACCORDING.strip(), "is_active": False}
        )
        if is_new:
            found.set_unusable_password()
            found.save(update_fields=["password"])
        return found

    def programme(self) -> Programme:
        for table in TABLES:
            self._make(table)
        self._parts_of_setups()
        made = list(self.keys["programmes"].values())
        if len(made) != 1:
            raise FileProblem(f"it holds {len(made)} tests where one belongs")
        for old, new in self.keys["pulls"].items():
            self._samples(old, Pull.objects.get(pk=new))
        self._close()
        return Programme.objects.get(pk=made[0])

    def _rows(self, name: str) -> Iterator[Mapping[str, Any]]:
        rows = self.tables.get(name, [])
        if not isinstance(rows, list):
            raise FileProblem(f"{name} is no list of rows")
        for at, row in enumerate(rows, start=1):
            if not isinstance(row, dict) or not isinstance(row.get("id"), int):
                raise FileProblem(f"row {at} of {name} has no number of its own")
            yield row

    def _make(self, table: Table) -> None:
        own: list[tuple[int, str, Any]] = []  # references to rows of the same kind, set once all are there
        for row in self._rows(table.name):
            if (known := self._already_here(table, row)) is not None:
                self.keys[table.name][row["id"]] = known
                continue
            if table.model in (PartReading, Alias, Photo) and row.get("part") in self.known_parts:
                continue
            values = {}
            for field in fields_of(table):
                values[field.attname] = self._value(table, field, row)
            made = table.model(**values)
            self._named_apart(made)
            try:
                # Nothing is a fair value here: what must not be empty, the database knows.
                unchecked = [one.name for one in fields_of(table) if one.is_relation or not getattr(made, one.attname)]
                made.clean_fields(exclude=unchecked)
            except ValidationError as error:
                message = "; ".join(f"{name}: {' '.join(words)}" for name, words in error.message_dict.items())
                raise FileProblem(f"row {row['id']} of {table.name}: {message[:250]}") from error
            made.save(force_insert=True)
            self.keys[table.name][row["id"]] = made.pk
            own += [
                (made.pk, field.name, row.get(field.name))
                for field in fields_of(table)
                if field.related_model is table.model and row.get(field.name) is not None
            ]
        for pk, name, old in own:
            if old not in self.keys[table.name]:
                raise FileProblem(f"{table.name} refers to {name} {old!r}, which is not in the file")
            table.model._default_manager.filter(pk=pk).update(**{f"{name}_id": self.keys[table.name][old]})

    def _already_here(self, table: Table, row: Mapping[str, Any]) -> int | None:
        """A stand of the file, off the line: one of this shop may bear the same name. A part that is the same."""
        if table.model is Part:
            return self.known_parts.get(row["id"])
        if table.model is not Stand:
            return None
        name = (str(row.get("name", "")).removesuffix(ACCORDING)[:50] or "Elsewhere") + ACCORDING
        found, _ = Stand.objects.get_or_create(name=name, defaults={"on_line": False})
        return found.pk

    def _value(self, table: Table, field: Any, row: Mapping[str, Any]) -> Any:
        if isinstance(field, models.BinaryField):
            content = self.blobs.get(row.get(field.name))
            return content if content is not None or field.null else b""
        if (table.name, field.name) in FIXED:
            return FIXED[table.name, field.name]
        if (table.name, field.name) in LAST:
            return field.get_default()
        if field.name not in row:
            return field.get_default()
        value = row[field.name]
        if not field.is_relation:
            try:
                return field.to_python(value)
            except (ValidationError, TypeError, ValueError) as error:
                raise FileProblem(f"row {row['id']} of {table.name}: {field.name} cannot be {value!r}"[:250]) from error
        if value is None:
            return None
        if field.related_model is Person:
            return self.people.get(value, self.person).pk
        name = NAME_OF[field.related_model]
        if field.related_model is table.model:
            return None
        if value not in self.keys[name]:
            raise FileProblem(f"row {row['id']} of {table.name} refers to {name} {value!r}, which is not in the file")
        return self.keys[name][value]

    def _named_apart(self, made: models.Model) -> None:
        """Engines and parts have names of their own in a shop."""
        if not isinstance(made, Engine | Part):
            return
        taken, name, number = type(made)._default_manager, made.name, 1
        while taken.filter(name=made.name).exists():
            number += 1
            made.name = f"{name[:100]} ({number})"

    def _close(self) -> None:
        for name, field in LAST:
            table = next(table for table in TABLES if table.name == name)
            column = next(one for one in fields_of(table) if one.name == field)
            for row in self._rows(name):
                value = column.to_python(row.get(field))
                if value:
                    table.model._default_manager.filter(pk=self.keys[name][row["id"]]).update(**{field: value})

    def _parts_of_setups(self) -> None:
        for row in self._rows("setups"):
            parts = [self.keys["parts"].get(old) for old in row.get("parts", [])]
            if None in parts:
                raise FileProblem(f"row {row['id']} of setups refers to a part that is not in the file")
            plan.Setup.objects.get(pk=self.keys["setups"][row["id"]]).parts.set(parts)  # type: ignore[arg-type]

    def _samples(self, old: Any, pull: Pull) -> None:
        content = self.blobs.get(f"raw/{old}.parquet")
        if content is None:
            return
        table = read_parquet(content, MOST_CELLS_OF_A_PULL)
        for position, column in enumerate(table.columns):
            codec, data = pack(np.ascontiguousarray(column.values))
            Channel.objects.create(
                pull=pull, position=position, name=column.name[:40], unit=column.unit[:16], codec=codec,
                samples=table.rows, data=data,
            )  # fmt: skip
        reduce_pull(pull)
