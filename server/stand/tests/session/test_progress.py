"""The day as it goes against its plan: what is done, what is left, when it will be over."""

from datetime import timedelta
from typing import Any

import scenes
from django.test import TestCase

from programmes.models import DayRules, PlannedSession, Programme
from programmes.order import orders
from programmes.plan import saving
from shop.models import Person, Role
from stand.progress.service import progress
from stand.pulls.keeping import exclude
from stand.session.opening import close_session


class Day(TestCase):
    """Order A 2, B 2, C 2, A 1; 20 minutes of warm-up, pulls of 4 minutes, one after a change that does not count."""

    person: Person
    programme: Programme
    setups: list[Any]

    @classmethod
    def setUpTestData(cls):
        cls.person = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.person)
        cls.setups = list(cls.programme.setups.all())
        PlannedSession.objects.create(programme=cls.programme, position=0, starts_at=scenes.DAY, paid_min=120)

    def at(self, minutes: float):
        plan = saving.plan_in_force(self.programme)
        laid = orders.lay_out(plan, self.programme.build)
        return progress(self.programme, plan, laid.finishes_at, scenes.DAY + timedelta(minutes=minutes))

    def test_before_the_first_pull_nothing_is_projected(self):
        found = self.at(0)
        self.assertEqual((found.done, found.projected, found.late_min), ([], None, None))
        # 20 warm-up, (1 + 2) pulls of 4; then 17 for each manifold.
        self.assertEqual([one.ends_at for one in found.left][:2],
                         [scenes.DAY + timedelta(minutes=minutes) for minutes in (32, 61)])  # fmt: skip

    def test_in_the_middle_what_is_left_follows_from_now(self):
        session = scenes.session(self.programme, self.person)
        for setup in (0, 0, 1):
            scenes.pull(session, self.setups[setup], self.person)
        # scenes make pulls at minutes 4, 8 and 12; so far A is done and B lacks one pull.
        found = self.at(40)
        self.assertEqual([(one.setup, list(one.pulls)) for one in found.done], [(0, [1, 2]), (1, [3])])
        self.assertEqual([(one.setup, one.pulls, one.change_min, one.pulling_min) for one in found.left],
                         [(1, 1, 0.0, 4.0), (2, 2, 17.0, 12.0), (0, 1, 17.0, 8.0)])  # fmt: skip
        self.assertEqual(found.projected, scenes.DAY + timedelta(minutes=40 + 4 + 29 + 25))
        planned = 20 + 12 + 29 + 29 + 25
        self.assertAlmostEqual(found.late_min, 98 - planned)
        self.assertEqual((found.paid_left_min, [one.fits for one in found.left]), (80.0, [True, True, True]))

    def test_visits_that_do_not_fit_into_the_paid_time_any_more_are_marked(self):
        session = scenes.session(self.programme, self.person)
        scenes.pull(session, self.setups[0], self.person)
        found = self.at(60)
        self.assertEqual([one.fits for one in found.left], [True, True, False, False])
        self.assertEqual(found.paid_until, scenes.DAY + timedelta(minutes=120))

    def test_a_pull_that_was_left_out_is_still_to_be_made(self):
        session = scenes.session(self.programme, self.person)
        pull = scenes.pull(session, self.setups[0], self.person)
        pull.step = self.programme.steps.first()
        pull.save()
        self.assertEqual(self.at(20).left[0].pulls, 1)
        exclude(self.person, pull, scenes.DAY, "misfired")
        self.assertEqual(self.at(20).left[0].pulls, 2)

    def test_what_is_planned_for_another_day_waits_for_it_and_has_its_paid_time(self):
        tomorrow = scenes.DAY + timedelta(days=1)
        PlannedSession.objects.create(programme=self.programme, position=1, starts_at=tomorrow, paid_min=60)
        self.programme.steps.filter(position__gte=2).update(session=1)
        session = scenes.session(self.programme, self.person)
        for setup in (0, 0):
            scenes.pull(session, self.setups[setup], self.person)
        found = self.at(40)
        # B today: 17 for the manifold, 12 of pulls. C tomorrow after 20 of warm-up, then A after the paid 60.
        self.assertEqual(
            [one.ends_at for one in found.left],
            [scenes.DAY + timedelta(minutes=69), tomorrow + timedelta(minutes=49), tomorrow + timedelta(minutes=74)],
        )
        self.assertEqual([one.fits for one in found.left], [True, True, False])

    def test_between_sessions_nothing_is_late(self):
        session = scenes.session(self.programme, self.person)
        scenes.pull(session, self.setups[0], self.person)
        self.assertIsNotNone(self.at(60).late_min)
        close_session(self.person, session, scenes.DAY + timedelta(minutes=61))
        later = self.at(60 * 24 * 30)
        self.assertIsNone(later.late_min)
        self.assertTrue(later.left)

    def test_when_all_is_done_nothing_is_projected(self):
        scenes.day_of_pulls(self.programme, self.person, ((1, 1, 1), (1, 1), (1, 1)))
        found = self.at(200)
        self.assertEqual((found.left, found.projected), ([], None))

    def test_it_is_read_with_a_bounded_number_of_queries(self):
        scenes.day_of_pulls(self.programme, self.person, ((1, 1), (1, 1), (1,)))
        DayRules.objects.filter(programme=self.programme).update(hour_price=90)
        self.client.force_login(self.person)
        with self.assertNumQueries(14):
            told = self.client.get(f"/api/programmes/{self.programme.pk}/progress").json()
        self.assertEqual(len(told["done"]), 3)
        # The shop is read once, for its money and its clock, however many versions there are.
        with self.assertNumQueries(16):
            self.client.get(f"/api/plans/{self.programme.pk}")
