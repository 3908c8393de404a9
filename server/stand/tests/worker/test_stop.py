"""A stop reaches the stand: from a row, from a socket, from a worker that has just begun; and where it does not, it is
said loudly."""

import math
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase as PlainTestCase
from unittest import mock

import scenes
from django.conf import settings
from django.db import DatabaseError
from django.test import TestCase

from demo.stand_day import say_to_stand
from shop.models import Person, Role, Stand
from shop.refusals import NotAllowed
from stand.models import Command, Link, Pull, PullState
from stand.pulls import arming, starting, stopping
from stand.tests.worker.test_stand_worker import PATIENT, BenchCase
from stand.worker import stand_worker as bench_module
from stand.worker import stop_socket
from stand.worker.database_side import StandTaken
from stand.worker.line import Line, LineLost
from stand.worker.stand_worker import StandWorker
from stand.worker.stop import AGAIN_S, LATE_S, LOUD_S, Stop
from stand.worker.stop_socket import StopSocket


class Followed(PlainTestCase):
    def setUp(self):
        self.told = 0
        self.stop = Stop(self.tell)

    def tell(self):
        self.told += 1

    def follow(self, now: float, state: str = "sweeping", *, tells_states: bool = True) -> str:
        return self.stop.follow(now, state, tells_states=tells_states)

    def test_it_is_told_again_until_the_stand_has_stopped(self):
        self.stop.demand(10.0)
        for step in range(1, 4):
            self.assertEqual(self.follow(10.0 + 1.01 * step * AGAIN_S), "")
        self.assertEqual(self.told, 4)
        self.follow(11.0, "rolling_off")
        self.follow(99.0, "sweeping")
        self.assertEqual(self.told, 4)
        self.assertFalse(self.stop.is_demanded)

    def test_a_stand_that_goes_on_is_told_loudly_and_at_once_where_it_refuses(self):
        self.stop.demand(10.0)
        self.assertEqual(self.follow(10.0 + LOUD_S - 0.01), "")
        self.assertIn("THE STAND DID NOT STOP: 2 s after", self.follow(12.0))
        self.stop.replied(False, "the key is turned to local")
        self.assertIn("it refuses (the key is turned to local). Use the wired emergency stop.", self.follow(12.1))
        self.assertEqual(self.follow(13.0, "idle"), "")

    def test_a_stand_without_states_has_stopped_when_it_says_so(self):
        self.stop.demand(10.0)
        self.assertIn("DID NOT STOP", self.follow(12.0, "", tells_states=False))
        self.stop.replied(True, "")
        self.assertEqual(self.follow(12.1, "", tells_states=False), "")
        self.assertFalse(self.stop.is_demanded)

    def test_what_begins_only_later_is_stopped_as_well(self):
        self.stop.demand(10.0, watch_s=LATE_S)
        self.assertEqual(self.follow(10.1, "idle"), "")
        self.assertTrue(self.stop.is_demanded)
        self.follow(25.0, "armed")
        self.assertEqual(self.told, 2)
        self.follow(10.1 + LATE_S, "idle")
        self.assertTrue(math.isnan(self.stop.since))


class BySocket(PlainTestCase):
    def test_a_worker_that_is_there_answers_and_one_that_is_not_is_said(self):
        with TemporaryDirectory() as folder:
            spool = Path(folder)
            self.assertFalse(stop_socket.ask(spool, 3))
            listening = StopSocket(stop_socket.path_of(spool, 3))
            with mock.patch.object(stop_socket, "WAIT_S", 0.05):
                self.assertFalse(stop_socket.ask(spool, 3))  # it hangs
            for asking in listening.asked():
                asking.close()
            again = StopSocket(stop_socket.path_of(spool, 3))  # after a kill the file is still there
            listening.close()
            again.close()


class AsItRuns(BenchCase):
    stand_options = (*PATIENT, "--warm", "--speed", "4")

    def sweeping(self) -> Pull:
        pull = arming.arm(self.operator, self.session, self.programme.setups.first(), scenes.DAY)
        self.by.until(lambda: self.bench.state == "armed" and not self.bench.waiting, "arming")
        starting.start(self.operator, pull, "To be stopped")
        self.by.until(lambda: self.bench.recording is not None, "the sweep")
        return pull

    def stand_idles(self, bench: StandWorker | None = None) -> None:
        bench = bench or self.bench
        self.by.bench = bench
        self.by.until(lambda: bench.state in ("rolling_off", "idle"), "the stand to stop")

    def test_the_socket_stops_it_without_the_database(self):
        pull = self.sweeping()
        asking = stop_socket.socket.socket(stop_socket.socket.AF_UNIX)
        with asking, mock.patch.object(self.bench.desk, "turn"):
            asking.connect(str(stop_socket.path_of(self.spool, self.stand.pk)))
            self.stand_idles()
            asking.settimeout(30)
            self.assertEqual(asking.recv(10), stop_socket.DONE)
        self.assertEqual(self.until_ended(pull).ended_why, "Aborted by the operator.")

    def test_a_second_worker_that_is_refused_leaves_the_socket_of_the_first_alone(self):
        with self.assertRaises(StandTaken):
            StandWorker(self.stand, spool=self.spool).run()
        self.sweeping()
        with stop_socket.socket.socket(stop_socket.socket.AF_UNIX) as asking:
            asking.connect(str(stop_socket.path_of(self.spool, self.stand.pk)))
            self.stand_idles()

    def test_the_same_stop_by_both_ways_is_one_abort(self):
        """The row comes when the stand already rolls off; the pull is aborted all the same, not complete."""
        pull = self.sweeping()
        with stop_socket.socket.socket(stop_socket.socket.AF_UNIX) as asking:
            asking.connect(str(stop_socket.path_of(self.spool, self.stand.pk)))
            self.stand_idles()
        stopping.abort(self.operator, pull)
        self.assertEqual(self.until_ended(pull).state, PullState.ABORTED)

    def test_a_worker_that_finds_the_stand_sweeping_stops_it_first(self):
        """As after a kill: the line of the former worker is still open, the stand goes on, nobody has a guard."""
        say_to_stand(self.stand.port, "arm", start_rpm=2000, end_rpm=6900, rate_rpm_s=50, at_console=True)
        say_to_stand(self.stand.port, "start", at_console=True)
        self.by.until(lambda: self.bench.state == "sweeping", "the sweep")
        self.bench.close()
        other = StandWorker(self.stand, spool=self.spool)
        self.stack.callback(other.close)
        self.stand_idles(other)
        self.assertEqual(other.alarm, "")

    def test_an_abort_that_was_pressed_while_there_was_no_worker_survives_and_reaches_the_stand(self):
        pull = self.sweeping()
        self.bench.line.close()
        self.bench.line = None  # as a kill leaves it: nothing is written, nothing is ended
        self.bench.desk._finish()
        command = stopping.abort(self.operator, pull)
        other = StandWorker(self.stand, spool=self.spool)
        self.stack.callback(other.close)
        self.by.bench = other
        self.by.until(lambda: Command.objects.get(pk=command.pk).state != "waiting", "its answer")
        self.assertEqual(Command.objects.get(pk=command.pk).state, "done")
        self.stand_idles(other)

    def test_an_abort_is_for_the_stand_whatever_the_row_says(self):
        pull = self.sweeping()
        Pull.objects.filter(pk=pull.pk).update(state=PullState.INCOMPLETE)
        stopping.abort(self.operator, Pull.objects.get(pk=pull.pk))
        self.stand_idles()

    def test_a_refused_abort_is_told_in_capitals_and_tried_again(self):
        self.sweeping()
        said, send = [], Line.send

        def refused(line, identity, name, arguments):
            said.append(name)
            send(line, identity, "dance" if name == "abort" else name, arguments)

        with mock.patch.object(Line, "send", refused):
            stopping.abort(self.operator, Pull.objects.get(state=PullState.RUNNING))
            self.by.until(lambda: "it refuses" in self.bench.alarm, "the alarm")
            self.by.until(lambda: "DID NOT STOP" in Link.objects.get().alarm, "the alarm on the screen")
            self.by.until(lambda: said.count("abort") >= 3, "more tries")
        self.stand_idles()
        self.by.until(lambda: Link.objects.get().alarm == "", "the end of the alarm")

    def test_an_arming_that_is_answered_too_late_leaves_the_guard_on_and_is_disarmed(self):
        with mock.patch.object(bench_module, "ANSWER_S", -1.0):  # late, whenever it comes
            pull = arming.arm(self.operator, self.session, self.programme.setups.first(), scenes.DAY)
            self.by.until(lambda: Pull.objects.get(pk=pull.pk).state == PullState.ABORTED, "the arming to be given up")
        self.assertIsNotNone(self.bench.guard)
        self.assertTrue(self.bench.stop.is_demanded)
        self.by.until(lambda: self.bench.state == "idle", "the stand to be disarmed")

    def test_a_line_that_breaks_while_a_limit_stops_the_pull_does_not_end_the_worker(self):
        pull = self.sweeping()
        with mock.patch.object(Line, "send", side_effect=LineLost("the line to the stand broke")):
            self.bench.guard.watch = mock.Mock(return_value=self.trip())  # type: ignore[method-assign]
            self.by.until(lambda: self.bench.line is None, "the line to break")
        self.assertIn("no stop can reach it", self.bench.alarm)
        self.assertEqual(self.until_ended(pull).state, PullState.INCOMPLETE)

    def trip(self):
        limit = next(limit for limit in self.bench.guard.limits if limit.key == "coolant")
        return bench_module.Trip(limit, 400.0, 383.15, 3000.0)

    def test_a_heartbeat_keeps_a_sweep_running_past_the_watchdog(self):
        """Here the stand stops ten seconds after the last word; a worker that beats is heard five times in that."""
        self.sweeping()
        beats = mock.Mock(wraps=self.bench.line.beat)
        with mock.patch.object(self.bench.line, "beat", beats):
            self.bench.beat_at = 0.0
            self.by.until(lambda: beats.called, "a heartbeat")
        self.assertEqual(self.bench.state, "sweeping")


class ByKey(TestCase):
    operator: Person
    stand: Stand
    other: Stand

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.stand = Stand.objects.create(name="Stand 1")
        cls.other = Stand.objects.create(name="Stand 2")

    def test_a_key_stops_its_stand_alone_and_is_on_record(self):
        key = stopping.stop_key(self.operator, self.stand)
        self.assertFalse(stopping.stop(self.stand.pk, key))
        command = Command.objects.get()
        self.assertEqual((command.name, command.stand, command.asked_by), ("abort", self.stand, self.operator))
        with self.assertRaisesMessage(NotAllowed, "another stand"):
            stopping.stop(self.other.pk, key)
        with self.assertRaisesMessage(NotAllowed, "out of date"):
            stopping.stop(self.stand.pk, key[:-2])

    def test_only_those_who_operate_are_given_one(self):
        programme = scenes.programme(self.operator)
        session = scenes.session(programme, self.operator, self.stand)
        address = f"/api/programmes/{programme.pk}/stand"
        for person, given in ((self.operator, True), (scenes.person(Role.VIEWER), False)):
            self.client.force_login(person)
            found = self.client.get(address).json()
            self.assertEqual((found["stand_id"], bool(found["stop_key"])), (session.stand_id, given))

    def test_with_the_database_away_the_socket_alone_counts(self):
        key = stopping.stop_key(self.operator, self.stand)
        with mock.patch.object(stopping, "command_stand", side_effect=DatabaseError("gone")):
            with self.assertRaisesMessage(stopping.NotStopped, "Use the wired emergency stop now."):
                stopping.stop(self.stand.pk, key)
            with mock.patch.object(stop_socket, "ask", return_value=True) as ask:
                self.assertTrue(stopping.stop(self.stand.pk, key))
        ask.assert_called_once_with(settings.BENCH_SPOOL, self.stand.pk)
