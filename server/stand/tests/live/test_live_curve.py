"""What a screen that opens in the middle of a pull is given."""

from unittest import mock

import numpy as np
import scenes
from django.test import TestCase

from programmes.models import Programme
from shop.models import Person, Role
from stand.live import live_curve
from stand.models import Pull, PullState, Session
from stand.pulls import arming, samples
from stand.pulls.samples import append_chunk
from stand.worker import pull_records


class SoFar(TestCase):
    operator: Person
    programme: Programme
    session: Session

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)
        cls.session = scenes.session(cls.programme, cls.operator)
        scenes.link(cls.session.stand)

    def running(self, inertia: str = "included", channels=scenes.CHANNELS) -> Pull:
        pull = arming.arm(self.operator, self.session, self.programme.setups.first(), scenes.DAY)
        names, units = zip(*channels, strict=True)
        pull_records.begin_pull(pull, pull_records.HelloFacts(50, names, units, inertia, 0.45), scenes.DAY, {})
        return pull

    def test_the_points_lie_on_the_curve(self):
        pull = self.running()
        rows = scenes.samples(1.0)
        append_chunk(pull.pk, 0, rows[:300])
        append_chunk(pull.pk, 1, rows[300:600])
        points = np.array(live_curve.points(pull))
        self.assertEqual(len(points), 120)  # 600 samples at 50 Hz in points of 0.1 s
        inside = points[(points[:, 0] > 2100) & (points[:, 0] < 6000)]
        np.testing.assert_allclose(inside[:, 1], scenes.torque_curve(inside[:, 0]), rtol=2e-3)

    def test_inertia_is_added_where_the_stand_leaves_it_out(self):
        """0.45 kg·m² at 350 rpm/s is 16.5 N·m, worked by hand: 0.45 · 350 · π/30."""
        pull = self.running("not_included")
        append_chunk(pull.pk, 0, scenes.samples(1.0)[:500])
        points = np.array(live_curve.points(pull))
        inside = points[(points[:, 0] > 2500) & (points[:, 0] < 5000)]
        np.testing.assert_allclose(inside[:, 1] - scenes.torque_curve(inside[:, 0]), 16.49, atol=0.6)

    def test_a_pull_that_is_packed_meanwhile_gives_nothing_made_up(self):
        """Its chunks go between the count and the reading: what was reserved for them is not read as samples."""
        pull = self.running()
        append_chunk(pull.pk, 0, scenes.samples(1.0)[:300])

        def packed_meanwhile(shape: tuple[int, int]) -> np.ndarray:
            pull.chunks.all().delete()
            return np.full(shape, 1e300)

        with mock.patch.object(samples.np, "empty", packed_meanwhile):
            self.assertEqual(live_curve.points(pull), [])

    def test_a_sample_without_a_time_is_left_out(self):
        pull = self.running()
        rows = [list(row) for row in scenes.samples(1.0)[:300]]
        rows[0][0] = rows[7][0] = None
        append_chunk(pull.pk, 0, rows)
        points = np.array(live_curve.points(pull))
        self.assertEqual(len(points), 60)
        self.assertTrue(np.isfinite(points).all())

    def test_before_the_first_samples_and_without_torque_there_are_none(self):
        self.assertEqual(live_curve.points(self.running()), [])
        Pull.objects.update(state=PullState.ABORTED)
        other = self.running(channels=(("rpm", "rpm"), ("throttle", "%")))
        append_chunk(other.pk, 0, [[0.0, 2000.0, 100.0], [0.02, 2007.0, 100.0]])
        self.assertEqual(live_curve.points(other), [])

    def test_a_chunk_that_comes_while_they_are_read_is_left_for_the_next_time(self):
        pull = self.running()
        rows = scenes.samples(1.0)
        append_chunk(pull.pk, 0, rows[:300])
        empty = np.empty

        def and_meanwhile(shape):
            append_chunk(pull.pk, 1, rows[300:400])
            return empty(shape)

        with mock.patch.object(samples.np, "empty", and_meanwhile):
            self.assertEqual(len(live_curve.points(pull)), 60)
        self.assertEqual(len(live_curve.points(pull)), 80)

    def test_samples_that_are_missing_leave_no_hole_and_no_nan(self):
        pull = self.running()
        rows = np.array(scenes.samples(1.0)[:400])
        rows[100:130, 2] = np.nan
        append_chunk(pull.pk, 0, rows)  # type: ignore[arg-type]
        self.assertTrue(np.isfinite(live_curve.points(pull)).all())

    def test_it_is_told_in_the_units_of_the_person(self):
        pull = self.running()
        append_chunk(pull.pk, 0, scenes.samples(1.0)[:300])
        self.client.force_login(self.operator)
        points = self.client.get(f"/api/pulls/{pull.pk}/live-curve").json()["points"]
        self.assertAlmostEqual(points[-1][1] * 1.3558179483, live_curve.points(pull)[-1][1], delta=0.02)
        self.assertAlmostEqual(points[-1][2], points[-1][1] * points[-1][0] / 5252.113, delta=0.02)  # hp of lb-ft
