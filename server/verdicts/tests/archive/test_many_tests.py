"""An engine or the whole shop out as one file and in again: to the same verdicts, once, or not at all."""

import io
import json
import zipfile
from datetime import timedelta

import scenes
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext

from curves.archive import tables, write_zip
from curves.archive.scope import Scope
from engines.models import Engine
from programmes.models import PracticeTest, Programme
from shop.models import Person, Role, Stand
from shop.refusals import NotAllowed
from verdicts.models import Explanation, Guideline

LEVELS = ((1.0, 1.002), (1.01, 1.013), (0.99, 0.992))


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


class WholeShop(Shop):
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

    def test_an_engine_of_many_tests_asks_no_more_for_its_parts(self):
        def queries() -> int:
            with CaptureQueriesContext(connection) as asked:
                rows = Scope(self.tests[0].build.engine)
                for table in tables.TABLES:
                    if table.name in tables.LIBRARY:
                        list(rows.library(table))
            return sum("programmes_setup_parts" in one["sql"] for one in asked)

        self.assertLessEqual(queries(), 2)

    def test_only_the_owner_takes_all_of_it_out(self):
        for person in (self.operator, scenes.person(Role.VIEWER)):
            with self.assertRaises(NotAllowed):
                write_zip.write_collection(person, Scope(None), scenes.DAY)
        with self.assertRaises(NotAllowed):
            write_zip.write_collection(scenes.person(Role.CUSTOMER), Scope(self.tests[0].build.engine), scenes.DAY)
