"""What stood in columns before there were readings comes over, and the builds of old pulls are closed."""

import os

import scenes
from django.db import IntegrityError, connection, transaction
from django.db.migrations.executor import MigrationExecutor
from django.test import TransactionTestCase

from ops.lanes import OURS, other_database

OLD = [("engines", "0001_initial"), ("stand", "0002_samples_stored_as_they_are"), ("shop", "0001_initial"),
       ("programmes", "0002_initial")]  # fmt: skip
NEW = [("engines", "0005_used_builds_are_closed"), ("stand", "0005_setups_that_were_pulled"),
       ("shop", "0002_stand_elevation"), ("programmes", "0003_expectations")]  # fmt: skip


BEFORE_WORDS = [("engines", "0007_carburetor"), ("programmes", "0011_what_is_expected_where"),
                ("stand", "0021_trade_words")]  # fmt: skip
AFTER_WORDS = [("engines", "0008_trade_words_of_origins"), ("programmes", "0013_ignition_timing"),
               ("stand", "0022_accepted_when_complete")]  # fmt: skip


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

    def test_origins_fuels_and_labels_change_their_words_and_what_was_typed_stays(self):
        old = self.migrate(BEFORE_WORDS)
        person = old.get_model("shop", "Person").objects.create(username="ines", role="owner")
        engine = old.get_model("engines", "Engine").objects.create(name="eight")
        build = old.get_model("engines", "Build").objects.create(engine=engine)
        by = {"written_at": scenes.DAY, "written_by_id": person.pk, "build_id": build.pk}
        readings = old.get_model("engines", "BuildReading").objects
        for dimension, origin, content in (
            ("told_ratio", "catalogue", {"value": 9.2}), ("fuel", "told", {"words": "pump_petrol"}),
            ("ignition", "measured", {"words": "pump_petrol"}), ("tyre_radius", "measured", {"value": 0.3}),
        ):  # fmt: skip
            readings.create(dimension=dimension, origin=origin, **content, **by)
        old.get_model("engines", "Build").objects.filter(pk=build.pk).update(used_at=scenes.DAY)
        programme = old.get_model("programmes", "Programme").objects.create(
            question="?", build_id=build.pk, low_rpm=3000, high_rpm=6000, sweep_start_rpm=2000, sweep_end_rpm=6900,
            sweep_rate_rpm_s=350, created_at=scenes.DAY, created_by_id=person.pk,
        )  # fmt: skip
        old.get_model("programmes", "PlanVersion").objects.create(
            programme=programme, number=1, made_at=scenes.DAY, made_by_id=person.pk,
            document={"setups": [{"letter": "A", "has": {"Spark advance": "31 °"}}]},
        )  # fmt: skip

        new = self.migrate(AFTER_WORDS)
        found = new.get_model("engines", "BuildReading").objects.filter(build_id=build.pk)
        self.assertEqual(
            {(one.dimension, one.origin, one.words) for one in found},
            {("quoted_ratio", "catalog", ""), ("fuel", "reported", "pump_gasoline"),
             ("ignition", "measured", "pump_petrol"), ("tire_radius", "measured", "")},
        )  # fmt: skip
        version = new.get_model("programmes", "PlanVersion").objects.get(programme_id=programme.pk)
        self.assertEqual(version.document["setups"][0]["has"], {"Ignition timing": "31 °"})
        with self.assertRaises(IntegrityError), transaction.atomic():  # closed again
            found.filter(dimension="quoted_ratio").update(value=9.3)
