"""An engine or the whole shop out as one file and in again: to the same verdicts, once, or not at all."""

import errno
import io
import json
import tempfile
import zipfile
from datetime import timedelta
from typing import Any
from unittest import mock

import scenes
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from torvix_core.air.standards import Standard

from curves.archive import read_zip, tables, uploads, write_zip
from curves.archive.read_zip import ReadingChoice, WhatWasRead
from curves.archive.row_reader import NotWanted
from curves.archive.scope import Scope
from curves.files.table import FileProblem
from curves.models import ArchiveUpload
from engines.models import Engine, Part, PartReading
from jobs import service as jobs
from jobs.models import Job
from programmes.models import PracticeTest, Prediction, Programme, Theory
from shop.models import Person, Role, Stand
from shop.refusals import NotAllowed
from stand.models import Pull
from verdicts.comparison.aligned_pulls import compare
from verdicts.judging import service as judging
from verdicts.judging.choice import Choice
from verdicts.models import Explanation, Guideline

LEVELS = ((1.0, 1.002), (1.01, 1.013), (0.99, 0.992))


class StopsAt:
    """Wanted until the work is at the given test."""

    def __init__(self, number: int) -> None:
        self.number = number
        self.steps: list[tuple[int, int, str]] = []

    def wanted(self) -> bool:
        return len(self.steps) < self.number

    def tell(self, done: int = 0, total: int = 0, progress_text: str = "") -> None:
        self.steps.append((done, total, progress_text))


class Shop(TestCase):
    owner: Person
    operator: Person
    tests: list[Programme]
    guideline: Guideline

    @classmethod
    def setUpTestData(cls):
        cls.owner, cls.operator = scenes.person(Role.OWNER), scenes.person(Role.OPERATOR)
        cls.tests = []
        for number, engine in enumerate(("small four", "big four")):
            planned = scenes.programme(cls.operator, engine=engine, parts=f"manifold of the {engine},")
            opened = scenes.session(planned, cls.operator, Stand.objects.create(name=engine))
            for setup, levels in zip(planned.setups.all(), LEVELS, strict=True):
                for level in levels:
                    scenes.pull(opened, setup, cls.operator, level=level)
            Programme.objects.filter(pk=planned.pk).update(created_at=scenes.DAY - timedelta(hours=number + 1))
            cls.tests.append(planned)
        cls.guideline = Guideline.objects.create(
            statement="Longer is lower", slot="intake_manifold", variable="runner_length", step=0.1, step_text="100 mm",
            measure="torque", claimed="more", smallest=0.005, written_by=cls.operator, written_at=scenes.DAY,
        )  # fmt: skip
        Explanation.objects.create(guideline=cls.guideline, text="Waves", grade="measured", programme=cls.tests[0],
                                   written_by=cls.operator, written_at=scenes.DAY)  # fmt: skip

    def zip(self, engine: Engine | None = None) -> bytes:
        return b"".join(write_zip.write_collection(self.owner, Scope(engine), scenes.DAY))

    def read(self, content: bytes, **choice: Any) -> WhatWasRead:
        return read_zip.read(self.owner, io.BytesIO(content), scenes.DAY, ReadingChoice(**choice))

    def counts(self) -> list[int]:
        kinds = (Engine, Part, Programme, Pull, Guideline, Explanation)
        return [kind.objects.count() for kind in kinds]

    def scores(self, programme: Programme) -> list[float | None]:
        compared = compare(programme, Standard.ISO_1585_SI)
        return [one.score for one in judging.judge(compared, Choice(Standard.ISO_1585_SI)).placings]


class WholeShop(Shop):
    def test_it_reads_back_elsewhere_to_the_same_verdicts(self):
        content = self.zip()
        read = self.read(content, name="Elsewhere", skip_known=False)
        self.assertEqual((len(read.programmes), read.skipped), (2, 0))
        for own, made in zip(self.tests, Programme.objects.filter(pk__in=read.programmes).order_by("pk"), strict=True):
            self.assertEqual(self.scores(own), self.scores(made))
            self.assertEqual(made.build.engine.name, f"{own.build.engine.name} (Elsewhere)")
            self.assertEqual(made.from_file_at, scenes.DAY)
        self.assertEqual(self.counts(), [4, 12, 4, 2 * Pull.objects.filter(session__programme__in=self.tests).count(),
                                         2, 2])  # fmt: skip
        explained = Explanation.objects.exclude(programme=self.tests[0]).get()
        self.assertEqual(explained.programme_id, read.programmes[0])

    def test_what_the_shop_has_is_made_no_second_time(self):
        before = self.counts()
        read = self.read(self.zip(), use_own=True)
        self.assertEqual((read.programmes, read.skipped), ((), 2))
        self.assertEqual(self.counts(), before)

    def test_engines_whose_tests_are_all_here_do_not_come_alone(self):
        content = self.zip()
        Engine.objects.filter(name="small four").update(name="renamed")
        read = self.read(content)
        self.assertEqual((read.programmes, read.skipped), ((), 2))
        self.assertEqual(set(Engine.objects.values_list("name", flat=True)), {"renamed", "big four"})

    def test_parts_that_changed_here_since_do_not_come_for_tests_that_are_skipped(self):
        content, before = self.zip(), self.counts()
        PartReading.objects.filter(part__name__endswith="four, 1").update(value=0.4)
        read = self.read(content, use_own=True)
        self.assertEqual((read.programmes, self.counts()), ((), before))

    def test_only_what_is_new_comes_and_it_joins_its_engine(self):
        content = self.zip()
        # As if this shop had the first of the two alone: the other has another moment here.
        Programme.objects.filter(pk=self.tests[1].pk).update(created_at=scenes.DAY - timedelta(days=900))
        read = self.read(content, use_own=True)
        self.assertEqual((len(read.programmes), read.skipped), (1, 1))
        made = Programme.objects.get(pk=read.programmes[0])
        self.assertEqual(made.build, self.tests[1].build)
        self.assertEqual((Engine.objects.count(), Part.objects.count()), (2, 6))

    def test_one_test_alone_is_stopped_between_two_pulls(self):
        content, before, watch = scenes.archive_of(self.owner, self.tests[0]), self.counts(), StopsAt(3)
        with self.assertRaises(NotWanted):
            read_zip.read(self.owner, io.BytesIO(content), scenes.DAY, ReadingChoice(), watch)
        self.assertEqual((self.counts(), watch.steps[0]), (before, (0, 6, "0 of 6 pulls")))

    def test_a_stop_leaves_nothing_and_progress_names_the_tests(self):
        content, before, watch = self.zip(), self.counts(), StopsAt(2)
        with self.assertRaises(NotWanted):
            read_zip.read(self.owner, io.BytesIO(content), scenes.DAY, ReadingChoice(skip_known=False), watch)
        self.assertEqual(self.counts(), before)
        self.assertEqual(watch.steps[:2], [(0, 2, "Engines and parts"), (0, 2, "Which manifold?")])

    def test_a_test_that_is_damaged_brings_nothing_of_the_others(self):
        source = zipfile.ZipFile(io.BytesIO(self.zip()))
        out, before = io.BytesIO(), self.counts()
        with zipfile.ZipFile(out, "w") as target:
            for name in source.namelist():
                content = source.read(name)
                if name == f"tests/{self.tests[1].pk}/{tables.RECORD}":
                    record = json.loads(content)
                    record["tables"]["pulls"][0]["setup"] = 987_654
                    content = json.dumps(record).encode()
                target.writestr(name, content)
        with self.assertRaisesMessage(FileProblem, "refers to setups 987654"):
            self.read(out.getvalue(), skip_known=False)
        self.assertEqual(self.counts(), before)

    def test_what_tests_share_stands_in_it_once(self):
        archive = zipfile.ZipFile(io.BytesIO(self.zip()))
        record = json.loads(archive.read(f"tests/{self.tests[0].pk}/{tables.RECORD}"))
        self.assertFalse(record["tables"].keys() & tables.LIBRARY)
        library = json.loads(archive.read(tables.LIBRARY_RECORD))["tables"]
        self.assertEqual((len(library["engines"]), len(library["parts"])), (2, 6))

    def test_practice_stays_with_its_engine_and_parts(self):
        PracticeTest.objects.create(programme=self.tests[1], engine="six", seed="1", made_by=self.operator,
                                    made_at=scenes.DAY)  # fmt: skip
        archive = zipfile.ZipFile(io.BytesIO(self.zip()))
        library = json.loads(archive.read(tables.LIBRARY_RECORD))["tables"]
        self.assertEqual([row["name"] for row in library["engines"]], ["small four"])
        self.assertEqual((len(library["parts"]), len(library["builds"])), (3, 1))
        self.assertEqual(len(json.loads(archive.read(tables.COLLECTION))["tests"]), 1)

    def test_a_part_of_a_practice_test_that_another_names_goes_along(self):
        PracticeTest.objects.create(programme=self.tests[1], engine="six", seed="1", made_by=self.operator,
                                    made_at=scenes.DAY)  # fmt: skip
        part = Part.objects.get(name="manifold of the big four, 2")
        theory = Theory.objects.create(programme=self.tests[0], name="Mats", written_by=self.operator,
                                       written_at=scenes.DAY)  # fmt: skip
        Prediction.objects.create(theory=theory, part=part, low=0.0, high=0.1)
        read = self.read(self.zip(), skip_known=False)
        self.assertEqual((len(read.programmes), Part.objects.filter(name__startswith=part.name).count()), (1, 2))

    def test_an_engine_of_many_tests_asks_no_more_for_its_parts(self):
        def queries() -> int:
            with CaptureQueriesContext(connection) as asked:
                rows = Scope(self.tests[0].build.engine)
                for table in tables.TABLES:
                    if table.name in tables.LIBRARY:
                        list(rows.library(table))
            return sum("programmes_setup_parts" in one["sql"] for one in asked)

        self.assertLessEqual(queries(), 2)

    def test_looking_asks_as_much_for_many_tests_as_for_few(self):
        def queries(content: bytes) -> int:
            with CaptureQueriesContext(connection) as asked:
                found = read_zip.look(self.owner, io.BytesIO(content))
            self.assertTrue(all(one.here for one in found.tests))
            return len(asked)

        two = queries(self.zip())
        for number in range(4):
            planned = scenes.programme(self.operator, engine=f"engine {number}", parts=f"manifold of {number},")
            Programme.objects.filter(pk=planned.pk).update(created_at=scenes.DAY + timedelta(days=number + 1))
        self.assertEqual(queries(self.zip()), two)

    def test_only_the_owner_takes_all_of_it_out(self):
        for person in (self.operator, scenes.person(Role.VIEWER)):
            with self.assertRaises(NotAllowed):
                write_zip.write_collection(person, Scope(None), scenes.DAY)
        with self.assertRaises(NotAllowed):
            write_zip.write_collection(scenes.person(Role.CUSTOMER), Scope(self.tests[0].build.engine), scenes.DAY)


class OneEngine(Shop):
    def test_it_brings_its_tests_and_parts_under_the_name_that_is_asked_for(self):
        content = self.zip(self.tests[0].build.engine)
        found = read_zip.look(self.operator, io.BytesIO(content))
        self.assertEqual((found.kind, found.name, len(found.tests), len(found.parts)), ("engine", "small four", 1, 3))
        read = self.read(content, name="Four from the barn", skip_known=False)
        made = Programme.objects.get(pk=read.programmes[0])
        self.assertEqual(made.build.engine.name, "Four from the barn")
        self.assertEqual(self.scores(made), self.scores(self.tests[0]))
        self.assertEqual(Guideline.objects.count(), 1)


class ByAJob(Shop):
    def setUp(self):
        self.client.force_login(self.operator)

    def brought(self, content: bytes) -> dict:
        file = io.BytesIO(content)
        file.name = "from elsewhere.zip"
        answer = self.client.post("/api/archives", {"file": file})
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def asked(self, upload: int, **given: object) -> Job:
        answer = self.client.post(f"/api/archives/{upload}/read", given, content_type="application/json")
        self.assertEqual(answer.status_code, 200, answer.content)
        return Job.objects.get(pk=answer.json()["id"])

    def do(self, job: Job) -> None:
        """Without its watch, which would look for it outside the transaction of the test."""
        with mock.patch.object(jobs, "LOOK_S", 600):
            jobs.run(job.pk)
        job.refresh_from_db()

    def test_it_is_looked_into_read_in_and_gone(self):
        found = self.brought(self.zip())
        self.assertEqual((found["kind"], [test["here_id"] for test in found["tests"]]),
                         ("shop", [test.pk for test in self.tests]))  # fmt: skip
        job = self.asked(found["id"], name="Barn", skip_known=False)
        self.do(job)
        self.assertEqual((job.state, len(job.result["programmes"]), job.done, job.total), ("done", 2, 2, 2))
        self.assertEqual((Programme.objects.count(), ArchiveUpload.objects.count()), (4, 0))

    def test_large_ones_come_in_pieces(self):
        content = self.zip()
        with mock.patch("curves.archive.api.PIECE", 10_000), self.settings(FILE_UPLOAD_MAX_MEMORY_SIZE=1000):
            upload = ArchiveUpload.objects.get(pk=self.brought(content)["id"])
        self.assertGreater(upload.pieces.count(), 5)
        with uploads.spooled(upload) as file:
            file.seek(0)
            self.assertEqual(file.read(), content)

    def test_what_is_no_archive_is_not_kept_and_says_so(self):
        file = io.BytesIO(b"hello")
        file.name = "hello.zip"
        answer = self.client.post("/api/archives", {"file": file})
        self.assertEqual(answer.status_code, 422)
        self.assertIn("damaged or cut off", answer.json()["detail"])
        self.assertEqual(ArchiveUpload.objects.count(), 0)

    def test_a_full_disk_says_so_and_the_file_stays_for_another_go(self):
        job = self.asked(self.brought(self.zip())["id"], skip_known=False)
        full = OSError(errno.ENOSPC, "No space left on device")
        with mock.patch.object(tempfile, "TemporaryFile", side_effect=full):
            self.do(job)
        self.assertEqual((job.state, ArchiveUpload.objects.count(), Programme.objects.count()), ("failed", 1, 2))
        self.assertIn("No space left on device", job.progress_text)

    def test_old_ones_go(self):
        found = self.brought(self.zip())
        ArchiveUpload.objects.update(at=scenes.DAY - timedelta(days=3))
        self.brought(self.zip())
        self.assertFalse(ArchiveUpload.objects.filter(pk=found["id"]).exists())

    def test_a_window_that_was_closed_finds_it_again_and_so_does_the_next_shift(self):
        found = self.brought(self.zip())
        self.client.force_login(self.owner)
        (listed,) = self.client.get("/api/archives").json()
        self.assertEqual((listed["id"], listed["name"], listed["by"], listed["job"]),
                         (found["id"], "from elsewhere.zip", str(self.operator), None))  # fmt: skip
        self.assertEqual(self.client.get(f"/api/archives/{found['id']}").json(), found)

    def test_while_one_imports_it_nobody_else_is_offered_it(self):
        job = self.asked(self.brought(self.zip())["id"])
        self.assertEqual([one["job"]["id"] for one in self.client.get("/api/archives").json()], [job.pk])
        self.client.force_login(self.owner)
        self.assertEqual(self.client.get("/api/archives").json(), [])

    def test_it_is_dropped_when_nobody_wants_it(self):
        found = self.brought(self.zip())
        self.assertEqual(self.client.delete(f"/api/archives/{found['id']}").status_code, 204)
        self.assertEqual(ArchiveUpload.objects.count(), 0)
