"""Expectations: written before, sealed at the first arming, scored afterwards."""

from typing import Any

import scenes
from django.db import IntegrityError, transaction
from django.test import TestCase

from programmes.expectations import service as expectations
from programmes.expectations.service import Sealed
from programmes.models import Expectation, Programme
from shop.models import Person, Role
from shop.refusals import Invalid, NotAllowed, Refusal
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
    def test_a_number_a_range_or_a_direction_and_the_speeds_it_is_of(self):
        for text, low, high, low_rpm, high_rpm, words in (
            ("2", 0.02, 0.02, None, None, "+2.0 %"),
            ("1 to 3 %", 0.01, 0.03, None, None, "+1.0 to +3.0 %"),
            ("-1 % to 2 %", -0.01, 0.02, None, None, "−1.0 to +2.0 %"),
            ("1..2", 0.01, 0.02, None, None, "+1.0 to +2.0 %"),
            ("at least 2 %", 0.02, None, None, None, "at least +2.0 %"),
            ("less than 1 %", None, 0.01, None, None, "at most +1.0 %"),
            ("+2 % above 5500", 0.02, 0.02, 5500, None, "+2.0 % above 5500 rpm"),
            ("soft below 4000", None, 0.0, None, 4000, "less below 4000 rpm"),
            ("better at 5800 rpm", 0.0, None, 5800, 5800, "more at 5800 rpm"),
            ("1 to 2 % from 3500 to 4500", 0.01, 0.02, 3500, 4500, "+1.0 to +2.0 % from 3500 to 4500 rpm"),
        ):
            with self.subTest(text=text):
                held = self.expect(self.second, text)
                self.assertEqual([held.low, held.high, held.low_rpm, held.high_rpm], [low, high, low_rpm, high_rpm])
                self.assertEqual(expectations.words(held), words)
        # Each in the place of the one before that was of the same speeds.
        self.assertEqual(Expectation.objects.count(), 5)

    def test_every_slip_is_named_at_its_field(self):
        for text, message in (("much", "not a number"), ("3 to 1", "lower end first"), ("1 to 2 to 3", "write 2 % or"),
                              ("900", "between -50 and 200 %"), ("2 hp", "is a power"),
                              ("2 % from 5000 to 4000", "lower speed first"),
                              ("2 % above 6000", "this test compares from 3000 to 6000 rpm"),
                              ("2 % at 2500", "this test compares from 3000 to 6000 rpm")):  # fmt: skip
            with self.subTest(text=text), self.assertRaises(Invalid) as refusal:
                self.expect(self.second, text)
            self.assertIn(message, refusal.exception.fields["text"])
        with self.assertRaises(Invalid):
            self.expect(self.baseline, "2 %")
        with self.assertRaises(Invalid):
            self.expect(self.second, "2 %", measure="luck")
        with self.assertRaises(Invalid) as refusal:
            self.expect(self.second, "2 % above 5000", measure="peak_power")
        self.assertIn("choose an average", refusal.exception.fields["measure"])

    def test_it_is_taken_back_by_whoever_wrote_it(self):
        held = self.expect(self.second, "2 %")
        with self.assertRaisesMessage(Refusal, "only"):
            expectations.take_back(scenes.person(Role.OWNER), held)
        self.assertEqual(self.client.delete(f"/api/expectations/{held.pk}").status_code, 204)
        self.assertFalse(Expectation.objects.exists())

    def test_a_viewer_writes_none(self):
        with self.assertRaises(NotAllowed):
            self.expect(self.second, "2 %", person=scenes.person(Role.VIEWER))

    def test_the_database_keeps_the_promises(self):
        held = self.expect(self.second, "2 % from 3500 to 4500")
        for constraint, fields in (
            ("expectation_rises", {"low": 0.5}), ("expectation_is_a_share", {"high": 90.0}),
            ("expectation_has_an_end", {"low": None, "high": None}),
            ("expectation_region_rises", {"low_rpm": 5000.0}),
        ):  # fmt: skip
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
        with self.assertRaisesMessage(Sealed, "B has been armed already"):
            expectations.take_back(self.person, Expectation.objects.get(setup=self.second))
        with self.assertRaises(Sealed):  # nor does anybody begin to expect with hindsight
            self.expect(self.second, "2 %", measure="peak_power")
        self.expect(self.third, "1 %")
        self.assertIsNotNone(Expectation.objects.get(setup=self.second).sealed_at)
        self.assertIsNone(Expectation.objects.get(setup=self.third).sealed_at)


class ScoredAfterwards(Case):
    def test_what_was_measured_is_the_gain_over_the_baseline_with_its_interval(self):
        """The pulls are made of one curve scaled by LEVELS: B is 1.0205/1.0005 − 1 = 2.00 % above A, C 1.00 % below."""
        self.expect(self.second, "1 to 3 %")
        self.expect(self.second, "8 %", measure="peak_power")
        self.expect(self.third, "-8 %")
        self.assertEqual([one["outcome"] for one in self.read()["rows"]], ["", "", ""])
        scenes.day_of_pulls(self.programme, self.person, LEVELS)
        found = {(one["setup_id"], one["measure"]): one for one in self.read()["rows"]}
        hit = found[(self.second.pk, "average_torque")]
        measured = hit["measured"]
        self.assertAlmostEqual(measured["percent"], 100 * (1.0205 / 1.0005 - 1), places=2)
        # Every figure of a scaled curve has the verdict's own interval, whichever speeds it is of.
        verdict = self.client.get(f"/api/programmes/{self.programme.pk}/verdict").json()
        placed = next(one for one in verdict["placings"] if one["setup_id"] == self.second.pk)
        self.assertAlmostEqual(measured["low"], placed["to_baseline"]["low_percent"], places=6)
        self.assertAlmostEqual(measured["high"], placed["to_baseline"]["high_percent"], places=6)
        self.assertEqual((hit["expected"], hit["mine"]), ("+1.0 to +3.0 %", True))
        self.assertEqual(found[(self.second.pk, "peak_power")]["outcome"], "missed")
        self.assertEqual(found[(self.third.pk, "average_torque")]["outcome"], "missed")

    def test_a_region_is_scored_there_and_nowhere_else(self):
        """B is tilted by 2 % over 1000 rpm about 4500: 3 % less at 3000, 3 % more at 6000, by hand."""
        for text in ("soft below 4000", "2 % above 5000", "2 % at 4500"):
            self.expect(self.second, text)
        opened = scenes.session(self.programme, self.person)
        for setup, tilt in ((self.baseline, 0.0), (self.second, 0.02), (self.baseline, 0.0)):
            for level in (1.0, 1.0008, 0.9992):
                scenes.pull(opened, setup, self.person, level=level, tilt=tilt)
        rows = {one["expected"]: one for one in self.read()["rows"]}
        soft, top, middle = (
            rows[text] for text in ("less below 4000 rpm", "+2.0 % above 5000 rpm", "+2.0 % at 4500 rpm")
        )
        self.assertAlmostEqual(soft["measured"]["percent"], -2.0, delta=0.15)
        self.assertAlmostEqual(top["measured"]["percent"], 2.0, delta=0.15)
        self.assertAlmostEqual(middle["measured"]["percent"], 0.0, delta=0.15)
        self.assertEqual([one["outcome"] for one in (soft, top, middle)], ["hit", "hit", "missed"])

    def test_what_was_measured_too_coarsely_decides_nothing(self):
        self.expect(self.second, "2 %")
        scenes.day_of_pulls(self.programme, self.person, ((0.98, 1.02), (1.0, 1.05), (1.0, 1.01)))
        row = self.read()["rows"][0]
        self.assertEqual(row["outcome"], "undecided")
        self.assertGreater(row["measured"]["high"], 3.0)
        person = self.read()["people"][0]
        self.assertEqual((person["decided"], person["hits"], person["count"]), (0, 0, 1))

    def test_speeds_that_nobody_ran_are_not_scored_and_say_why(self):
        self.expect(self.second, "2 % above 5900")
        opened = scenes.session(self.programme, self.person)
        short = [row for row in scenes.samples(1.0) if row[1] <= 5600]
        for setup in (self.baseline, self.second, self.baseline):
            for _ in range(2):
                scenes.pull(opened, setup, self.person, rows=short)
        row = self.read()["rows"][0]
        self.assertEqual((row["measured"], row["outcome"]), (None, ""))
        self.assertIn("above 5900 rpm nothing was measured; all were run from", row["why_not"])

    def test_each_persons_bias_is_shown_over_all_programmes(self):
        self.expect(self.second, "4 %")
        self.expect(self.third, "1 %")
        self.expect(self.third, "less", measure="average_power")
        scenes.day_of_pulls(self.programme, self.person, LEVELS)
        tendency = self.read()["people"][0]
        self.assertEqual((tendency["person"], tendency["count"]), (str(self.person), 2))
        self.assertAlmostEqual(tendency["bias"], -2.0, places=1)

    def test_nothing_is_scored_without_the_baseline(self):
        self.expect(self.second, "2 %")
        opened = scenes.session(self.programme, self.person)
        for level in (1.02, 1.021):
            scenes.pull(opened, self.second, self.person, level=level)
        found = outcomes.of_programme(self.programme)[0]
        self.assertIsNone(found.measured)
        self.assertEqual(found.why_not, "the baseline has no counted pull")
