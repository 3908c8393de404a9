"""What is known of an engine before a programme begins, and that it stays as it was."""

from datetime import timedelta

import numpy as np
import scenes
from django.test import TestCase
from torvix_core.air.standards import Standard
from torvix_core.judging import effects
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.effects import fit

from programmes.models import Programme
from shop.models import Person, Role
from stand.models import Pull, PullOrigin, Session
from stand.session import opening
from verdicts.comparison.aligned_pulls import compare
from verdicts.models import KnownScatter
from verdicts.prior import known_scatter, scatter_history

LEVELS = ((1.0, 1.003, 0.998), (1.01, 1.012, 1.008), (0.99, 0.992, 0.989))


class Scene(TestCase):
    operator: Person
    first: Programme
    session: Session

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.first = scenes.programme(cls.operator)
        cls.session = scenes.day_of_pulls(cls.first, cls.operator, LEVELS)
        opening.close_session(cls.operator, cls.session, scenes.DAY)

    def again(self) -> Programme:
        """Another programme on the same engine."""
        count = Programme.objects.count()
        return scenes.programme(self.operator, build=self.first.build, parts=f"inlet {count}, number")

    def open(self, programme: Programme, day: int = 1):
        return scenes.session(programme, self.operator, self.session.stand, scenes.DAY + timedelta(days=day))

    def close(self, session) -> None:
        opening.close_session(self.operator, session, session.opened_at + timedelta(hours=2))


class Remembering(Scene):
    def test_the_scatter_of_earlier_programmes_is_written_down_when_the_first_session_opens(self):
        second = self.again()
        self.assertEqual(known_scatter.history_of(second), effects.USUAL)
        self.open(second)
        known = KnownScatter.objects.get(programme=second)
        own = fit(np.array(LEVELS).ravel(), Layout.of(np.repeat([0, 1, 2], 3)), effects.USUAL).own_scatter
        self.assertAlmostEqual(known.scatter, float(own), delta=0.0001)
        self.assertEqual((known.degrees_of_freedom, known.programmes, known.of_stand), (4, 1, False))
        self.assertIn("Scatter is steadied by 1 earlier test of this engine", known_scatter.scatter_sentence(second))

    def test_it_counts_as_no_more_than_so_many_degrees(self):
        second = self.again()
        self.open(second)
        KnownScatter.objects.update(degrees_of_freedom=400)
        self.assertEqual(known_scatter.history_of(second).weight, known_scatter.MOST_WEIGHT)

    def test_another_engine_on_the_same_stand_is_better_than_nothing_and_said(self):
        other = scenes.programme(self.operator, engine="3.2 six", parts="inlet")
        self.assertNotEqual(other.build.engine_id, self.first.build.engine_id)
        self.open(other)
        self.assertTrue(KnownScatter.objects.get(programme=other).of_stand)
        self.assertIn("other engines on this stand", known_scatter.scatter_sentence(other))

    def test_simulated_days_say_nothing_of_an_engine_nor_an_engine_of_them(self):
        Pull.objects.update(origin=PullOrigin.SIMULATED)
        second = self.again()
        self.close(self.open(second))
        self.assertFalse(KnownScatter.objects.exists())
        self.assertEqual(scatter_history.scatter_of(second).degrees_of_freedom, 4)  # better than nothing, for a plan
        scenes.link(self.session.stand)  # which says that it is simulated
        third = self.again()
        self.close(self.open(third, day=2))
        self.assertEqual(KnownScatter.objects.get(programme=third).programmes, 1)
        Pull.objects.update(origin=PullOrigin.STAND)
        fourth = self.again()
        self.open(fourth, day=3)
        self.assertFalse(KnownScatter.objects.filter(programme=fourth).exists())

    def test_nothing_known_is_said_too(self):
        self.assertIn(
            "Nothing was known of this engine before: a scatter of 0.4 %", known_scatter.scatter_sentence(self.first)
        )

    def test_it_stays_what_it_was_though_more_becomes_known(self):
        second = self.again()
        opened = self.open(second)
        before = KnownScatter.objects.get(programme=second).scatter
        self.close(opened)
        self.open(second, day=2)
        self.assertEqual(KnownScatter.objects.get(programme=second).scatter, before)

    def test_days_that_returned_say_what_drift_is_usual(self):
        for number in range(3):
            programme = self.again()
            opened = self.open(programme, day=number + 1)
            for level in (1.0, 1.0):
                for setup in (0, 1):
                    place = opened.pulls.count()
                    scenes.pull(
                        opened, programme.setups.get(position=setup), self.operator, level=level - 0.001 * place
                    )
            self.close(opened)
        last = self.again()
        self.open(last, day=9)
        known = KnownScatter.objects.get(programme=last)
        self.assertAlmostEqual(known.drift_mean, -0.001, delta=0.0003)
        self.assertLess(known.drift_day_sd, effects.USUAL.drift.day_sd)
        self.assertIn("Drift as this engine had it on earlier days: −0.1", known_scatter.drift_sentence(last))

    def test_it_travels_with_the_programme(self):
        second = self.again()
        opened = self.open(second)
        for setup in second.setups.all():
            scenes.pull(opened, setup, self.operator)
        made = scenes.read_back(self.operator, scenes.archive_of(self.operator, second))
        self.assertEqual(known_scatter.history_of(made), known_scatter.history_of(second))
        self.assertTrue(known_scatter.history_of(made).known)

    def test_two_pulls_that_drift_takes_up_are_not_called_a_single_one(self):
        second = self.again()
        opened = self.open(second)
        for level in (1.0, 1.001):
            scenes.pull(opened, second.setups.first(), self.operator, level=level)
        self.client.force_login(self.operator)
        notes = self.client.get(f"/api/programmes/{second.pk}/verdict").json()["notes"]
        self.assertIn("Drift takes up all that was pulled twice: the scatter is taken from the history alone.", notes)
        self.assertFalse([line for line in notes if "No setup was pulled twice" in line])

    def test_one_pull_a_setup_is_judged_by_what_is_known(self):
        second = self.again()
        opened = self.open(second)
        for setup, level in zip(second.setups.all(), (1.0, 1.08, 0.99), strict=True):
            scenes.pull(opened, setup, self.operator, level=level)
        self.assertIsNotNone(compare(second, Standard.ISO_1585_SI).curves())
        self.client.force_login(self.operator)
        answer = self.client.get(f"/api/programmes/{second.pk}/verdict").json()
        self.assertEqual(answer["winner_id"], second.setups.get(position=1).pk)
        self.assertIn("No setup was pulled twice: the scatter is taken from the history alone.", answer["notes"])
