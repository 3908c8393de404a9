"""A whole programme as one file: a zip of JSON and Parquet, described in docs/file-formats.md, that reads back in.

What is kept is the record, not what follows from it: curves and the verdict are computed again from the raw samples.
"""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
import zlib
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from typing import Any

import numpy as np
from django.core.exceptions import ValidationError
from django.db import IntegrityError, models, transaction
from django.db.models import QuerySet
from torvix_core import VERSION

from curves.archive import older_versions, preview
from curves.archive.preview import ImportPreview
from curves.files.binary import read_parquet
from curves.files.table import FileProblem
from curves.files.write import parquet_bytes
from curves.models import ComparabilityOverride, ComparisonWindow, Import, ReductionOverride, SourceFile
from curves.reduction.reduce import reduce_pull
from engines.models import Alias, Build, BuildReading, Engine, FlowTable, Installation, Part, PartReading, Photo
from programmes import models as plan
from programmes.models import Programme
from shop.models import Person, Stand
from shop.permissions import require_operator
from shop.texts import unkept
from stand import models as stand
from stand.models import Channel, Pull
from stand.pulls.codec import pack
from stand.pulls.samples import read_raw

FORMAT, FORMAT_VERSION = "torvix-programme", 2
RECORD = "programme.json"
LARGEST = 500_000_000  # bytes of a zip
LARGEST_INSIDE = 2_000_000_000  # of all that is read from one
LARGEST_RECORD = 100_000_000
LARGEST_ENTRY = 150_000_000
MOST_CELLS_OF_A_PULL = 10_000_000  # an hour of fourteen channels at 200 samples a second
MOST_ENTRIES = 20_000


@dataclass(frozen=True)
class Table:
    """Rows of one kind, in an order in which none refers to a later one but to its own kind."""

    name: str
    model: type[models.Model]
    rows: Callable[[Programme], QuerySet[Any]]


def _ancestry(programme: Programme) -> set[int]:
    """The parts of the setups, and everything that they refer to."""
    found = set(Part.objects.filter(setups__programme=programme).values_list("pk", flat=True))
    fresh = set(found)
    while fresh:
        rows = Part.objects.filter(pk__in=fresh).values_list("parent_id", "matched_to_id", "same_as_id")
        fresh = {pk for row in rows for pk in row if pk is not None} - found
        found |= fresh
    return found


def _builds(programme: Programme) -> QuerySet[Build]:
    return Build.objects.filter(engine=programme.build.engine_id)


def _of(model: type[models.Model], path: str) -> Callable[[Programme], QuerySet[Any]]:
    """Rows that reach the programme by a path of keys."""
    return lambda programme: model._default_manager.filter(**{path: programme}).distinct().order_by("pk")


def _of_builds(model: type[models.Model]) -> Callable[[Programme], QuerySet[Any]]:
    return lambda programme: model._default_manager.filter(build__in=_builds(programme)).order_by("pk")


def _of_parts(model: type[models.Model]) -> Callable[[Programme], QuerySet[Any]]:
    return lambda programme: model._default_manager.filter(part__in=_ancestry(programme)).order_by("pk")


PULL, SETUP, SESSION = "pull__session__programme", "setup__programme", "session__programme"
TABLES: list[Table] = [
    Table("stands", Stand, _of(Stand, "sessions__programme")),
    Table("engines", Engine, lambda one: Engine.objects.filter(pk=one.build.engine_id)),
    Table("builds", Build, lambda one: _builds(one).order_by("pk")),
    Table("build_readings", BuildReading, _of_builds(BuildReading)),
    Table("flow_tables", FlowTable, _of_builds(FlowTable)),
    Table("installations", Installation, _of_builds(Installation)),
    Table("parts", Part, lambda one: Part.objects.filter(pk__in=_ancestry(one)).order_by("pk")),
    Table("part_readings", PartReading, _of_parts(PartReading)),
    Table("aliases", Alias, _of_parts(Alias)),
    Table("part_photos", Photo, _of_parts(Photo)),
    Table("programmes", Programme, lambda one: Programme.objects.filter(pk=one.pk)),
    Table("windows", plan.Window, _of(plan.Window, "programme")),
    Table("setups", plan.Setup, _of(plan.Setup, "programme")),
    Table("settings", plan.SetupSetting, _of(plan.SetupSetting, SETUP)),
    Table("adjustments", plan.Adjustment, _of(plan.Adjustment, SETUP)),
    Table("works", plan.SlotWork, _of(plan.SlotWork, "programme")),
    Table("timed_changes", plan.TimedChange, _of(plan.TimedChange, "programme")),
    Table("day_rules", plan.DayRules, _of(plan.DayRules, "programme")),
    Table("planned_sessions", plan.PlannedSession, _of(plan.PlannedSession, "programme")),
    Table("plan_versions", plan.PlanVersion, _of(plan.PlanVersion, "programme")),
    Table("steps", plan.Step, _of(plan.Step, "programme")),
    Table("expectations", plan.Expectation, _of(plan.Expectation, SETUP)),
    Table("theories", plan.Theory, _of(plan.Theory, "programme")),
    Table("predictions", plan.Prediction, _of(plan.Prediction, "theory__programme")),
    Table("sessions", stand.Session, _of(stand.Session, "programme")),
    Table("weather", stand.WeatherReading, _of(stand.WeatherReading, SESSION)),
    Table("acknowledgements", stand.Acknowledgement, _of(stand.Acknowledgement, SESSION)),
    Table("list_items", stand.ListItem, _of(stand.ListItem, "ticks__session__programme")),
    Table("changes", stand.Change, _of(stand.Change, SESSION)),
    Table("ticks", stand.Tick, _of(stand.Tick, SESSION)),
    Table("open_jobs", stand.OpenJob, _of(stand.OpenJob, SESSION)),
    Table("pulls", Pull, _of(Pull, SESSION)),
    Table("pull_settings", stand.PullSetting, _of(stand.PullSetting, PULL)),
    Table("notes", stand.Note, _of(stand.Note, SESSION)),
    Table("reduction_overrides", ReductionOverride, _of(ReductionOverride, PULL)),
    Table("comparison_windows", ComparisonWindow, _of(ComparisonWindow, "programme")),
    Table("comparability_overrides", ComparabilityOverride, _of(ComparabilityOverride, PULL)),
    Table("imports", Import, _of(Import, "programme")),
    Table("source_files", SourceFile, _of(SourceFile, PULL)),
]
NAME_OF = {table.model: table.name for table in TABLES}


def register(name: str, model: type[models.Model], path: str) -> None:
    """Rows of a later app that belong to a programme: it takes them along and brings them back."""
    if model not in NAME_OF:
        TABLES.append(Table(name, model, _of(model, path)))
        NAME_OF[model] = name


# Rows that belong to one shop alone, or are made again: what a programme does not take along
# A session that was not run on a line of this shop; a list that is another shop's
FIXED = {("sessions", "filed"): True, ("list_items", "in_force"): False}
# What closes a row to changes is set once everything that belongs to it is there
LAST = (("builds", "used_at"), ("setups", "pulled"))
LEFT_BEHIND = {
    "stands": {"host", "port", "on_line", "simulated", "worker_elsewhere", "inertia", "notes", "retired_at"},
    "programmes": {"from_file_at", "archived_at"}, "engines": {"archived_at"}, "parts": {"archived_at"},
    "imports": {"job"},
}  # fmt: skip
ACCORDING = " (according to the file)"  # behind the name of whoever, by a file, wrote something


def fields_of(table: Table) -> list[models.Field[Any, Any]]:
    """The columns of a table in the file, without its key."""
    left = LEFT_BEHIND.get(table.name, set())
    return [field for field in table.model._meta.concrete_fields if not field.primary_key and field.name not in left]


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
            blobs[f"raw/{pull.pk}.parquet"] = parquet_bytes(raw)
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
    told: dict[str, Any] = {"id": row.pk}
    for field in fields_of(table):
        value = getattr(row, field.attname)
        if isinstance(field, models.BinaryField):
            if value:
                told[field.name] = f"{table.name}/{row.pk}-{field.name}"
                blobs[told[field.name]] = bytes(value)
            continue
        if field.related_model is Person and value is not None and value not in people:
            people[value] = getattr(row, field.name)
        told[field.name] = _plain(value)
    return told


def _plain(value: Any) -> Any:
    if isinstance(value, datetime | date):
        return value.isoformat()
    return str(value) if isinstance(value, Decimal) else value


def look(person: Person, content: bytes) -> ImportPreview:
    """What it would bring; nothing is written. FileProblem says what is wrong."""
    require_operator(person)
    record, _ = _unpacked(content)
    return preview.look(record["tables"])


def read(person: Person, content: bytes, at: datetime, question: str = "", *, link_parts: bool = False) -> Programme:
    """A programme as it was written, under new keys; all of it or nothing. FileProblem says what is wrong.

    `question` takes the place of the file's; with `link_parts` a part that this shop has, the same in every value, is
    not made a second time.

    Nobody of this shop is made to have written what a file says: its people are people of that file, who cannot sign
    in, and its stands are no stands of this shop. An engine or a part whose name is taken gets another.
    """
    require_operator(person)
    record, blobs = _unpacked(content)
    try:
        with transaction.atomic():
            known = preview.same_parts(record["tables"]) if link_parts else {}
            made = _Reader(person, record, blobs, known).programme()
            made.from_file_at, made.question = at, question or made.question
            made.save(update_fields=["from_file_at", "question"])
            return made
    except ValidationError as error:
        raise FileProblem(f"{'; '.join(error.messages)[:300]}") from error
    except IntegrityError as error:
        raise FileProblem(f"its rows contradict each other: {str(error).splitlines()[0][:200]}") from error


class Entries:
    """What lies in a zip beside its record. Only what the record names is unpacked, one by one, and bounded."""

    def __init__(self, archive: zipfile.ZipFile) -> None:
        self.archive, self.names = archive, set(archive.namelist())
        self.unpacked = 0

    def get(self, name: Any) -> bytes | None:
        """None where there is no such entry. What a zip says of its sizes is not believed."""
        if not isinstance(name, str) or name not in self.names or name == RECORD:
            return None
        try:
            with self.archive.open(name) as entry:
                content = entry.read(LARGEST_ENTRY + 1)
        except (zipfile.BadZipFile, zlib.error, OSError, EOFError, NotImplementedError, RuntimeError) as error:
            raise FileProblem(f"{name[:80]} in the zip is damaged ({error})") from error
        self.unpacked += len(content)
        if len(content) > LARGEST_ENTRY or self.unpacked > LARGEST_INSIDE:
            raise FileProblem(f"{name[:80]} unpacks to far more than a programme holds: nothing is read")
        return content


def _unpacked(content: bytes) -> tuple[dict[str, Any], Entries]:
    if len(content) > LARGEST:
        raise FileProblem(f"it is {len(content) / 1e6:.0f} MB; at most {LARGEST / 1e6:.0f} MB are read")
    try:
        archive = zipfile.ZipFile(io.BytesIO(content))
        if len(archive.infolist()) > MOST_ENTRIES:
            raise FileProblem("it holds far more than a programme does: it is not read")
        if RECORD not in archive.namelist():
            raise FileProblem(f"it holds no {RECORD}: it is not a programme that was saved here")
        with archive.open(RECORD) as entry:
            text = entry.read(LARGEST_RECORD + 1)
        if len(text) > LARGEST_RECORD or len(text) > 500 * max(len(content), 100_000):
            raise FileProblem(f"its {RECORD} unpacks to far more than a programme holds: it is not read")
        record = json.loads(text, parse_constant=_no_constant)
    except (zipfile.BadZipFile, zlib.error, OSError, EOFError, NotImplementedError, RuntimeError) as error:
        raise FileProblem(f"the zip is damaged or cut off ({error})") from error
    except (ValueError, RecursionError) as error:
        raise FileProblem(f"its {RECORD} is no JSON that can be read ({str(error)[:120]})") from error
    if not isinstance(record, dict) or record.get("format") != FORMAT:
        raise FileProblem("it is not a programme that was saved here")
    version = record.get("version")
    if not isinstance(version, int) or not older_versions.OLDEST <= version <= FORMAT_VERSION:
        known = f"{older_versions.OLDEST} to {FORMAT_VERSION}"
        raise FileProblem(f"it is of version {version!r}; versions {known} are read here")
    if not isinstance(record.get("tables"), dict):
        raise FileProblem(f"its {RECORD} has no tables")
    if (place := next(unkept(record), None)) is not None:
        raise FileProblem(f"its {RECORD} holds a character that cannot be kept, at {place.strip('.')[:120]}")
    return {**record, "tables": older_versions.newest(record["tables"], version)}, Entries(archive)


def _no_constant(name: str) -> float:
    raise ValueError(f"{name} is no number")


class _Reader:
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
            raise FileProblem(f"it holds {len(made)} programmes where one belongs")
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
