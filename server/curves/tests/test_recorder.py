"""A recorder that only writes files: each finished one is a pull of the open session; what is not is said."""

import os
import subprocess
import sys
import time
from datetime import timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from unittest import mock

import psycopg
import scenes
from django.conf import settings
from django.db import OperationalError, connection
from django.test import TestCase, TransactionTestCase
from django.utils import timezone

from curves.intake import imports
from curves.intake.imports import FilePlacing
from curves.management.commands import watch_recorder
from curves.models import FileState, Import, SourceFile
from curves.recorder import service as recorder
from curves.recorder.finished_files import FinishedFiles
from curves.tests.test_imports import Watch, sweep
from programmes.models import Programme
from shop.models import Person, Role, Stand
from stand.live import notifications
from stand.models import Link, Note, Pull, PullState, Session, Standing
from stand.session import opening


class Folder(TestCase):
    programme: Programme
    operator: Person
    stand: Stand

    @classmethod
    def setUpTestData(cls) -> None:
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)

    def setUp(self) -> None:
        holder = TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.stand = Stand.objects.create(name="Recorder only", recorder=holder.name, inertia=0.4)
        self.session = opening.open_session(self.operator, self.programme, self.stand, timezone.now())
        self.files = FinishedFiles(self.folder)

    def written(self, name: str, content: bytes, later_s: float = 1.0) -> Path:
        path = self.folder / name
        path.write_bytes(content)
        moment = time.time() + later_s
        os.utime(path, (moment, moment))
        return path

    def known_layout(self) -> None:
        """One file of the make is mapped by hand, as anybody maps files."""
        batch = imports.begin(self.operator, self.programme, timezone.now())
        file = imports.take(self.operator, batch, "first.csv", sweep(0.8, seed=99))
        mapped = [imports.Mapped(one["name"], one["channel"], one["mapped_unit"]) for one in file.layout["columns"]]
        layouts = {file.layout_key: imports.LayoutChoice(mapped, is_table=False)}
        placing = {file.pk: FilePlacing(self.programme.setups.first().pk)}
        where = recorder.place_of(self.session, timezone.now())
        imports.settle(self.operator, batch, layouts, placing, where, timezone.now())

    def take(self, path: Path) -> str:
        return recorder.take(self.session, path, timezone.now())


class Finished(Folder):
    def test_a_file_that_grows_is_not_finished_and_one_that_stays_is_given_once(self):
        path = self.written("run 1.csv", b"half")
        self.assertEqual(list(self.files.look(0.0, 0.0)), [])
        self.assertEqual(list(self.files.look(2.0, 0.0)), [])
        self.written("run 1.csv", b"half and more", later_s=2.0)
        self.assertEqual(list(self.files.look(3.5, 0.0)), [])  # quiet since now only
        self.assertEqual(list(self.files.look(6.6, 0.0)), [path])
        self.assertEqual(list(self.files.look(9.0, 0.0)), [])
        self.written("run 1.csv", b"half and more and the end", later_s=3.0)
        list(self.files.look(10.0, 0.0))
        self.assertEqual(list(self.files.look(13.1, 0.0)), [path])

    def test_what_is_older_than_the_session_hidden_empty_or_temporary_is_left_alone(self):
        self.written("old.csv", b"old", later_s=-500)
        for name, content in ((".run.csv", b"x"), ("run.csv.part", b"x"), ("run.tmp", b"x"), ("empty.csv", b"")):
            self.written(name, content)
        (self.folder / "older runs").mkdir()
        list(self.files.look(0.0, time.time() - 60))
        self.assertEqual(list(self.files.look(10.0, time.time() - 60)), [])

    def test_one_that_could_not_be_dealt_with_is_given_again(self):
        path = self.written("run.csv", b"x")
        list(self.files.look(0.0, 0.0))
        with self.assertRaises(OperationalError):
            for _ in self.files.look(5.0, 0.0):
                raise OperationalError  # the database goes away in the middle
        self.assertEqual(list(self.files.look(6.0, 0.0)), [path])


class Taken(Folder):
    def test_a_finished_file_is_a_pull_of_the_open_session_by_the_mapping_of_its_layout(self):
        self.known_layout()
        path = self.written("run 1.csv", sweep())
        said = self.take(path)
        pull = Pull.objects.get()
        self.assertEqual(said, f"run 1.csv is pull {pull.number}")
        self.assertEqual(
            (pull.session, pull.state, pull.standing), (self.session, PullState.COMPLETE, Standing.UNDECIDED)
        )
        self.assertEqual(pull.setup, self.programme.setups.first())
        self.assertIsNotNone(pull.step)
        self.assertEqual((pull.inertia_in_torque, pull.inertia), ("not_included", 0.4))
        self.assertAlmostEqual(pull.ended_at.timestamp(), path.stat().st_mtime, delta=0.01)
        self.assertGreater((pull.ended_at - pull.started_at).total_seconds(), 5)
        self.assertTrue(pull.reduced.speed_rpm)
        self.assertEqual(SourceFile.objects.get(pull=pull).content, path.read_bytes())

    def test_read_again_after_a_restart_it_is_known(self):
        self.known_layout()
        path = self.written("run 1.csv", sweep())
        self.take(path)
        self.assertIn("known already", self.take(path))
        self.assertEqual(Pull.objects.count(), 1)

    def test_cut_off_between_taking_it_and_noting_its_time_it_is_taken_again_with_its_time(self):
        self.known_layout()
        path = self.written("run 1.csv", sweep())
        whole = SourceFile.save

        def cut_off(file: SourceFile, **how: Any) -> None:
            if how.get("update_fields") == ["layout"]:
                raise OperationalError
            whole(file, **how)

        with mock.patch.object(SourceFile, "save", cut_off), self.assertRaises(OperationalError):
            self.take(path)
        self.assertFalse(SourceFile.objects.filter(batch__session=self.session).exists())
        self.assertIn("is pull", self.take(path))
        self.assertAlmostEqual(Pull.objects.get().ended_at.timestamp(), path.stat().st_mtime, delta=0.01)

    def test_one_that_was_read_too_early_and_grew_is_said_and_not_counted_twice(self):
        self.known_layout()
        self.take(self.written("run 1.csv", sweep(end=700)))
        said = self.take(self.written("run 1.csv", sweep(), later_s=9.0))
        self.assertIn("is a part of it", said)
        self.assertEqual(Note.objects.get().text, said)
        self.assertEqual(Pull.objects.count(), 1)

    def test_the_setup_is_that_of_the_last_change(self):
        self.known_layout()
        self.take(self.written("run 1.csv", sweep()))
        other = self.programme.setups.order_by("pk")[1]
        self.session.changes.create(
            before=self.programme.setups.first(), after=other, planned_min=5, begun_at=timezone.now(),
            begun_by=self.operator, ended_at=timezone.now() + timedelta(seconds=5),
        )  # fmt: skip
        self.take(self.written("run 2.csv", sweep(1.03, seed=2), later_s=60))
        self.assertEqual(Pull.objects.order_by("number").last().setup, other)

    def test_columns_that_nobody_mapped_wait_and_come_by_themselves_afterwards(self):
        path = self.written("run 1.csv", sweep())
        said = self.take(path)
        self.assertIn("never mapped", said)
        self.assertEqual(Note.objects.get().text, said)
        self.assertEqual(recorder.mapped_meanwhile(self.session, timezone.now()), "")
        self.known_layout()
        self.assertIn("is pull", recorder.mapped_meanwhile(self.session, timezone.now()))
        self.assertEqual(Pull.objects.get().session, self.session)

    def test_mapped_on_the_import_screen_it_goes_into_the_same_session(self):
        self.take(self.written("run 1.csv", sweep()))
        batch = imports.unfinished(self.operator, self.programme)
        self.assertEqual(batch.session, self.session)
        file = batch.files.get()
        mapped = [imports.Mapped(one["name"], one["channel"], one["mapped_unit"]) for one in file.layout["columns"]]
        layouts = {file.layout_key: imports.LayoutChoice(mapped, is_table=False)}
        placing = {file.pk: FilePlacing(self.programme.setups.first().pk)}
        where = recorder.FilingPlace(scenes.DAY.date(), "Somewhere")
        job = imports.run(self.operator, batch, layouts, placing, where, timezone.now())
        self.assertEqual(recorder.mapped_meanwhile(self.session, timezone.now()), "")  # it is being read already
        imports.work(job.arguments, Watch())
        self.assertEqual(Pull.objects.get().session, self.session)
        self.assertIsNotNone(Pull.objects.get().ended_at)

    def test_bad_files_are_said_and_cost_nothing(self):
        for name, content, words in (
            ("notes.csv", b"\x00\x01\x02 nothing of ours \xff" * 40, ""),
            ("words.csv", b"dear diary,\nit rained\n", ""),
        ):
            said = self.take(self.written(name, content))
            self.assertIn(name, said)
            self.assertIn(words, said)
        with mock.patch.object(recorder, "LARGEST_FILE", 10):
            self.assertIn("more than is read", self.take(self.written("large.csv", sweep())))
        self.assertEqual((Pull.objects.count(), Note.objects.count()), (0, 3))


class Looked(Folder):
    def test_without_a_session_files_wait_for_one(self):
        self.known_layout()
        opening.close_session(self.operator, self.session, timezone.now())
        self.written("run 1.csv", sweep(), later_s=60)
        with mock.patch.object(self.files, "quiet_s", 0.0):
            self.assertEqual(watch_recorder.look(self.stand, self.files), "")
            opened = opening.open_session(
                self.operator, self.programme, self.stand, timezone.now() + timedelta(seconds=1)
            )
            self.assertIn("is pull", watch_recorder.look(self.stand, self.files))
        self.assertEqual(Pull.objects.get().session, opened)

    def test_one_file_that_brings_us_down_costs_no_other_and_one_who_may_not_any_more_is_said(self):
        self.known_layout()
        self.written("run 1.csv", sweep())
        self.written("run 2.csv", sweep(1.04, seed=2))
        whole = recorder.take
        broken = lambda session, path, at: 1 / 0 if path.name == "run 1.csv" else whole(session, path, at)  # noqa: E731
        with mock.patch.object(self.files, "quiet_s", 0.0), mock.patch.object(recorder, "take", broken):
            said = watch_recorder.look(self.stand, self.files)
        self.assertIn("run 1.csv: It could not be read by a fault of the application", said)
        self.assertIn("run 2.csv is pull 1", said)
        Person.objects.filter(pk=self.operator.pk).update(role=Role.VIEWER)
        self.written("run 3.csv", sweep(1.08, seed=3))
        with mock.patch.object(self.files, "quiet_s", 0.0):
            self.assertIn("run 3.csv: ", watch_recorder.look(self.stand, self.files))
        self.assertEqual((Pull.objects.count(), Note.objects.count()), (1, 2))

    def test_a_second_watch_over_the_same_folder_reads_nothing(self):
        with psycopg.connect(**notifications.connection_arguments()) as other:
            other.execute("SELECT pg_advisory_lock(%s)", [watch_recorder.LOCK + self.stand.pk])
            self.assertFalse(watch_recorder._alone(self.stand))
            other.execute("SELECT pg_advisory_unlock_all()")
        self.assertTrue(watch_recorder._alone(self.stand))
        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_advisory_unlock_all()")

    def test_a_database_that_goes_away_in_the_middle_loses_no_file(self):
        self.known_layout()
        self.written("run 1.csv", sweep())
        with mock.patch.object(self.files, "quiet_s", 0.0):
            with mock.patch.object(imports, "work", side_effect=OperationalError), self.assertRaises(OperationalError):
                watch_recorder.look(self.stand, self.files)
            self.assertEqual(Import.objects.get(session=self.session).files.get().state, FileState.WAITING)
            self.assertIn("is pull", watch_recorder.look(self.stand, self.files))
        self.assertEqual(Pull.objects.count(), 1)


class Process(TransactionTestCase):
    """The process itself, killed while a file is written."""

    def watching(self, stand: Stand) -> subprocess.Popen[bytes]:
        env = {**os.environ, "TORVIX_DB_NAME": str(connection.settings_dict["NAME"])}
        command = [sys.executable, "server/manage.py", "watch_recorder", "--stand", str(stand.pk)]
        process = subprocess.Popen(command, env=env, cwd=settings.ROOT, stderr=subprocess.DEVNULL)
        self.addCleanup(process.wait)
        self.addCleanup(process.kill)
        return process

    def until(self, true, process: subprocess.Popen[bytes]) -> None:
        while not true():
            self.assertIsNone(process.poll(), "the watch ended")
            time.sleep(0.1)

    def test_killed_and_started_again_it_reads_what_was_finished_meanwhile_and_nothing_twice(self):
        holder = TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        operator = scenes.person(Role.OPERATOR)
        programme = scenes.programme(operator)
        stand = Stand.objects.create(name="Recorder only", recorder=holder.name)
        session = opening.open_session(operator, programme, stand, timezone.now())
        known = Taken("known_layout")
        known.operator, known.programme, known.session = operator, programme, session
        known.known_layout()
        process = self.watching(stand)
        self.until(lambda: Link.objects.filter(stand=stand, why__contains="becomes a pull").exists(), process)
        path = Path(holder.name, "run 1.csv")
        whole = sweep()
        path.write_bytes(whole[: len(whole) // 2])
        process.kill()
        process.wait()
        with path.open("ab") as file:
            file.write(whole[len(whole) // 2 :])
        process = self.watching(stand)
        self.until(lambda: Pull.objects.exists(), process)
        self.until(lambda: Link.objects.filter(stand=stand, why__contains="is pull 1").exists(), process)
        pull = Pull.objects.get()
        self.assertEqual((pull.session, bytes(SourceFile.objects.get(pull=pull).content)), (session, whole))
        path.unlink()
        Path(holder.name).rmdir()
        self.until(lambda: Link.objects.filter(stand=stand, why__contains="cannot be read").exists(), process)
        Path(holder.name).mkdir()
        self.until(lambda: Link.objects.filter(stand=stand, why__contains="becomes a pull").exists(), process)
        self.assertEqual(Session.objects.get().pulls.count(), 1)
