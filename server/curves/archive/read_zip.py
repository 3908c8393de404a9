"""A file of tests, read back in under new keys: all of it or nothing."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime
from typing import IO, Any

from django.core.exceptions import ValidationError
from django.db import IntegrityError, transaction

from curves.archive import preview, scope
from curves.archive.preview import ImportPreview
from curves.archive.row_reader import NotWanted, RowReader
from curves.archive.tables import KNOWN_BY, LIBRARY_RECORD, OF_THE_SHOP, SHOP_RECORD
from curves.archive.unpack import ArchiveFile
from curves.archive.write_zip import plain
from curves.files.table import FileProblem
from engines.archive.service import delete_unused
from engines.models import Part
from jobs.kinds import Watch
from programmes.models import Programme
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Refusal


@dataclass(frozen=True)
class ReadingChoice:
    """How a file is to be read.

    `name` is the question of one test, the name of an engine, or behind a name of a whole shop that is taken; "" keeps
    the file's. With `use_own` a part or an engine that this shop has, the same in every value, is not made a second
    time; with `skip_known` neither is a test, where the file holds many.
    """

    name: str = ""
    use_own: bool = False
    skip_known: bool = True


@dataclass(frozen=True)
class WhatWasRead:
    """Keys of the tests that were made, and how many this shop had."""

    programmes: tuple[int, ...]
    skipped: int


class Unwatched:
    """For who waits for the end."""

    def wanted(self) -> bool:
        return True

    def tell(self, done: int = 0, total: int = 0, progress_text: str = "") -> None:
        pass


def look(person: Person, file: IO[bytes]) -> ImportPreview:
    """What it would bring; nothing is written. FileProblem says what is wrong."""
    require_operator(person)
    return preview.look(ArchiveFile(file))


def read(person: Person, file: IO[bytes], at: datetime, choice: ReadingChoice | None = None,
         watch: Watch | None = None) -> WhatWasRead:  # fmt: skip
    """All of it or nothing. FileProblem says what is wrong, NotWanted that it was stopped."""
    require_operator(person)
    asked = choice or ReadingChoice()
    archive = ArchiveFile(file)
    try:
        with transaction.atomic():
            if archive.manifest is None:
                return _one(person, archive, at, asked, watch or Unwatched())
            return _many(person, archive, archive.manifest, at, asked, watch or Unwatched())
    except ValidationError as error:
        raise FileProblem(f"{'; '.join(error.messages)[:300]}") from error
    except IntegrityError as error:
        raise FileProblem(f"its rows contradict each other: {str(error).splitlines()[0][:200]}") from error


def _one(person: Person, archive: ArchiveFile, at: datetime, choice: ReadingChoice, watch: Watch) -> WhatWasRead:
    record = archive.record()
    reader = RowReader(person, _same(record["tables"], choice), watch.wanted)
    pulls = sum(1 for _ in preview.rows_of(record["tables"], "pulls"))
    reader.at_pull = lambda number: watch.tell(number, pulls, f"{number} of {pulls} pulls")
    made = reader.test(record, archive.entries())
    made.from_file_at, made.question = at, choice.name or made.question
    made.save(update_fields=["from_file_at", "question"])
    return WhatWasRead((made.pk,), 0)


def _many(person: Person, archive: ArchiveFile, manifest: Mapping[str, Any], at: datetime, choice: ReadingChoice,
          watch: Watch) -> WhatWasRead:  # fmt: skip
    tests: list[Mapping[str, Any]] = manifest["tests"]
    watch.tell(0, len(tests), "Engines and parts")
    library = archive.record(LIBRARY_RECORD)
    is_shop = manifest.get("scope") == "shop"
    here = scope.here_already(scope.identities_listed(tests)) if choice.skip_known else {}
    alone = _without_tests(library["tables"], tests, here)
    if choice.name and not is_shop:
        for engine in preview.rows_of(library["tables"], "engines"):
            engine["name"] = choice.name
    origin = choice.name if is_shop else ""
    reader = RowReader(person, _same(library["tables"], choice), watch.wanted, origin)
    reader.drop("engines", alone)
    reader.read(library, archive.entries())
    made: list[int] = []
    for number, test in enumerate(tests):
        if not watch.wanted():
            raise NotWanted
        watch.tell(number, len(tests), test["question"])
        folder = f"{test['folder'].strip('/')}/"
        record = archive.record(folder=folder)
        if (own := here.get(test["identity"])) is not None:
            of_test = preview.rows_of(record["tables"], "programmes")
            reader.recognize({"programmes": {one.get("id"): own.pk for one in of_test}})
            continue
        made.append(reader.test(record, archive.entries(folder)).pk)
    Programme.objects.filter(pk__in=made).update(from_file_at=at)
    if archive.holds(SHOP_RECORD):
        of_the_shop = archive.record(SHOP_RECORD)
        if choice.skip_known:
            reader.recognize(_known_of_the_shop(of_the_shop["tables"]))
        reader.read(of_the_shop, archive.entries())
    if choice.skip_known:
        _without_idle_parts(reader)
    watch.tell(len(tests), len(tests))
    return WhatWasRead(tuple(made), len(tests) - len(made))


def _without_idle_parts(reader: RowReader) -> None:
    """Parts that this shop has under the name, with other values, and that no test which was read holds: they came
    for tests that were skipped."""
    made = [key for name, key in reader.renamed if name == "parts"]
    for part in Part.objects.filter(pk__in=made, setups=None).order_by("-pk"):
        with suppress(Refusal):
            delete_unused(part, "")


def _same(tables: Mapping[str, Any], choice: ReadingChoice) -> dict[str, dict[Any, int]]:
    if not choice.use_own:
        return {}
    engines, builds = preview.same_engines(tables)
    return {"parts": preview.same_parts(tables), "engines": engines, "builds": builds}


def _without_tests(tables: Mapping[str, Any], tests: Collection[Mapping[str, Any]],
                   here: Mapping[str, Programme]) -> set[Any]:  # fmt: skip
    """Engines that would come alone: every test of theirs in the file is here already."""
    coming = {one["engine"] for one in tests if one["identity"] not in here}
    known = {one["engine"] for one in tests if one["identity"] in here}
    return {row["id"] for row in preview.rows_of(tables, "engines") if row.get("name") in known - coming}


def _known_of_the_shop(tables: Mapping[str, Any]) -> dict[str, dict[Any, int]]:
    """Rows that were read in before, or are this shop's own: the same text of the same moment."""
    found: dict[str, dict[Any, int]] = {}
    for table in OF_THE_SHOP:
        columns = KNOWN_BY[table.name]
        ours = {
            tuple(str(plain(value)) for value in values): pk
            for pk, *values in table.model._default_manager.values_list("pk", *columns)
        }
        for row in preview.rows_of(tables, table.name):
            if (own := ours.get(tuple(str(row.get(column)) for column in columns))) is not None:
                found.setdefault(table.name, {})[row.get("id")] = own
    return found
