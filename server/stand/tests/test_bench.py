"""The bench worker against a real simulated stand over TCP, and against what can go wrong."""

from collections.abc import Callable
from contextlib import ExitStack
from unittest import mock

import numpy as np
import psycopg
import scenes
from django.db import OperationalError
from django.test import TransactionTestCase

from demo.loader import StepBy, simulated_stand
from shop.models import Role, Stand
from stand import bench as bench_module
from stand import services
from stand.bench import Bench
from stand.models import ENDED, Chunk, Command, Link, Pull, PullState
from stand.samples import read_raw


class BenchCase(TransactionTestCase):
    """A session on a simulated stand whose time moves only in pulls."""

    stand_options = ("--stepped", "--warm", "--seed", "3")

    def setUp(self):
        self.stack = ExitStack()
        self.addCleanup(self.stack.close)
        self.operator = scenes.person(Role.OPERATOR)
        self.programme = scenes.programme(self.operator)
        port = self.stack.enter_context(simulated_stand(*self.stand_options))
        self.stand = Stand.objects.create(name="Stand 1", port=port)
        self.session = scenes.session(self.programme, self.operator, self.stand)
        self.bench = Bench(self.stand)
        self.addCleanup(self.stop_bench)
        self.by = StepBy(self.bench)
        self.by.until(lambda: self.bench.hello is not None and bool(self.bench.air), "hello")
        self.let_pass(1)

    def let_pass(self, seconds: float) -> None:
        """Time on the stand; the link holds its values afterwards."""
        if "skip" in self.bench.hello.can:
            self.by.skip(seconds)
        self.by.until(lambda: bool(self.bench.picture and self.bench.picture.values), "samples")
        self.bench.write_link()
        self.bench.flush_writes()

    def stop_bench(self):
        self.bench.stopping = True
        self.bench.run()

    def arm(self) -> Pull:
        pull = services.arm(self.operator, self.session, self.programme.setups.first(), scenes.DAY)
        self.by.until(lambda: self.bench.state == "armed" and not self.bench.waiting, "arming")
        self.let_pass(60)
        return pull

    def until_ended(self, pull: Pull) -> Pull:
        self.by.until(lambda: Pull.objects.get(pk=pull.pk).state in ENDED, "the end of the pull")
        return Pull.objects.select_related("reduced").get(pk=pull.pk)

    def run_pull(self, during: Callable[[], None] = lambda: None) -> Pull:
        pull = self.arm()
        services.start(self.operator, pull)
        self.by.until(lambda: self.bench.recording is not None, "the sweep")
        during()
        return self.until_ended(pull)


class WholePull(BenchCase):
    def test_a_pull_is_recorded_reduced_and_has_its_air(self):
        pull = self.run_pull()
        self.assertEqual((pull.state, pull.samples_lost), (PullState.COMPLETE, 0))
        raw = read_raw(pull)
        self.assertEqual(len(raw), 14)
        np.testing.assert_allclose(np.diff(raw["time"][1]), 0.02, atol=1e-6)
        self.assertGreater(raw["rpm"][1].max(), 6890)
        self.assertGreater(len(pull.reduced.speed_rpm), 40)
        self.assertAlmostEqual(pull.barometer / 1000, 97.2, delta=0.5)
        self.assertEqual((pull.inertia_in_torque, pull.inertia), ("not_included", 0.45))
        self.assertFalse(Chunk.objects.exists())

    def test_what_a_person_wrote_after_the_arming_is_still_there_at_the_end(self):
        self.programme.windows.update(low=390.0, high=400.0)
        pull = self.arm()
        services.start(self.operator, pull, "Throttle travel to be seen")
        self.assertEqual(self.until_ended(pull).override_reason, "Throttle travel to be seen")


class AsItRuns(BenchCase):
    """Four times faster than real, so that something can happen in the middle of a pull."""

    stand_options = ("--warm", "--speed", "4")

    def test_abort_ends_the_sweep_early_and_keeps_its_samples(self):
        def abort() -> None:
            self.by.until(lambda: self.bench.picture.values.get("rpm", 0) > 3000, "3000 rpm")
            services.abort(self.operator, Pull.objects.get(state=PullState.RUNNING))

        pull = self.run_pull(during=abort)
        self.assertEqual((pull.state, pull.ended_why), (PullState.ABORTED, "Aborted by the operator."))
        self.assertLess(read_raw(pull)["rpm"][1].max(), 4500)
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
        self.by.fault("lambda", "silent")
        self.by.fault("exhaust_temperature", "nonsense")
        pull = self.run_pull()
        self.assertEqual(pull.state, PullState.COMPLETE)
        told = {(finding["channel"], finding["problem"]) for finding in pull.reduced.findings}
        self.assertEqual(told, {("lambda", "missing"), ("exhaust_temperature", "implausible")})
        self.assertTrue(np.isnan(read_raw(pull)["lambda"][1]).all())
        self.assertIn("lambda", Link.objects.get().faulty)

    def test_nonsense_weather_does_not_reach_the_mean(self):
        kept = list(self.bench.air)
        self.bench._take_weather([float("nan"), 20.0, 50.0])
        self.bench._take_weather([97.0])
        self.assertEqual(self.bench.air, kept)


class Refusing(BenchCase):
    def test_a_refusal_of_the_stand_ends_the_arming_with_its_words(self):
        self.programme.sweep_end_rpm = 9000
        self.programme.save()
        self.session.refresh_from_db()
        pull = services.arm(self.operator, self.session, self.programme.setups.first(), scenes.DAY)
        pull = self.until_ended(pull)
        self.assertEqual(pull.state, PullState.ABORTED)
        self.assertIn("The stand refused: the stand's own limit is 7400 rpm", pull.ended_why)

    def test_a_command_the_stand_does_not_take_is_refused_by_name(self):
        pull = self.arm()
        command = services._ask(self.operator, self.stand, "dance", pull, {})
        self.by.until(lambda: Command.objects.get(pk=command.pk).answer != "", "an answer")
        command.refresh_from_db()
        self.assertIn("does not take the command 'dance'", command.answer)


class LostDatabase(BenchCase):
    def test_a_pull_made_while_the_database_is_away_is_written_when_it_is_back(self):
        """Writes fail for a while as they do when the server is gone; nothing of the pull is lost."""
        pull = self.arm()
        services.start(self.operator, pull)
        self.by.until(lambda: self.bench.recording is not None, "the sweep")
        with (
            mock.patch.object(bench_module, "append_chunk", side_effect=OperationalError("gone")),
            mock.patch.object(bench_module.live, "notify", side_effect=psycopg.OperationalError("gone")),
            mock.patch.object(bench_module, "DATABASE_RETRY_S", 0.05),
        ):
            self.by.until(lambda: self.bench.recording is None, "the end of the sweep")
        self.assertFalse(Chunk.objects.exists())
        self.bench.write_again_at = 0.0
        pull = self.until_ended(pull)
        self.assertEqual((pull.state, pull.samples_lost), (PullState.COMPLETE, 0))
        np.testing.assert_allclose(np.diff(read_raw(pull)["time"][1]), 0.02, atol=1e-6)


class NoStand(TransactionTestCase):
    def test_a_stand_that_is_not_there_is_told_and_tried_again(self):
        stand = Stand.objects.create(name="Stand 1", port=9)
        bench = Bench(stand)
        StepBy(bench).until(lambda: Link.objects.filter(connected=False).exists(), "a note of the loss")
        self.assertIn("nothing answers at 127.0.0.1:9", Link.objects.get().why)
        with simulated_stand("--stepped") as port:
            stand.port = port
            bench.connect_at = 0.0
            StepBy(bench).until(lambda: Link.objects.get().connected, "the link")
            bench.stopping = True
            bench.run()
