"""What was recorded is kept, whatever comes of it."""

from unittest import mock

import numpy as np
import scenes
from django.db import OperationalError
from django.test import TestCase

from curves.reduction import curve, reduce
from programmes.models import Programme
from shop.models import Person, Role
from stand.models import Pull, PullState, Session
from stand.pulls import arming
from stand.pulls.samples import append_chunk, read_raw
from stand.worker import pull_records
from stand.worker.entries import PullEnded


class Ending(TestCase):
    operator: Person
    programme: Programme
    session: Session

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)
        cls.session = scenes.session(cls.programme, cls.operator)
        scenes.link(cls.session.stand)

    def ended(self, rows: list[list[float]] | None = None) -> Pull:
        pull = arming.arm(self.operator, self.session, self.programme.setups.first(), scenes.DAY)
        names, units = zip(*scenes.CHANNELS, strict=True)
        pull_records.begin_pull(
            pull, pull_records.HelloFacts(scenes.RATE_HZ, names, units, "included", 0.45), scenes.DAY
        )
        append_chunk(pull.pk, 0, scenes.samples(1.0) if rows is None else rows)
        PullEnded(pull.pk, "complete", "", scenes.DAY).write()
        return Pull.objects.get(pk=pull.pk)

    def test_a_reduction_that_fails_leaves_an_ended_pull_with_its_samples_and_the_reason(self):
        with (
            mock.patch.object(curve, "curve_of_trace", side_effect=ZeroDivisionError("of nothing")),
            self.assertLogs("torvix.curves", "ERROR"),
        ):
            pull = self.ended()
        self.assertEqual(pull.state, PullState.COMPLETE)
        self.assertIn("The curve could not be computed (ZeroDivisionError: of nothing)", pull.reduced.refused)
        self.assertEqual(len(read_raw(pull)["rpm"][1]), len(scenes.samples(1.0)))
        arming.arm(self.operator, self.session, self.programme.setups.first(), scenes.DAY)

    def test_torque_that_reads_nothing_but_zero_ends_as_any_other(self):
        rows = np.array(scenes.samples(1.0))
        rows[:, 2] = 0.0
        pull = self.ended(rows.tolist())
        self.assertEqual(pull.state, PullState.COMPLETE)
        self.assertTrue(np.isfinite(pull.reduced.torque).all())

    def test_a_database_that_goes_between_record_and_curve_finds_the_curve_made_when_it_is_back(self):
        with (
            mock.patch.object(reduce, "copy_rows", side_effect=OperationalError("gone")),
            self.assertRaises(OperationalError),
        ):
            self.ended()
        pull = Pull.objects.get()
        self.assertEqual(pull.state, PullState.COMPLETE)
        self.assertTrue(pull.channels.exists())
        PullEnded(pull.pk, "complete", "", scenes.DAY).write()
        self.assertGreater(len(Pull.objects.get().reduced.speed_rpm), 40)
