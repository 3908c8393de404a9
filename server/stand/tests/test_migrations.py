"""What stood in columns before there were readings comes over, and the builds of old pulls are closed."""

import os

import scenes
from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from django.test import TransactionTestCase

from ops.lanes import OURS, other_database

OLD = [("engines", "0001_initial"), ("stand", "0002_samples_stored_as_they_are"), ("shop", "0001_initial"),
       ("programmes", "0002_initial")]  # fmt: skip
NEW = [("engines", "0005_used_builds_are_closed"), ("stand", "0005_setups_that_were_pulled"),
       ("shop", "0002_stand_elevation"), ("programmes", "0003_expectations")]  # fmt: skip


class FromColumnsToReadings(TransactionTestCase):
    """In an empty database of its own, which goes no further than it must."""

    def setUp(self):
        name = f"{OURS}_old_{os.getpid()}"
        with connection._nodb_cursor() as cursor:
            cursor.execute(f'DROP DATABASE IF EXISTS "{name}" WITH (FORCE)')
            cursor.execute(f'CREATE DATABASE "{name}"')
        self.enterContext(other_database(name))

    def migrate(self, targets):
        executor = MigrationExecutor(connection)
        executor.migrate(targets)
        return MigrationExecutor(connection).loader.project_state(targets).apps

    def test_dimensions_parts_and_pulls_come_over(self):
        old = self.migrate(OLD)
        person = old.get_model("shop", "Person").objects.create(username="mats", role="operator")
        engine = old.get_model("engines", "Engine").objects.create(name="six")
        build = old.get_model("engines", "Build").objects.create(
            engine=engine, bore=0.0866, stroke=0.0824, cylinders=6, strokes_per_cycle=2, redline_rpm=7200, notes="old"
        )
        part = old.get_model("engines", "Part").objects.create(name="long", slot="intake_manifold", runner_length=0.42)
        programme = old.get_model("programmes", "Programme").objects.create(
            question="?", build_id=build.pk, low_rpm=3000, high_rpm=6000, sweep_start_rpm=2000, sweep_end_rpm=6900,
            sweep_rate_rpm_s=350, created_at=scenes.DAY, created_by_id=person.pk,
        )  # fmt: skip
        setup = old.get_model("programmes", "Setup").objects.create(programme=programme, position=0, name="A")
        stand = old.get_model("shop", "Stand").objects.create(name="Stand 1")
        session = old.get_model("stand", "Session").objects.create(
            programme_id=programme.pk, stand_id=stand.pk, opened_at=scenes.DAY, opened_by_id=person.pk
        )
        pull = old.get_model("stand", "Pull").objects.create(
            session=session, number=1, setup_id=setup.pk, armed_at=scenes.DAY, operator_id=person.pk,
            sweep_start_rpm=2000, sweep_end_rpm=6900, sweep_rate_rpm_s=350,
        )  # fmt: skip

        new = self.migrate(NEW)
        readings = new.get_model("engines", "BuildReading").objects.filter(build_id=build.pk)
        found = {reading.dimension: reading.words or reading.value for reading in readings}
        self.assertEqual(found, {"bore": 0.0866, "stroke": 0.0824, "cylinders": 6.0, "redline": 7200.0, "cycle": "2"})
        runner = new.get_model("engines", "PartReading").objects.get(part_id=part.pk)
        self.assertEqual((runner.dimension, runner.value, runner.origin), ("runner_length", 0.42, "told"))
        self.assertEqual(new.get_model("stand", "Pull").objects.get(pk=pull.pk).build_id, build.pk)
        self.assertTrue(new.get_model("programmes", "Setup").objects.get(pk=setup.pk).pulled)
        kept = new.get_model("engines", "Build").objects.get(pk=build.pk)
        self.assertEqual((kept.notes, kept.used_at), ("old", scenes.DAY))
