"""The bench worker against a real simulated stand over TCP, and against what can go wrong."""

import itertools
import os
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from contextlib import ExitStack
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

import numpy as np
import psycopg
import scenes
from django.conf import settings
from django.core.management import CommandError, call_command
from django.db import OperationalError, connection
from django.test import TransactionTestCase

from demo.stand_day import StepBy, say_to_stand, simulated_stand
from shop.models import Role, Stand
from stand.limits import service as limits
from stand.models import ENDED, Chunk, Command, Link, Pull, PullOrigin, PullState
from stand.pulls import arming, commands, starting, stopping
from stand.pulls.samples import read_raw
from stand.tests.taken_away import allow_connections
from stand.worker import database_side as desk_module
from stand.worker import entries
from stand.worker import stand_worker as bench_module
from stand.worker.database_side import StandTaken
from stand.worker.stand_worker import StandWorker

PATIENT = ("--watchdog", "10")  # here the worker is turned by hand, and a busy machine may hold it up


class BenchCase(TransactionTestCase):
    """A session on a simulated stand whose time moves only in pulls."""

    stand_options: tuple[str, ...] = ("--stepped", "--warm", "--seed", "3")

    def setUp(self):
        self.stack = ExitStack()
        self.addCleanup(self.stack.close)
        self.operator = scenes.person(Role.OPERATOR)
        self.programme = scenes.programme(self.operator)
        port = self.stack.enter_context(simulated_stand(*self.stand_options))
        self.stand = Stand.objects.create(name="Stand 1", port=port)
        self.session = scenes.session(self.programme, self.operator, self.stand)
        self.spool = Path(self.stack.enter_context(TemporaryDirectory()))
        self.bench = StandWorker(self.stand, spool=self.spool)
        self.stack.callback(lambda: self.bench.close())
        self.by = StepBy(self.bench)
        self.by.until(lambda: self.bench.hello is not None and bool(self.bench.air), "hello")
        self.let_pass(1)

    def let_pass(self, seconds: float) -> None:
        """Time on the stand; the link holds its values afterwards."""
        if "skip" in self.bench.hello.can:
            self.by.skip(seconds)
        self.by.until(lambda: bool(self.bench.picture and self.bench.picture.values), "samples")
        self.by.report()

    def arm(self) -> Pull:
        pull = arming.arm(self.operator, self.session, self.programme.setups.first(), scenes.DAY)
        self.by.until(lambda: self.bench.state == "armed" and not self.bench.waiting, "arming")
        self.let_pass(60)
        return pull

    def until_ended(self, pull: Pull) -> Pull:
        self.by.until(lambda: Pull.objects.get(pk=pull.pk).state in ENDED, "the end of the pull")
        return Pull.objects.select_related("reduced").get(pk=pull.pk)

    def run_pull(self, during: Callable[[], None] = lambda: None) -> Pull:
        pull = self.arm()
        starting.start(self.operator, pull)
        self.by.until(lambda: self.bench.recording is not None, "the sweep")
        during()
        return self.until_ended(pull)


class WholePull(BenchCase):
    def test_a_pull_is_recorded_reduced_and_has_its_air(self):
        pull = self.run_pull()
        self.assertEqual((pull.state, pull.samples_lost), (PullState.COMPLETE, 0))
        raw = read_raw(pull)
        self.assertEqual(len(raw), 15)
        np.testing.assert_allclose(np.diff(raw["time"][1]), 0.02, atol=1e-6)
        self.assertGreater(raw["rpm"][1].max(), 6890)
        self.assertGreater(len(pull.reduced.speed_rpm), 40)
        self.assertAlmostEqual(pull.barometer / 1000, 97.2, delta=0.5)
        self.assertEqual((pull.inertia_in_torque, pull.inertia), ("not_included", 0.45))
        self.assertEqual(pull.origin, PullOrigin.SIMULATED)
        self.assertFalse(Chunk.objects.exists())

    def test_what_a_person_wrote_after_the_arming_is_still_there_at_the_end(self):
        self.programme.windows.update(low=390.0, high=400.0)
        pull = self.arm()
        starting.start(self.operator, pull, "Throttle travel to be seen")
        self.assertEqual(self.until_ended(pull).override_reason, "Throttle travel to be seen")


class AsItRuns(BenchCase):
    """Four times faster than real, so that something can happen in the middle of a pull."""

    stand_options = (*PATIENT, "--warm", "--speed", "4")

    def test_abort_ends_the_sweep_early_and_keeps_its_samples(self):
        def abort() -> None:
            self.by.until(lambda: self.bench.picture.values.get("rpm", 0) > 3000, "3000 rpm")
            stopping.abort(self.operator, Pull.objects.get(state=PullState.RUNNING))

        pull = self.run_pull(during=abort)
        self.assertEqual((pull.state, pull.ended_why), (PullState.ABORTED, "Aborted by the operator."))
        self.assertLess(read_raw(pull)["rpm"][1].max(), 6800)  # of 6900, and a busy machine may take its time
        self.assertFalse(hasattr(pull, "reduced"))

    def test_samples_are_committed_while_the_pull_runs(self):
        seen: list[int] = []

        def look() -> None:
            self.by.until(lambda: Chunk.objects.count() >= 3, "three chunks")
            seen.append(Chunk.objects.count())

        self.run_pull(during=look)
        self.assertGreaterEqual(seen[0], 3)

    def test_a_stand_that_vanishes_in_the_pull_leaves_it_incomplete_and_is_linked_again(self):
        def vanish() -> None:
            self.by.until(lambda: self.bench.picture.values.get("rpm", 0) > 2600, "2600 rpm")
            self.bench.line.send(0, "vanish", {})

        pull = self.run_pull(during=vanish)
        self.assertEqual(pull.state, PullState.INCOMPLETE)
        self.assertRegex(pull.ended_why, r"^The (stand closed the line|line to the stand broke).* at \d+ rpm\.$")
        self.assertGreater(len(read_raw(pull)["rpm"][1]), 20)
        self.by.until(lambda: Link.objects.get().connected, "the link to come back")


class BadSensors(BenchCase):
    def test_a_silent_and_a_nonsense_sensor_are_named_and_the_pull_goes_on(self):
        self.by.fault("air_flow", "silent")
        self.by.fault("manifold_temperature", "nonsense")
        pull = self.run_pull()
        self.assertEqual(pull.state, PullState.COMPLETE)
        told = {(finding.channel, finding.problem) for finding in pull.reduced.findings.all()}
        self.assertEqual(told, {("air_flow", "missing"), ("manifold_temperature", "implausible")})
        self.assertTrue(np.isnan(read_raw(pull)["air_flow"][1]).all())
        self.assertIn("air_flow", Link.objects.get().faulty)
        self.assertEqual(set(Link.objects.get().steps), {"gaps", "longest_s", "jitter_s"})

    def test_nonsense_weather_does_not_reach_the_mean(self):
        kept = list(self.bench.air)
        self.bench._take_weather([float("nan"), 20.0, 50.0])
        self.bench._take_weather([97.0])
        self.assertEqual(self.bench.air, kept)

    def test_a_watched_sensor_that_says_nothing_or_nonsense_under_load_stops_the_pull(self):
        for key, channel, kind, told in (
            ("lean", "lambda", "silent", "nothing came from lambda under load"),
            ("exhaust", "exhaust_temperature", "nonsense", "Stopped by the limit: exhaust temperature"),
            ("oil_pressure", "oil_pressure", "stuck", "oil pressure stood still to the last digit under load"),
        ):
            with self.subTest(kind=kind):
                self.by.fault(channel, kind)
                pull = self.run_pull()
                self.by.fault(channel, None)
                self.by.until(lambda: self.bench.state == "idle", "the engine to idle")
                self.assertEqual((pull.state, pull.tripped), (PullState.ABORTED, key))
                self.assertIn(told, pull.ended_why)

    def test_where_the_owner_wants_a_warning_only_the_pull_goes_on_and_says_so(self):
        owner = scenes.person(Role.OWNER)
        limits.set_limit(owner, self.stand, "lean", "", "8", "10", watched=True, stops_unseen=False)
        self.by.fault("lambda", "silent")
        with mock.patch.object(self.bench, "_tell", wraps=self.bench._tell) as heard:
            pull = self.run_pull()
        self.assertEqual((pull.state, pull.tripped), (PullState.COMPLETE, ""))
        self.assertIn("Nothing came from lambda under load, so lean under load was not watched", pull.ended_why)
        self.assertEqual([call.args[0] for call in heard.call_args_list].count("unseen"), 1)


class Refusing(BenchCase):
    def test_a_refusal_of_the_stand_ends_the_arming_with_its_words(self):
        self.programme.sweep_end_rpm = 9000
        self.programme.save()
        self.session.refresh_from_db()
        pull = arming.arm(self.operator, self.session, self.programme.setups.first(), scenes.DAY)
        pull = self.until_ended(pull)
        self.assertEqual(pull.state, PullState.ABORTED)
        self.assertIn("The stand refused: the stand's own limit is 7400 rpm", pull.ended_why)

    def test_a_command_the_stand_does_not_take_is_refused_by_name(self):
        pull = self.arm()
        command = commands.command_stand(self.operator, self.stand, "dance", pull, {})
        self.by.until(lambda: Command.objects.get(pk=command.pk).answer != "", "an answer")
        command.refresh_from_db()
        self.assertIn("does not take the command 'dance'", command.answer)


class LostDatabase(BenchCase):
    """Writes fail for a while as they do when the server is gone."""

    def lose_database(self) -> ExitStack:
        away = ExitStack()
        for kind in (
            entries.PullBegan,
            entries.SamplesRecorded,
            entries.PullEnded,
            entries.LinkState,
            entries.BrowserMessage,
        ):
            away.enter_context(mock.patch.object(kind, "write", side_effect=OperationalError("gone")))
        away.enter_context(mock.patch.object(desk_module, "DATABASE_RETRY_S", 0.02))
        return away

    def sweep_without_database(self) -> Pull:
        pull = self.arm()
        starting.start(self.operator, pull)
        self.by.until(lambda: self.bench.state == "armed" and self.bench.waiting == {}, "the command")
        with self.lose_database():
            self.by.until(lambda: self.bench.recording is not None, "the sweep")
            self.by.until(lambda: self.bench.recording is None, "the end of the sweep")
            self.by.until(lambda: len(self.bench.desk.journal) == 0, "everything to be on disk")
        self.assertFalse(Chunk.objects.exists())
        self.assertTrue(self.bench.desk.journal.on_disk)
        return pull

    def assert_whole(self, pull: Pull) -> None:
        self.assertEqual((pull.state, pull.samples_lost), (PullState.COMPLETE, 0))
        np.testing.assert_allclose(np.diff(read_raw(pull)["time"][1]), 0.02, atol=1e-6)
        self.assertGreater(read_raw(pull)["rpm"][1].max(), 6890)
        self.assertGreater(len(pull.reduced.speed_rpm), 40)

    def test_a_pull_made_while_the_database_is_away_is_written_when_it_is_back(self):
        self.assert_whole(self.until_ended(self.sweep_without_database()))
        self.assertFalse(self.bench.desk.journal.on_disk)

    def test_the_next_worker_writes_what_a_killed_one_had_on_disk(self):
        pull = self.sweep_without_database()
        self.assertIsNone(self.bench.desk._listening)  # so the stand is free, as after a kill
        other = StandWorker(Stand(pk=self.stand.pk, name="Stand 1", port=9), spool=self.spool)
        other.turn(0.0)
        other.turn(0.0)  # the stand is its own now, so it takes the dead one's place on the socket
        other.close()
        self.assert_whole(Pull.objects.select_related("reduced").get(pk=pull.pk))
        self.assertEqual(list(self.spool.iterdir()), [])

    def test_a_full_disk_keeps_it_in_memory_and_says_so(self):
        """/dev/full is a device on which no space is left."""
        self.bench.desk.journal.path = Path("/dev/full")
        pull = self.arm()
        starting.start(self.operator, pull)
        self.by.until(lambda: self.bench.state == "armed" and self.bench.waiting == {}, "the command")
        with self.lose_database():
            self.by.until(lambda: self.bench.recording is not None, "the sweep")
            self.by.until(lambda: self.bench.recording is None, "the end of the sweep")
            self.assertIn("No space left", self.bench.desk.journal.trouble)
            self.assertGreater(len(self.bench.desk.journal), 1)
        self.assert_whole(self.until_ended(pull))


class Silent(BenchCase):
    """A stand whose time stands still says nothing."""

    def test_silence_counts_only_while_the_worker_listens(self):
        self.bench.heard_at -= 10
        self.bench.listened_at -= 10  # a machine that stood still for ten seconds
        self.bench.turn(0.0)
        self.assertIsNotNone(self.bench.line)
        self.bench.heard_at -= 10
        self.bench.turn(0.0)
        self.assertIsNone(self.bench.line)
        self.assertIn("said nothing for 3 s", Link.objects.get(stand=self.bench.stand).why)


class NoStand(TransactionTestCase):
    def test_a_stand_that_is_not_there_is_told_and_tried_again(self):
        stand = Stand.objects.create(name="Stand 1", port=9)
        bench = StandWorker(stand)
        StepBy(bench).until(lambda: Link.objects.filter(connected=False).exists(), "a note of the loss")
        self.assertIn("nothing answers at 127.0.0.1:9", Link.objects.get().why)
        with simulated_stand("--stepped") as port:
            stand.port = port
            bench.connect_at = 0.0
            StepBy(bench).until(lambda: Link.objects.get().connected, "the link")
            bench.close()

    def test_a_stand_that_stays_away_is_asked_less_and_less_often(self):
        bench = StandWorker(Stand.objects.create(name="Stand 1", port=9))
        bench.turn(0.0)
        pauses = []
        for _ in range(6):
            bench.connect_at = 0.0
            before = bench_module.time.monotonic()
            bench.turn(0.0)
            pauses.append(round(bench.connect_at - before))
        self.assertEqual(pauses, [1, 2, 4, 8, 10, 10])
        bench.close()


class InThreads(BenchCase):
    """As `manage.py bench` runs it: the line in one thread, the database in another."""

    stand_options = (*PATIENT, "--warm", "--seed", "3", "--rate", "100")

    def run_in_threads(self) -> StandWorker:
        self.bench.close()
        bench = StandWorker(self.stand, spool=self.spool)
        thread = threading.Thread(target=bench.run)

        def stop() -> None:
            bench.stopping = True
            thread.join(20)

        self.stack.callback(stop)
        thread.start()
        self.wait(lambda: bench.state == "idle", "the stand")
        # The thread that writes is behind the one that hears; what arms reads what is written.
        self.wait(lambda: Link.objects.filter(stand=self.stand, connected=True).exists(), "the link on record")
        return bench

    def wait(self, true: Callable[[], bool], what: str) -> None:
        deadline = time.monotonic() + 30
        while not true():
            self.assertLess(time.monotonic(), deadline, f"waited in vain for {what}")
            time.sleep(0.01)

    def test_a_database_that_hangs_holds_up_no_limit_and_loses_no_sample(self):
        """Each chunk takes two seconds, so 200 samples, to write; the sweep is let go long before one is."""
        bench = self.run_in_threads()
        pull = arming.arm(self.operator, self.session, self.programme.setups.first(), scenes.DAY)
        self.wait(lambda: bench.state == "armed", "arming")
        say_to_stand(self.stand.port, "fault", channel="lambda", kind="reads", value=1.08)
        write = entries.SamplesRecorded.write

        def slowly(entry: entries.SamplesRecorded) -> None:
            time.sleep(2.0)
            write(entry)

        with mock.patch.object(entries.SamplesRecorded, "write", slowly):
            starting.start(self.operator, pull, "To see how fast it trips")
            self.wait(lambda: Pull.objects.get(pk=pull.pk).state in ENDED, "the end")
        pull.refresh_from_db()
        self.assertEqual((pull.tripped, pull.samples_lost), ("lean", 0))
        self.assertLess(int((read_raw(pull)["throttle"][1] >= 80).sum()), 60)

    def test_a_worker_that_finds_no_database_can_be_stopped(self):
        self.bench.close()
        bench = StandWorker(self.stand, spool=self.spool)
        gone = mock.patch.object(desk_module.psycopg, "connect", side_effect=psycopg.OperationalError("gone"))
        with gone as connect:
            thread = threading.Thread(target=bench.run)
            thread.start()
            self.wait(lambda: connect.called, "the database to be asked")
            bench.stopping = True
            thread.join(30)
        self.assertFalse(thread.is_alive())


class Beginning(TransactionTestCase):
    def test_a_worker_that_begins_while_the_database_is_away_waits_for_it(self):
        """In a process of its own, as ./torvix starts it."""
        stand = Stand.objects.create(name="Stand 1", port=9)
        env = {**os.environ, "TORVIX_DB_NAME": str(connection.settings_dict["NAME"]), "PYTHONUNBUFFERED": "1"}
        command = [sys.executable, "server/manage.py", "bench", "--stand", str(stand.pk)]
        allow_connections(False)
        self.addCleanup(allow_connections, True)
        with subprocess.Popen(command, env=env, cwd=settings.ROOT, stderr=subprocess.PIPE, stdout=subprocess.PIPE,
                              text=True) as worker:  # fmt: skip
            self.addCleanup(worker.kill)
            said = "the database does not answer, tried again"
            for line in itertools.takewhile(lambda line: said not in line, worker.stderr):
                self.assertNotIn("Traceback", line)  # which ends it, where it cannot wait
            self.assertIsNone(worker.poll())
            allow_connections(True)
            self.assertIn("bench holds the line to Stand 1", worker.stdout.readline())
            worker.terminate()
            worker.communicate()


class TwoWorkers(BenchCase):
    def test_the_second_refuses_and_leaves_the_pull_of_the_first_alone(self):
        pull = self.arm()
        starting.start(self.operator, pull)
        self.by.until(lambda: self.bench.recording is not None, "the sweep")
        with self.assertRaisesMessage(StandTaken, "another bench worker holds the line to Stand 1"):
            StandWorker(self.stand, spool=self.spool).run()
        with self.assertRaisesMessage(CommandError, "Stop that one first"):
            call_command("bench")
        self.assertEqual(self.until_ended(pull).state, PullState.COMPLETE)

    def test_another_stand_has_a_worker_of_its_own_and_a_stopped_worker_gives_its_stand_back(self):
        other = StandWorker(Stand.objects.create(name="Stand 2", port=9))
        other.turn(0.0)
        self.assertTrue(other.desk.held)
        other.close()
        self.bench.close()
        again = StandWorker(self.stand)
        again.turn(0.0)
        self.assertTrue(again.desk.held)
        again.close()
