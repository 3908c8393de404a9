from datetime import datetime, timedelta
from typing import Any

import numpy as np
import scenes
from django.db import IntegrityError, transaction
from django.test import TestCase

from programmes.models import Programme
from shop.models import Person, Role, Stand
from shop.refusals import Invalid, NotAllowed, Refusal
from stand.models import Channel, Chunk, Command, Link, Pull, PullState, Session, Standing
from stand.pulls import arming, keeping, starting
from stand.pulls.samples import append_chunk, read_raw, read_trace
from stand.pulls.steps import steps_left
from stand.session import opening
from stand.worker import pull_records


class Scene(TestCase):
    operator: Person
    viewer: Person
    programme: Programme
    session: Session
    setup_a: Any
    setup_b: Any
    link: Link
    now: datetime

    @classmethod
    def setUpTestData(cls):
        cls.operator, cls.viewer = scenes.person(Role.OPERATOR), scenes.person(Role.VIEWER)
        cls.programme = scenes.programme(cls.operator)
        cls.session = scenes.session(cls.programme, cls.operator)
        cls.setup_a, cls.setup_b, _ = cls.programme.setups.all()
        cls.link = scenes.link(cls.session.stand)
        cls.now = scenes.DAY + timedelta(hours=2)


class Sessions(Scene):
    def test_a_stand_has_one_session_at_a_time(self):
        with self.assertRaisesMessage(Refusal, "“Which manifold?” is open on Stand 1. Close that session first."):
            scenes.session(self.programme, self.operator, self.session.stand, self.now)
        scenes.session(self.programme, self.operator, Stand.objects.create(name="Stand 2"), self.now)

    def test_a_closed_session_makes_room_for_the_next(self):
        opening.close_session(self.operator, self.session, self.now)
        again = scenes.session(self.programme, self.operator, self.session.stand, self.now)
        self.assertIsNone(again.closed_at)

    def test_a_closed_session_is_not_closed_again_at_another_time(self):
        opening.close_session(self.operator, self.session, self.now)
        with self.assertRaisesMessage(Refusal, "closed already"):
            opening.close_session(self.operator, self.session, self.now + timedelta(hours=1))
        self.session.refresh_from_db()
        self.assertEqual(self.session.closed_at, self.now)

    def test_a_session_with_an_armed_pull_cannot_be_closed(self):
        arming.arm(self.operator, self.session, self.setup_a, self.now)
        with self.assertRaisesMessage(Refusal, "Abort it, then close the session"):
            opening.close_session(self.operator, self.session, self.now)


class Overtaken(Scene):
    """Two people at once: whoever comes second sees what the first did."""

    def test_nothing_is_armed_in_a_session_that_somebody_closed_in_the_meantime(self):
        mine = Session.objects.get(pk=self.session.pk)
        opening.close_session(self.operator, self.session, self.now)
        with self.assertRaisesMessage(Refusal, "closed in the meantime"):
            arming.arm(self.operator, mine, self.setup_a, self.now)
        self.assertFalse(Pull.objects.exists())

    def test_what_is_in_the_way_of_an_arming_is_named(self):
        arming.arm(self.operator, self.session, self.setup_a, self.now)
        with self.assertRaisesMessage(Refusal, "Pull 1 of “Which manifold?” is armed, by Operator. Abort or finish it"):
            arming.arm(self.operator, self.session, self.setup_b, self.now)


class Arming(Scene):
    def test_the_first_pull_of_a_setup_is_the_first_after_a_change(self):
        scenes.pull(self.session, self.setup_a, self.operator)
        again = arming.arm(self.operator, self.session, self.setup_a, self.now)
        self.assertFalse(again.first_after_change)
        pull_records.end_pull(again, PullState.ABORTED, "", self.now)
        other = arming.arm(self.operator, self.session, self.setup_b, self.now)
        self.assertTrue(other.first_after_change)

    def test_the_bench_is_told_what_is_bolted_on_and_the_sweep(self):
        arming.arm(self.operator, self.session, self.setup_b, self.now)
        command = Command.objects.get()
        self.assertEqual(command.name, "arm")
        self.assertAlmostEqual(command.arguments["fit"]["parts"][0]["values"]["runner_length"], 0.33)
        self.assertEqual(command.arguments["end_rpm"], 6900)

    def test_a_pull_knows_the_version_of_the_plan_that_it_closes(self):
        pull = arming.arm(self.operator, self.session, self.setup_a, self.now)
        self.assertEqual((pull.plan_version, self.programme.versions.get().used_at), (1, self.now))

    def test_a_setup_that_is_left_out_of_the_plan_is_not_armed(self):
        self.setup_b.candidate, self.setup_b.candidate_reason = "late", "in the post"
        self.setup_b.save()
        with self.assertRaisesMessage(Refusal, "B is not in the plan: in the post. Take it in first."):
            arming.arm(self.operator, self.session, self.setup_b, self.now)

    def test_two_pulls_cannot_be_armed_at_once(self):
        arming.arm(self.operator, self.session, self.setup_a, self.now)
        with self.assertRaisesMessage(Refusal, "is armed, by Operator. Abort or finish it first."):
            arming.arm(self.operator, self.session, self.setup_b, self.now)

    def test_a_stand_that_is_not_there_refuses_with_the_reason(self):
        self.link.connected, self.link.why = False, "nothing answers at 127.0.0.1:7420"
        self.link.save()
        with self.assertRaisesMessage(Refusal, "Stand 1 is not linked: nothing answers at 127.0.0.1:7420."):
            arming.arm(self.operator, self.session, self.setup_a, self.now)

    def test_a_worker_that_no_longer_reports_counts_as_lost(self):
        self.link.beat_at = self.now - timedelta(seconds=11)
        self.link.save()
        with self.assertRaisesMessage(Refusal, "the bench worker does not report; it may have been stopped."):
            arming.arm(self.operator, self.session, self.setup_a, self.now)
        self.link.beat_at = self.now - timedelta(seconds=2)
        self.link.save()
        arming.arm(self.operator, self.session, self.setup_a, self.now)

    def test_a_setup_of_another_programme_is_refused_at_its_field(self):
        foreign = self.programme.setups.get(position=0)
        foreign.programme_id = -1
        with self.assertRaises(Invalid) as refused:
            arming.arm(self.operator, self.session, foreign, self.now)
        self.assertIn("setup_id", refused.exception.fields)

    def test_a_viewer_may_not_arm(self):
        with self.assertRaisesMessage(NotAllowed, "Ask the owner for the operator role"):
            arming.arm(self.viewer, self.session, self.setup_a, self.now)


class Gates(Scene):
    def test_a_cold_engine_holds_the_start_until_a_reason_is_given(self):
        scenes.link(self.session.stand, oil_celsius=64.0)
        pull = arming.arm(self.operator, self.session, self.setup_a, self.now)
        with self.assertRaisesMessage(Refusal, "Held by oil. Wait, or give a reason"):
            starting.start(self.operator, pull)
        with self.assertRaisesMessage(Refusal, "Held by oil"):
            starting.start(self.operator, pull, "   ")
        starting.start(self.operator, pull, "Shake-down")
        pull.refresh_from_db()
        self.assertEqual(pull.override_reason, "Shake-down")

    def test_a_silent_sensor_holds_the_start_too(self):
        self.link.faulty = ["oil_temperature"]
        self.link.save()
        pull = arming.arm(self.operator, self.session, self.setup_a, self.now)
        with self.assertRaisesMessage(Refusal, "Held by oil"):
            starting.start(self.operator, pull)

    def test_a_lost_stand_is_told_as_that_and_not_as_a_cold_engine(self):
        pull = arming.arm(self.operator, self.session, self.setup_a, self.now)
        self.link.connected, self.link.why = False, "the stand closed the line"
        self.link.save()
        with self.assertRaisesMessage(Refusal, "Stand 1 is not linked: the stand closed the line."):
            starting.start(self.operator, pull, "Shake-down")

    def test_a_reason_that_was_not_needed_is_not_kept(self):
        pull = arming.arm(self.operator, self.session, self.setup_a, self.now)
        starting.start(self.operator, pull, "just because")
        pull.refresh_from_db()
        self.assertEqual(pull.override_reason, "")


class Judging(Scene):
    def test_leaving_out_needs_a_reason_and_can_be_undone(self):
        pull = scenes.pull(self.session, self.setup_a, self.operator)
        with self.assertRaisesMessage(Invalid, "Say why the pull is excluded."):
            keeping.exclude(self.operator, pull, self.now, "  ")
        keeping.exclude(self.operator, pull, self.now, "Coolant hose off")
        pull.refresh_from_db()
        self.assertEqual((pull.standing, pull.judged_by, pull.judged_at), (Standing.EXCLUDED, self.operator, self.now))
        keeping.keep(self.operator, pull, self.now)
        pull.refresh_from_db()
        self.assertEqual((pull.standing, pull.excluded_reason), (Standing.ACCEPTED, ""))

    def test_a_reason_too_long_is_refused_and_not_cut_off(self):
        pull = scenes.pull(self.session, self.setup_a, self.operator)
        with self.assertRaises(Invalid) as refused:
            keeping.exclude(self.operator, pull, self.now, "x" * 301)
        self.assertEqual(refused.exception.fields, {"reason": "301 characters, 300 fit: shorten it"})
        keeping.exclude(self.operator, pull, self.now, "x" * 300)

    def test_an_incomplete_pull_cannot_be_kept(self):
        pull = scenes.pull(self.session, self.setup_a, self.operator, keep=False)
        pull.state = PullState.INCOMPLETE
        with self.assertRaisesMessage(Refusal, "only a complete pull can be accepted"):
            keeping.keep(self.operator, pull, self.now)

    def test_judging_leaves_the_raw_samples_alone(self):
        pull = scenes.pull(self.session, self.setup_a, self.operator)
        before = {channel.name: bytes(channel.data) for channel in pull.channels.all()}
        keeping.exclude(self.operator, pull, self.now, "a reason")
        self.assertEqual({channel.name: bytes(channel.data) for channel in pull.channels.all()}, before)


class Samples(Scene):
    def test_what_the_stand_sent_comes_back_to_the_last_bit(self):
        rows = scenes.samples(1.0)
        pull = scenes.pull(self.session, self.setup_a, self.operator, rows=rows)
        raw = read_raw(pull)
        self.assertEqual(list(raw), ["time", "rpm", "torque", "throttle", "oil_temperature"])
        for column, (_, values) in zip(np.array(rows).T, raw.values(), strict=True):
            np.testing.assert_array_equal(values, column)
        self.assertFalse(Chunk.objects.filter(pull=pull).exists())

    def test_a_trace_is_in_si(self):
        trace = read_trace(scenes.pull(self.session, self.setup_a, self.operator))
        self.assertAlmostEqual(float(trace.channel("oil_temperature")[0]), 363.15)
        self.assertAlmostEqual(float(trace.channel("throttle").max()), 1.0)

    def test_a_pull_without_samples_is_incomplete_and_says_so(self):
        pull = scenes.pull(self.session, self.setup_a, self.operator, rows=[], keep=False)
        self.assertEqual((pull.state, pull.ended_why), (PullState.INCOMPLETE, "The stand sent no samples."))


class RunningOrder(Scene):
    def test_what_is_left_counts_kept_and_unjudged_but_not_excluded_pulls(self):
        steps = list(self.programme.steps.all())
        first = arming.arm(self.operator, self.session, self.setup_a, self.now)
        self.assertEqual(first.step, steps[0])
        first.state = PullState.COMPLETE
        self.assertEqual([count for _, count in steps_left(steps, [first])], [1, 2, 2, 1])
        first.standing = Standing.EXCLUDED
        self.assertEqual([count for _, count in steps_left(steps, [first])], [2, 2, 2, 1])


class KilledWorker(Scene):
    def test_a_pull_left_running_is_ended_from_its_committed_chunks(self):
        pull = scenes.pull(self.session, self.setup_a, self.operator, keep=False)
        Channel.objects.filter(pull=pull).update(samples=0, data=b"", codec="")  # as they are while it runs
        rows = scenes.samples(1.0)[:300]
        append_chunk(pull.pk, 0, rows[:200])
        append_chunk(pull.pk, 1, rows[200:])
        Pull.objects.filter(pk=pull.pk).update(state=PullState.RUNNING)
        self.assertEqual(pull_records.recover_pulls(self.session.stand, self.now), 1)
        pull.refresh_from_db()
        self.assertEqual(pull.state, PullState.INCOMPLETE)
        self.assertIn("bench worker stopped during the pull", pull.ended_why)
        self.assertEqual(len(read_raw(pull)["rpm"][1]), 300)


class Promises(Scene):
    """What must never be false is kept by the database, whatever the code above it does."""

    def refused(self, constraint: str, **fields: object) -> None:
        pull = scenes.pull(self.session, self.setup_a, self.operator, keep=False)
        with self.assertRaisesMessage(IntegrityError, constraint), transaction.atomic():
            Pull.objects.filter(pk=pull.pk).update(**fields)

    def test_an_exclusion_has_a_reason(self):
        self.refused("pull_exclusion_has_a_reason", standing=Standing.EXCLUDED)

    def test_only_a_complete_pull_is_kept(self):
        self.refused("pull_kept_only_if_complete", standing=Standing.ACCEPTED, state=PullState.INCOMPLETE)

    def test_a_number_is_given_once(self):
        scenes.pull(self.session, self.setup_a, self.operator)
        self.refused("pull_number_once_per_session", number=1)

    def test_a_channel_cannot_lose_its_pull(self):
        pull = scenes.pull(self.session, self.setup_a, self.operator)
        with self.assertRaises(IntegrityError), transaction.atomic():
            pull.delete()
