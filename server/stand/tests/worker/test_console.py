"""A stand that only reports: sweeps are started at its console, and found in what it sends."""

import numpy as np
import scenes

from demo.stand_day import say_to_stand
from stand.models import Command, Note, NoteKind, Pull, PullState
from stand.pulls import arming, commands, starting, stopping
from stand.pulls.samples import read_raw
from stand.tests.worker.test_stand_worker import PATIENT, BenchCase


class AtItsConsole(BenchCase):
    stand_options = (*PATIENT, "--warm", "--seed", "3", "--speed", "6", "--reports-only")

    def console(self, name: str, **arguments: object) -> None:
        """Somebody at the console of the stand, not Torvix."""
        say_to_stand(self.stand.port, name, at_console=True, **arguments)

    def arm_here(self) -> Pull:
        pull = arming.arm(self.operator, self.session, self.programme.setups.first(), scenes.DAY)
        self.by.until(lambda: self.bench.armed is not None and not self.bench.waiting, "arming")
        return pull

    def sweep(self, **changed: float) -> None:
        self.console("arm", **{"start_rpm": 2000, "end_rpm": 6900, "rate_rpm_s": 350, **changed})
        self.console("start")

    def until(self, pull: Pull, state: str) -> Pull:
        self.by.until(lambda: Pull.objects.get(pk=pull.pk).state == state, state)
        return Pull.objects.get(pk=pull.pk)

    def test_the_sweep_is_found_recorded_whole_and_reduced(self):
        self.assertEqual(self.bench.hello.can & {"arm", "start", "abort"}, frozenset())
        pull = self.arm_here()
        self.sweep()
        pull = self.until(pull, PullState.COMPLETE)
        raw = read_raw(pull)
        np.testing.assert_allclose(np.diff(raw["time"][1]), 0.02, atol=1e-6)
        self.assertGreater(raw["rpm"][1].max(), 6890)
        self.assertLess(raw["rpm"][1][0], 2100)  # from before it was found: since the throttle opened
        self.assertGreater(raw["throttle"][1][5], 50)
        self.assertEqual(pull.samples_lost, 0)
        reduced = Pull.objects.select_related("reduced").get(pk=pull.pk).reduced
        self.assertGreater(len(reduced.speed_rpm), 40)
        self.assertEqual(pull.start_values.keys() & {"oil_temperature", "rpm"}, {"oil_temperature", "rpm"})

    def test_a_sweep_broken_off_at_the_console_is_logged_and_not_counted(self):
        pull = self.arm_here()
        self.sweep(end_rpm=4200)
        pull = self.until(pull, PullState.ABORTED)
        self.assertRegex(pull.ended_why, r"^Broken off at 42\d\d of 6900 rpm\.$")

    def test_it_cannot_be_started_or_stopped_from_here_but_disarmed(self):
        pull = self.arm_here()
        command = commands.command_stand(self.operator, self.stand, "start", pull, {})
        self.by.until(lambda: Command.objects.get(pk=command.pk).answer != "", "an answer")
        self.assertIn("takes no commands", Command.objects.get(pk=command.pk).answer)
        stopping.abort(self.operator, pull)
        self.assertEqual(self.until(pull, PullState.ABORTED).ended_why, "Disarmed before it began.")
        self.assertIsNone(self.bench.armed)

    def test_a_limit_is_told_and_the_pull_goes_on_until_the_operator_stops_it(self):
        pull = self.arm_here()
        self.console("fault", channel="coolant_temperature", kind="reads", value=120)
        self.sweep()
        pull = self.until(pull, PullState.COMPLETE)
        self.assertEqual(pull.tripped, "coolant")
        self.assertIn("this stand takes no commands: coolant 120 °C, above 110 °C", pull.ended_why)


class Unasked(BenchCase):
    stand_options = (*PATIENT, "--warm", "--seed", "3", "--speed", "6")

    def test_a_sweep_that_nobody_armed_here_is_noted(self):
        self.bench.line.send(0, "arm", {"start_rpm": 2000, "end_rpm": 2600, "rate_rpm_s": 350})
        self.by.until(lambda: self.bench.state == "armed", "arming at the console")
        self.bench.line.send(0, "start", {})
        self.by.until(lambda: Note.objects.filter(kind=NoteKind.STAND).exists(), "the note")
        self.assertFalse(Pull.objects.exists())


class Troubles(BenchCase):
    """Faults of the engine and the line, as the stand's script brings them."""

    stand_options = (*PATIENT, "--warm", "--seed", "3", "--speed", "6", "--rate", "100")

    def swept(self, **trouble: object) -> Pull:
        self.bench.line.send(0, "script", {"lines": [{"pull": 1, **trouble}]})
        pull = arming.arm(self.operator, self.session, self.programme.setups.first(), scenes.DAY)
        self.by.until(lambda: self.bench.state == "armed" and not self.bench.waiting, "arming")
        starting.start(self.operator, pull, "To see what happens")
        return self.until_ended(pull)

    def test_oil_that_is_lost_in_the_sweep_stops_it(self):
        pull = self.swept(at_rpm=4000, trouble="oil_loss")
        self.assertEqual((pull.state, pull.tripped), (PullState.ABORTED, "oil_pressure"))
        self.assertLess(read_raw(pull)["rpm"][1].max(), 6800)  # of 6900, and a busy machine may take its time

    def test_an_engine_that_dies_ends_the_pull(self):
        pull = self.swept(at_rpm=3500, trouble="stall")
        self.assertLess(read_raw(pull)["rpm"][1].max(), 3600)
        self.assertFalse(pull.tripped)

    def test_a_line_that_says_nothing_any_more_counts_as_lost(self):
        pull = self.swept(at_rpm=3500, trouble="hush")
        self.assertEqual(pull.state, PullState.INCOMPLETE)
        self.assertIn("said nothing for 3 s", pull.ended_why)

    def test_a_noisy_sensor_is_recorded_as_it_came(self):
        pull = self.swept(at_rpm=2500, channel="lambda", kind="noisy")
        mixture = read_raw(pull)["lambda"][1]
        self.assertGreater(np.nanstd(mixture[-200:]), 5 * np.nanstd(mixture[150:200]))

    def test_a_step_test_holds_its_speeds(self):
        wanted = arming.PullRequest("steps", holds=[(2500.0, 2.0), (3000.0, 2.0), (3500.0, 2.0)])
        pull = arming.arm(self.operator, self.session, self.programme.setups.first(), scenes.DAY, wanted)
        self.by.until(lambda: self.bench.state == "armed" and not self.bench.waiting, "arming")
        starting.start(self.operator, pull, "To see the steps")
        pull = self.until_ended(pull)
        self.assertEqual(pull.state, PullState.COMPLETE)
        speed = read_raw(pull)["rpm"][1]
        for held in (2500, 3000, 3500):
            self.assertGreater(int((np.abs(speed - held) < 8).sum()), 180)
