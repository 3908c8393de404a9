"""What is stored of each test is what its verdict says, is never old, and is read in few queries."""

from datetime import timedelta

import numpy as np
import scenes
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from torvix_core.air.standards import Standard
from torvix_core.engine.dimensions import Slot
from torvix_core.judging.duty import Preset

from curves.models import Reduced
from engines.parts.service import PartFacts, add_part
from programmes.expectations import service as expectations
from programmes.models import Programme
from shop.models import Person, Role
from stand.models import Session
from stand.session import opening
from verdicts import tasks
from verdicts.access import programme_of
from verdicts.comparison.aligned_pulls import compare
from verdicts.judging import service as judging
from verdicts.judging.choice import Choice
from verdicts.models import KnownScatter, PairGain, SetupResult, StoredResult
from verdicts.outlook import outcomes, part_history
from verdicts.prior import scatter_history
from verdicts.results import service as results
from verdicts.results.pairs import Pairs

LEVELS = ((1.0, 1.001, 0.999), (1.03, 1.031, 1.029), (0.97, 0.971, 0.969))


class Scene(TestCase):
    person: Person
    programme: Programme
    session: Session

    @classmethod
    def setUpTestData(cls):
        cls.person = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.person)
        cls.session = scenes.day_of_pulls(cls.programme, cls.person, LEVELS)
        opening.close_session(cls.person, cls.session, scenes.DAY)

    def more(self, count: int) -> list[Programme]:
        """Other tests of the same parts on the same engine, each with a day of pulls."""
        made = []
        for _ in range(count):
            number = Programme.objects.count()
            other = scenes.programme(self.person, build=self.programme.build, parts=f"inlet {number}, number")
            for mine, theirs in zip(self.programme.setups.all(), other.setups.all(), strict=True):
                theirs.parts.set(mine.parts.all())
            last = Session.objects.latest("opened_at").opened_at
            opened = scenes.session(other, self.person, self.session.stand, last + timedelta(days=1))
            for setup, levels in zip(other.setups.all(), LEVELS, strict=True):
                for level in levels[:2]:
                    scenes.pull(opened, setup, self.person, level=level)
            opening.close_session(self.person, opened, opened.opened_at + timedelta(hours=1))
            made.append(other)
        return made

    def result(self) -> StoredResult:
        return results.results_of([self.programme.pk]).of[self.programme.pk]


class Stored(Scene):
    def test_it_says_what_the_verdict_says_from_either_side(self):
        found = self.result()
        comparison = compare(programme_of(self.person, self.programme.pk), Standard(self.programme.standard))
        judged = judging.judge(comparison, Choice(comparison.standard, duty=Preset.EVEN))
        setups, pairs = list(self.programme.setups.all()), Pairs.of([found])
        for place, setup in enumerate(comparison.setups):
            row = SetupResult.objects.get(setup=setup)
            self.assertAlmostEqual(row.torque, float(judged.torque[place]), places=6)
            self.assertEqual(row.pulls, 3)
        for one in range(3):
            for other in {0, 1, 2} - {one}:
                said, stored = judged.fitted.difference(one, other), pairs.gain(setups[one], setups[other])
                for name in ("change", "low", "high"):
                    self.assertAlmostEqual(getattr(stored, name), float(getattr(said, name)), places=9)
                self.assertEqual(stored.state(0.003), said.state(0.003))
        self.assertEqual(found.own_degrees, judged.fitted.own_degrees)

    def test_a_gain_by_speed_holds_the_average_and_the_torque_peak_its_shift(self):
        self.result()
        for row in PairGain.objects.all():
            mean = np.expm1(np.mean(np.log1p(row.change_by_speed)))
            self.assertAlmostEqual(mean, row.change, delta=0.0005)
            self.assertEqual(len(row.change_by_speed), len(row.half_width_by_speed))
            self.assertAlmostEqual(row.peak_shift_rpm, 0.0, delta=5.0)  # the same curve, higher or lower

    def test_a_test_that_cannot_be_judged_says_why(self):
        self.session.pulls.update(standing="excluded", excluded_reason="all cold")
        self.assertIn("Every pull is excluded", self.result().why_not)
        bad = self.more(1)[0]
        row = Reduced.objects.filter(pull__session__programme=bad).first()
        row.torque = [-value for value in row.torque]  # as by a damaged disk
        row.save()
        with self.assertLogs("verdicts.results.service", "ERROR"):
            found = results.results_of([bad.pk, self.programme.pk]).of
        self.assertEqual(found[bad.pk].why_not, results.FAULT)
        self.assertEqual(len(found), 2)


class Fresh(Scene):
    def test_a_change_of_the_test_makes_it_anew_and_one_of_another_test_does_not(self):
        first = self.result()
        self.assertEqual(self.result().pk, first.pk)
        other = self.more(1)[0]  # another test of the engine, with a session of its own
        self.assertEqual(self.result().pk, first.pk)
        Programme.objects.filter(pk=other.pk).update(question="asked anew")
        self.assertEqual(self.result().pk, first.pk)
        pull = self.session.pulls.last()
        pull.standing, pull.excluded_reason = "excluded", "cold"
        pull.save()
        self.assertNotEqual(self.result().pk, first.pk)
        self.assertEqual(SetupResult.objects.get(setup=pull.setup).pulls, 2)

    def test_a_write_to_the_test_in_the_transaction_of_another_is_not_hidden(self):
        other = self.more(1)[0]
        first = self.result()
        self.programme.smallest_difference = 0.01
        self.programme.save()
        Programme.objects.filter(pk=other.pk).update(question="asked anew")
        self.assertNotEqual(self.result().pk, first.pk)

    def test_many_wait_for_the_background_and_are_told_of(self):
        made = [self.programme, *self.more(3)]
        ids = [one.pk for one in made]
        StoredResult.objects.all().delete()
        found = results.results_of(ids, at_once=2)
        self.assertEqual((len(found.of), found.waiting), (2, set(ids[2:])))
        tasks.keep_results(0)
        self.assertEqual(StoredResult.objects.count(), 4)
        with CaptureQueriesContext(connection) as asked:
            self.assertEqual(len(results.results_of(ids).of), 4)
        self.assertEqual(len(asked), 2)

    def test_a_test_without_a_pull_has_none(self):
        empty = scenes.programme(self.person, build=self.programme.build, parts="none, of these")
        found = results.results_of([empty.pk, 0])
        self.assertEqual((found.of, found.waiting), ({}, frozenset()))


class Summed(Scene):
    """Uses, tendencies and the history of an engine over many tests, in as many queries as over few."""

    def count(self, ask) -> int:
        ask()
        with CaptureQueriesContext(connection) as asked:
            ask()
        return len(asked)

    def test_uses_of_a_part_read_no_pulls_and_end_at_no_number(self):
        part = self.programme.setups.all()[1].parts.get(slot="intake_manifold")
        few = self.count(lambda: part_history.uses(self.person, part))
        self.more(27)
        part_history.uses(self.person, part)  # makes twenty of them
        many = part_history.uses(self.person, part)
        self.assertEqual((len(many), {use.state for use in many}), (28, {"ahead"}))
        self.assertEqual(self.count(lambda: part_history.uses(self.person, part)), few)

    def test_what_people_predicted_is_scored_over_all_tests(self):
        def predict(programme: Programme) -> None:
            setup = programme.setups.all()[1]
            expectations.expect(self.person, setup, "peak_torque", "2 to 4", "it breathes", scenes.DAY)

        first = self.more(1)[0]
        predict(first)
        StoredResult.objects.all().delete()
        few = self.count(lambda: outcomes.tendencies(self.person))
        for programme in self.more(4):
            predict(programme)
        StoredResult.objects.all().delete()
        (found,) = outcomes.tendencies(self.person)
        self.assertEqual((found.person, found.overall.decided, found.overall.hits), (self.person, 5, 5))
        self.assertEqual([(kind, one.hits) for kind, one in found.by_kind], [("Intake manifold", 5)])
        second = first.setups.all()[1]
        second.parts.add(add_part(self.person, scenes.DAY, Slot.SPACER, PartFacts("spacer"), {}))
        by_kind = outcomes.tendencies(self.person)[0].by_kind
        self.assertEqual([(kind, one.hits) for kind, one in by_kind], [("Intake manifold", 4), (outcomes.SEVERAL, 1)])
        self.assertEqual(self.count(lambda: outcomes.tendencies(self.person)), few)
        (live,) = outcomes.of_programme(programme_of(self.person, first.pk))
        self.assertAlmostEqual(live.measured.value, 0.03, delta=0.002)

    def test_a_session_opens_without_reading_the_pulls_of_earlier_tests(self):
        def open_one() -> int:
            number = Programme.objects.count()
            test = scenes.programme(self.person, build=self.programme.build, parts=f"opened {number}, number")
            last = Session.objects.latest("opened_at").opened_at
            with CaptureQueriesContext(connection) as asked:
                opened = scenes.session(test, self.person, self.session.stand, last + timedelta(days=1))
            opening.close_session(self.person, opened, opened.opened_at + timedelta(hours=1))
            return len(asked)

        self.result()
        few = open_one()
        self.more(8)
        results.refresh(60.0)
        self.assertEqual(open_one(), few)
        self.assertEqual(KnownScatter.objects.latest("pk").programmes, 9)
        self.assertEqual(scatter_history.scatter_of(self.programme).programmes, 9)
