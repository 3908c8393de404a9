"""A whole programme out as one file and in again, to the same verdict; and files that are wrong."""

import io
import json
import tracemalloc
import zipfile
from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from types import MappingProxyType
from typing import Any
from unittest import mock

import scenes
from asgiref.sync import async_to_sync
from django.db import connection
from django.test import AsyncClient, TestCase
from django.test.utils import CaptureQueriesContext
from torvix_core.air.standards import Standard
from torvix_core.judging.drift import NO_DRIFT
from torvix_core.units import quantities

from curves.archive import tables, unpack, write_zip
from curves.archive.read_zip import ReadingChoice
from curves.comparability import pull_screening
from curves.files.table import FileProblem
from curves.reduction.inspection import ReductionSettings, reduce_as
from engines.models import Engine, Part, PartReading
from programmes.models import Programme
from shop.models import Person, Role
from shop.refusals import NotAllowed
from stand.models import Pull
from verdicts.comparison.aligned_pulls import compare
from verdicts.judging import service as judging
from verdicts.judging.choice import Choice

LEVELS = ((1.0, 1.002), (1.01, 1.013), (0.99, 0.992))


class Scene(TestCase):
    operator: Person
    programme: Programme

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)
        scenes.day_of_pulls(cls.programme, cls.operator, LEVELS)

    def zip(self) -> bytes:
        return scenes.archive_of(self.operator, self.programme)

    def changed(self, change, others: Mapping[str, bytes] = MappingProxyType({})) -> bytes:
        source = zipfile.ZipFile(io.BytesIO(self.zip()))
        record = json.loads(source.read(tables.RECORD))
        change(record)
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as target:
            for name in source.namelist():
                whole = json.dumps(record) if name == tables.RECORD else source.read(name)
                target.writestr(name, others.get(name, whole))
        return out.getvalue()


class ThereAndBack(Scene):
    def setUp(self):
        self.content = self.zip()

    def test_the_verdict_is_the_same_to_the_last_digit(self):
        reduce_as(
            self.operator, Pull.objects.get(number=3), ReductionSettings(cut_start_s=3.0, cut_end_s=12.0), scenes.DAY
        )
        pull_screening.let_in(self.operator, Pull.objects.get(number=4), "why not", scenes.DAY)
        made = scenes.read_back(self.operator, self.zip())
        self.assertNotEqual(made.pk, self.programme.pk)
        for standard in (Standard.ISO_1585_SI, Standard.OBSERVED):
            before, after = (judging.judge(compare(one, standard), Choice(standard)) for one in (self.programme, made))
            self.assertEqual(before.fitted.repeatability, after.fitted.repeatability)
            self.assertEqual(
                [placing.score for placing in before.placings], [placing.score for placing in after.placings]
            )
            self.assertEqual(before.power.tolist(), after.power.tolist())
            own, *rest = (note for note in after.comparison.notes if "according to that file" in note)
            self.assertEqual(before.comparison.notes, [note for note in after.comparison.notes if note != own])
            self.assertEqual(rest, [])
        self.assertEqual(made.question, self.programme.question)

    def test_nothing_is_lost_on_the_way_out_in_and_out_again(self):
        def tables_of(content: bytes) -> dict[str, list[dict]]:
            return json.loads(zipfile.ZipFile(io.BytesIO(content)).read(tables.RECORD))["tables"]

        def plain(rows: list[dict]) -> list[dict]:
            """Without keys, and names that a second one of a shop cannot have."""
            left = {"name", "filed", "parts"}
            kept = [[(key, value) for key, value in row.items() if type(value) is not int] for row in rows]
            return [{key: value for key, value in row if key not in left} for row in kept]

        first = self.zip()
        again = scenes.read_back(self.operator, first)
        second = tables_of(scenes.archive_of(self.operator, again))
        for name, rows in tables_of(first).items():
            with self.subTest(name):
                self.assertEqual(plain(rows), plain(second[name]))
        self.assertEqual(Engine.objects.count(), 2)
        self.assertEqual(Part.objects.filter(name__endswith="(2)").count(), 3)

    def test_a_file_speaks_for_nobody_of_this_shop(self):
        made = scenes.read_back(self.operator, self.zip())
        pull = Pull.objects.filter(session__programme=made).first()
        self.assertEqual(str(pull.operator), "Operator (according to the file)")
        self.assertFalse(pull.operator.is_active or pull.operator.has_usable_password())
        self.assertEqual((made.from_file_at, self.programme.from_file_at), (scenes.DAY, None))
        self.assertFalse(pull.session.stand.on_line)
        self.assertNotEqual(pull.session.stand, self.programme.sessions.first().stand)
        people = Person.objects.count()
        again = scenes.read_back(self.operator, scenes.archive_of(self.operator, made))
        self.assertEqual(str(Pull.objects.filter(session__programme=again).first().operator),
                         "Operator (according to the file)")  # fmt: skip
        self.assertLessEqual(Person.objects.count(), people + 1)

    def test_what_it_brings_is_shown_first_and_nothing_is_written(self):
        Part.objects.filter(name="manifold 0").update(name="renamed")
        PartReading.objects.filter(part__name="manifold 1").update(value=0.4)
        before = [Programme.objects.count(), Part.objects.count(), Person.objects.count()]
        self.client.force_login(self.operator)
        found = self.client.post("/api/archives", {"file": io.BytesIO(self.content)}).json()
        (test,) = found["tests"]
        self.assertEqual((found["kind"], found["name"], test["engine"]), ("test", "Which manifold?", "2.9 six"))
        self.assertEqual((test["pulls"], test["here_id"]), (Pull.objects.count(), self.programme.pk))
        self.assertEqual(found["engines"], [{"name": "2.9 six", "here": True, "same": True}])
        parts = {part["name"]: (part["here"], part["same"]) for part in found["parts"]}
        wanted = {"manifold 0": (False, False), "manifold 1": (True, False), "manifold 2": (True, True)}
        self.assertEqual(parts, wanted)
        self.assertEqual([Programme.objects.count(), Part.objects.count(), Person.objects.count()], before)

    def test_parts_that_are_the_same_are_linked_where_one_wants_it_and_the_question_is_ones_own(self):
        made = scenes.read_back(self.operator, self.content, ReadingChoice("Once more?", use_own=True))
        self.assertEqual((made.question, Part.objects.count()), ("Once more?", 3))
        before, after = (
            [sorted(part.pk for part in setup.parts.all()) for setup in one.setups.all()]
            for one in (self.programme, made)
        )
        self.assertEqual(before, after)
        self.assertEqual(PartReading.objects.count(), 3)

    def test_the_document_names_every_table_and_field(self):
        document = (Path(__file__).parents[4] / "docs" / "file-formats.md").read_text(encoding="utf-8")
        for table in (*tables.TABLES, *tables.OF_THE_SHOP):
            self.assertIn(f"`{table.name}`", document)
            for field in tables.fields_of(table):
                self.assertIn(field.name, document, f"{table.name}.{field.name}")

    def test_only_who_may_run_it_reads_it_in(self):
        with self.assertRaises(NotAllowed):
            scenes.read_back(scenes.person(Role.VIEWER), self.content)

    def test_an_engine_that_is_the_same_is_used_and_one_that_changed_is_not(self):
        made = scenes.read_back(self.operator, self.content, ReadingChoice(use_own=True))
        self.assertEqual(made.build, self.programme.build)

        def wider(record):
            next(row for row in record["tables"]["build_readings"] if row["dimension"] == "bore")["value"] = 0.0871

        made = scenes.read_back(self.operator, self.changed(wider), ReadingChoice(use_own=True))
        self.assertEqual(made.build.engine.name, "2.9 six (2)")

    def test_a_number_that_two_rows_have_is_refused(self):
        def twice(record):
            record["tables"]["pulls"].append(record["tables"]["pulls"][0])

        with self.assertRaisesMessage(FileProblem, "two rows of pulls have the number"):
            scenes.read_back(self.operator, self.changed(twice))


ANY_SLOPE = replace(NO_DRIFT, day_sd=30.0)


class Outgoing(Scene):
    def test_it_goes_out_over_the_api_piece_by_piece(self):
        client = AsyncClient()
        client.force_login(self.operator)

        async def pieces() -> tuple[int, list[bytes]]:
            answer: Any = await client.get(f"/api/programmes/{self.programme.pk}/archive")
            return answer.status_code, [piece async for piece in answer.streaming_content]

        status, found = async_to_sync(pieces)()
        self.assertEqual(status, 200)
        self.assertGreater(len(found), Pull.objects.count())
        names = zipfile.ZipFile(io.BytesIO(b"".join(found))).namelist()
        self.assertEqual(len([name for name in names if name.startswith("raw/")]), Pull.objects.count())

    def test_as_many_queries_for_many_pulls_as_for_few_and_never_the_whole_in_hand(self):
        def measured() -> tuple[int, int, int]:
            with CaptureQueriesContext(connection) as asked:
                pieces = [len(piece) for piece in write_zip.write(self.operator, self.programme, scenes.DAY)]
            return len(asked), max(pieces), sum(pieces)

        few, _, before = measured()
        session = self.programme.sessions.get()
        for setup in list(self.programme.setups.all()) * 5:
            scenes.pull(session, setup, self.operator)
        many, largest, size = measured()
        self.assertLessEqual(many, few)
        self.assertGreater(size, 2 * before)
        self.assertLess(largest, size / 10)


class OfAnOlderTorvix(TestCase):
    """A programme that was saved by version 1 of the format, and what its verdict said there, lb-ft and hp, from days
    with a return, whose drift that Torvix took out without any limit to its size."""

    FILE = Path(__file__).parents[1] / "data" / "programme-version-1.zip"
    SAID = (
        (386.9390960159569, 286.1301043280942, 386.93909601595726),
        (386.5671070373593, 285.8450496785276, 386.56710703735894),
    )

    def test_it_reads_and_says_the_same_to_the_digit(self):
        operator = scenes.person(Role.OPERATOR)
        made = scenes.read_back(operator, self.FILE.read_bytes())
        compared = compare(made, Standard(made.standard))
        compared = replace(compared, history=replace(compared.history, drift=ANY_SLOPE))
        judged = judging.judge(compared, Choice(Standard(made.standard)))
        pound_foot, horsepower = (quantities.to_si(1.0, unit) for unit in ("lb-ft", "hp"))
        for placing, (score, power, torque) in zip(judged.placings, self.SAID, strict=True):
            index = placing.setup
            self.assertAlmostEqual(placing.score / pound_foot, score, 9)  # type: ignore[misc]
            self.assertAlmostEqual(judged.power[index] / horsepower, power, 9)
            self.assertAlmostEqual(judged.torque[index] / pound_foot, torque, 9)

    def test_its_slots_and_columns_have_the_names_of_today(self):
        made = scenes.read_back(scenes.person(Role.OPERATOR), self.FILE.read_bytes())
        self.assertIn("carburetor", {part.slot for setup in made.setups.all() for part in setup.parts.all()})
        self.assertTrue(PartReading.objects.filter(dimension="carburetor_rating").exists())
        self.assertFalse(PartReading.objects.filter(dimension__contains="carburettor").exists())
        pull = Pull.objects.filter(session__programme=made, origin="simulated").first()
        self.assertEqual(pull.active_limits[0], ["over_speed", 6200.0])
        self.assertIn("oil_temperature", pull.start_values)


class Wrong(Scene):
    def refused(self, content: bytes) -> str:
        before = (Programme.objects.count(), Engine.objects.count(), Part.objects.count(), Pull.objects.count())
        with self.assertRaises(FileProblem) as caught:
            scenes.read_back(self.operator, content)
        after = (Programme.objects.count(), Engine.objects.count(), Part.objects.count(), Pull.objects.count())
        self.assertEqual(after, before)  # nothing stored half
        return str(caught.exception)

    def test_what_is_damaged_foreign_or_contradicts_itself_is_refused_whole(self):
        def no_setup(record):
            record["tables"]["pulls"][2]["setup"] = 987_654

        def no_number(record):
            record["tables"]["pulls"][2]["number"] = "many"

        def twice(record):
            record["tables"]["pulls"][2]["number"] = record["tables"]["pulls"][1]["number"]

        def wrong_state(record):
            record["tables"]["pulls"][2]["state"] = "flying"

        for change, words in ((no_setup, "refers to setups 987654"), (no_number, "number cannot be 'many'"),
                              (twice, "contradict each other"), (wrong_state, "state:"),
                              (lambda record: record.update(version=9), "version 9"),
                              (lambda record: record["people"].append({"id": 9, "name": "\ud800"}), "cannot be kept"),
                              (lambda record: record["tables"]["parts"][0].update(name="a\0b"), "tables.parts.0.name"),
                              (lambda record: record.update(tables=[]), "no tables"),
                              (lambda record: record["tables"].update(programmes=[]), "")):  # fmt: skip
            with self.subTest(words):
                self.assertIn(words, self.refused(self.changed(change)))
        whole = self.zip()
        self.assertIn("damaged or cut off", self.refused(whole[: len(whole) // 2]))
        self.assertIn("damaged or cut off", self.refused(b"hello"))

    def test_a_bomb_is_not_unpacked(self):
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as target:
            target.writestr(tables.RECORD, b" " * 80_000_000)
        self.assertIn("unpacks to far more", self.refused(out.getvalue()))

    def test_what_the_record_does_not_name_is_not_unpacked_and_what_it_names_is_bounded(self):
        """Memory is counted as Python sees it: what lies unnamed in the zip must not get into it."""
        out = io.BytesIO(self.zip())
        with zipfile.ZipFile(out, "a", zipfile.ZIP_DEFLATED) as target:
            for number in range(4):
                target.writestr(f"raw/not-named-{number}.parquet", b"\0" * 60_000_000)
        tracemalloc.start()
        try:
            scenes.read_back(self.operator, out.getvalue())
            most = tracemalloc.get_traced_memory()[1]
        finally:
            tracemalloc.stop()
        self.assertLess(most, 60_000_000)
        pull = Pull.objects.filter(session__programme=self.programme).first()
        named = self.changed(lambda record: None, {f"raw/{pull.pk}.parquet": b"\0" * 2_000_000})
        with mock.patch.object(unpack, "LARGEST_ENTRY", 1_000_000):
            self.assertIn("unpacks to far more", self.refused(named))
