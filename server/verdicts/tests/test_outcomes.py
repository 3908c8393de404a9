"""Expectations: written before, sealed at the first arming, scored afterwards."""

from typing import Any

import scenes
from django.db import IntegrityError, transaction
from django.test import TestCase

from programmes.expectations import service as expectations
from programmes.expectations.service import Sealed
from programmes.models import Expectation, Programme
from shop.models import Person, Role
from shop.refusals import Invalid, NotAllowed
from stand.pulls import arming
from verdicts.outlook import outcomes

LEVELS = ((1.0005, 1.0005), (1.0205, 1.0205), (0.9905, 0.9905))


class Case(TestCase):
    person: Person
    programme: Programme
    baseline: Any
    second: Any
    third: Any

    @classmethod
    def setUpTestData(cls):
        cls.person = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.person)
        cls.baseline, cls.second, cls.third = cls.programme.setups.all()

    def setUp(self):
        self.client.force_login(self.person)

    def expect(self, setup, text: str, measure: str = "average_torque", person=None):
        return expectations.expect(person or self.person, setup, measure, text, "it breathes", scenes.DAY)

    def read(self) -> dict:
        return self.client.get(f"/api/programmes/{self.programme.pk}/outcomes").json()


class WrittenBefore(Case):
    def test_a_number_or_a_range_in_per_cent(self):
        for text, low, high in (
            ("2", 0.02, 0.02),
            ("1 to 3 %", 0.01, 0.03),
            ("-1 % to 2 %", -0.01, 0.02),
            ("1..2", 0.01, 0.02),
        ):
            with self.subTest(text=text):
                held = self.expect(self.second, text)
                self.assertAlmostEqual(held.low, low)
                self.assertAlmostEqual(held.high, high)
        self.assertEqual(Expectation.objects.count(), 1)  # each in the place of the one before

    def test_every_slip_is_told_at_its_field(self):
        for text, message in (("much", "not a number"), ("3 to 1", "lower end first"), ("1 to 2 to 3", "write 2 % or"),
                              ("900", "between -50 and 200 %"), ("2 hp", "is a power")):  # fmt: skip
            with self.subTest(text=text), self.assertRaises(Invalid) as refusal:
                self.expect(self.second, text)
            self.assertIn(message, refusal.exception.fields["text"])
        with self.assertRaises(Invalid):
            self.expect(self.baseline, "2 %")
        with self.assertRaises(Invalid):
            self.expect(self.second, "2 %", measure="luck")

    def test_it_is_taken_back_with_an_empty_text(self):
        self.expect(self.second, "2 %")
        self.expect(self.second, " ")
        self.assertFalse(Expectation.objects.exists())

    def test_a_viewer_writes_none(self):
        with self.assertRaises(NotAllowed):
            self.expect(self.second, "2 %", person=scenes.person(Role.VIEWER))

    def test_the_database_keeps_the_promises(self):
        held = self.expect(self.second, "2 %")
        for constraint, fields in (("expectation_rises", {"low": 0.5}), ("expectation_is_a_share", {"high": 90.0})):
            refused = self.assertRaisesMessage(IntegrityError, constraint)
            with self.subTest(constraint=constraint), refused, transaction.atomic():
                Expectation.objects.filter(pk=held.pk).update(**fields)


class SealedAtTheFirstArming(Case):
    def test_arming_seals_what_everybody_expects_of_the_setup_and_of_no_other(self):
        self.expect(self.second, "2 %")
        opened = scenes.session(self.programme, self.person)
        scenes.link(opened.stand)
        arming.arm(self.person, opened, self.second, scenes.DAY)
        self.second.refresh_from_db()
        with self.assertRaisesMessage(Sealed, "B has been armed already"):
            self.expect(self.second, "5 %")
        with self.assertRaises(Sealed):  # nor does anybody begin to expect with hindsight
            self.expect(self.second, "2 %", measure="peak_power")
        self.expect(self.third, "1 %")
        self.assertIsNotNone(Expectation.objects.get(setup=self.second).sealed_at)
        self.assertIsNone(Expectation.objects.get(setup=self.third).sealed_at)


class ScoredAfterwards(Case):
    def test_what_came_is_the_gain_of_the_means_over_the_baseline(self):
        """The pulls are made of one curve scaled by LEVELS: B is 1.0205/1.0005 − 1 = 2.00 % above A, C 1.00 % below."""
        self.expect(self.second, "1 to 3 %")
        self.expect(self.second, "8 %", measure="peak_power")
        self.expect(self.third, "-0.5 %")
        self.assertEqual([one["outcome"] for one in self.read()["rows"]], ["", "", ""])
        scenes.day_of_pulls(self.programme, self.person, LEVELS)
        found = {(one["setup_id"], one["measure"]): one for one in self.read()["rows"]}
        hit = found[(self.second.pk, "average_torque")]
        self.assertAlmostEqual(hit["actual_percent"], 100 * (1.0205 / 1.0005 - 1), places=2)
        self.assertEqual((hit["outcome"], hit["mine"]), ("hit", True))
        self.assertEqual(found[(self.second.pk, "peak_power")]["outcome"], "missed")
        self.assertEqual(found[(self.third.pk, "average_torque")]["outcome"], "near")

    def test_each_persons_bias_is_told_over_all_programmes(self):
        self.expect(self.second, "4 %")
        self.expect(self.third, "1 %")
        scenes.day_of_pulls(self.programme, self.person, LEVELS)
        tendency = self.read()["people"][0]
        self.assertEqual((tendency["person"], tendency["count"], tendency["hits"]), (str(self.person), 2, 0))
        self.assertAlmostEqual(tendency["bias"], -2.0, places=1)

    def test_nothing_is_scored_without_the_baseline(self):
        self.expect(self.second, "2 %")
        opened = scenes.session(self.programme, self.person)
        for level in (1.02, 1.021):
            scenes.pull(opened, self.second, self.person, level=level)
        self.assertIsNone(outcomes.of_programme(self.programme)[0].actual)
