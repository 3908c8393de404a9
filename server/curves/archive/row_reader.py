"""Makes the rows of a file of tests, table by table, under new keys."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Collection, Iterator, Mapping
from typing import Any

import numpy as np
from django.core.exceptions import ValidationError
from django.db import models

from curves.archive.tables import ACCORDING, FIXED, LAST, LIBRARY, NAME_OF, OF_THE_SHOP, TABLES, Table, fields_of
from curves.archive.unpack import Entries
from curves.files.binary import read_parquet
from curves.files.table import FileProblem
from curves.reduction.reduce import reduce_pull
from engines.models import Engine, Part
from programmes import models as plan
from programmes.models import Programme
from shop.models import Person, Stand
from stand.models import Channel, Pull
from stand.pulls.codec import pack

MOST_CELLS_OF_A_PULL = 10_000_000  # an hour of fourteen channels at 200 samples a second
# What belongs to a part or a revision alone: of one that this shop has, it has these too
DETAILS = {
    "build_readings": "build", "flow_tables": "build", "installations": "build", "part_readings": "part",
    "aliases": "part", "part_photos": "part",
}  # fmt: skip


class NotWanted(Exception):
    """Whoever asked for it does not want it any more: nothing of it stays."""


class RowReader:
    """Keeps which new key stands for which old one, over all records of a file.

    Nobody of this shop is made to have written what a file says: its people are people of that file, who cannot sign
    in, and its stands are no stands of this shop. An engine or a part whose name is taken gets another.
    """

    def __init__(
        self, person: Person, known: Mapping[str, Mapping[Any, int]], wanted: Callable[[], bool], origin: str = ""
    ) -> None:
        """`known`: see `recognize`; `wanted` is asked before each pull, and `at_pull` gets its number from 0; `origin`
        sets names apart that are taken."""
        self.person, self.wanted, self.origin = person, wanted, origin
        self.at_pull: Callable[[int], None] = lambda number: None
        self.keys: dict[str, dict[Any, int]] = {table.name: {} for table in (*TABLES, *OF_THE_SHOP)}
        self.known: dict[str, frozenset[Any]] = {}
        self.recognize(known)
        self.dropped: dict[str, set[Any]] = {}
        self.renamed: set[tuple[str, int]] = set()  # table and key of what was made under another name
        self.people: dict[int, Person] = {}

    def recognize(self, known: Mapping[str, Mapping[Any, int]]) -> None:
        """Rows of this shop that stand for rows of the file: these are not made."""
        for name, same in known.items():
            self.keys[name].update(same)
            self.known[name] = self.known.get(name, frozenset()) | frozenset(same)

    def drop(self, name: str, keys: Collection[Any]) -> None:
        """Rows that are not made, and with them whatever belongs to them."""
        self.dropped.setdefault(name, set()).update(keys)

    def read(self, record: Mapping[str, Any], blobs: Entries) -> None:
        """Every row of a record that this file has not brought yet."""
        self.tables: Mapping[str, Any] = record["tables"]
        self.blobs = blobs
        people = record.get("people", [])
        listed = [one for one in people if isinstance(one, dict)] if isinstance(people, list) else []
        self.people |= {
            one["id"]: self._person(one)
            for one in listed
            if isinstance(one.get("id"), int) and one["id"] not in self.people
        }
        fresh = {table.name: set(self.keys[table.name]) for table in TABLES}
        for table in (*TABLES, *OF_THE_SHOP):
            self._make(table)
        made = {name: self.keys[name].keys() - before for name, before in fresh.items()}
        self._parts_of_setups()
        for number, old in enumerate(sorted(made["pulls"])):
            if not self.wanted():
                raise NotWanted
            self.at_pull(number)
            self._samples(old, Pull.objects.get(pk=self.keys["pulls"][old]))
        self._close(made)

    def test(self, record: Mapping[str, Any], blobs: Entries) -> Programme:
        """The one test of a record."""
        before = set(self.keys["programmes"])
        self.read(record, blobs)
        made = [new for old, new in self.keys["programmes"].items() if old not in before]
        if len(made) != 1:
            raise FileProblem(f"it holds {len(made)} tests where one belongs")
        return Programme.objects.get(pk=made[0])

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
        seen: set[int] = set()
        for row in self._rows(table.name):
            if row["id"] in seen:
                raise FileProblem(f"two rows of {table.name} have the number {row['id']}")
            seen.add(row["id"])
            if row["id"] in self.keys[table.name]:
                continue
            if self._is_dropped(table, row):
                self.drop(table.name, [row["id"]])
                continue
            if table.model is Stand:
                self.keys[table.name][row["id"]] = self._stand(row)
                continue
            values = {}
            for field in fields_of(table):
                values[field.attname] = self._value(table, field, row)
            made = table.model(**values)
            is_renamed = self._named_apart(made)
            try:
                # Nothing is a fair value here: what must not be empty, the database knows.
                unchecked = [one.name for one in fields_of(table) if one.is_relation or not getattr(made, one.attname)]
                made.clean_fields(exclude=unchecked)
            except ValidationError as error:
                message = "; ".join(f"{name}: {' '.join(words)}" for name, words in error.message_dict.items())
                raise FileProblem(f"row {row['id']} of {table.name}: {message[:250]}") from error
            made.save(force_insert=True)
            self.keys[table.name][row["id"]] = made.pk
            if is_renamed:
                self.renamed.add((table.name, made.pk))
            own += [
                (made.pk, field.name, row.get(field.name))
                for field in fields_of(table)
                if field.related_model is table.model and row.get(field.name) is not None
            ]
        for pk, name, old in own:
            if old not in self.keys[table.name]:
                raise FileProblem(f"{table.name} refers to {name} {old!r}, which is not in the file")
            table.model._default_manager.filter(pk=pk).update(**{f"{name}_id": self.keys[table.name][old]})

    def _is_dropped(self, table: Table, row: Mapping[str, Any]) -> bool:
        if row["id"] in self.dropped.get(table.name, ()):
            return True
        owner = DETAILS.get(table.name)
        if owner and row.get(owner) in self.known.get(f"{owner}s", ()):
            return True
        return table.name in LIBRARY and any(
            row.get(field.name) in self.dropped.get(NAME_OF[field.related_model], ())
            for field in fields_of(table)
            if field.related_model in NAME_OF and row.get(field.name) is not None
        )

    @staticmethod
    def _stand(row: Mapping[str, Any]) -> int:
        """A stand of the file, off the line: one of this shop may bear the same name."""
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
        if value not in self.keys[name] and table in OF_THE_SHOP and field.null:
            return None  # it names what stayed there
        if value not in self.keys[name]:
            raise FileProblem(f"row {row['id']} of {table.name} refers to {name} {value!r}, which is not in the file")
        return self.keys[name][value]

    def _named_apart(self, made: models.Model) -> bool:
        """Engines and parts have names of their own in a shop; whether this one got another."""
        if not isinstance(made, Engine | Part):
            return False
        taken, name, number = type(made)._default_manager, made.name, 1
        as_given = name
        if self.origin and taken.filter(name=name).exists():
            made.name = name = f"{name[:60]} ({self.origin[:40]})"
        while taken.filter(name=made.name).exists():
            number += 1
            made.name = f"{name[:110]} ({number})"
        return made.name != as_given

    def _close(self, made: Mapping[str, Collection[Any]]) -> None:
        for name, field in LAST:
            table = next(table for table in TABLES if table.name == name)
            column = next(one for one in fields_of(table) if one.name == field)
            for row in self._rows(name):
                value = column.to_python(row.get(field))
                if value and row["id"] in made[name]:
                    table.model._default_manager.filter(pk=self.keys[name][row["id"]]).update(**{field: value})

    def _parts_of_setups(self) -> None:
        for row in self._rows("setups"):
            if row["id"] not in self.keys["setups"]:
                continue
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
