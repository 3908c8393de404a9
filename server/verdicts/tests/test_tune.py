"""A retune inside a setup: named, not pooled, and which tune stands for the setup is a rule of the test."""

from typing import Any

import numpy as np
import scenes
from django.test import TestCase
from torvix_core.air.standards import Standard
from torvix_core.pull.comparability import ComparabilityLevel

from curves.comparability import messages as comparing_words
from curves.comparability import pull_screening, tunes
from curves.models import ChannelMean
from curves.reduction import correct
from programmes.models import MixturePolicy, Programme, TuneRule
from shop.models import Person, Role, default_units
from stand.models import Pull, PullSetting, Session
from verdicts.comparison.aligned_pulls import compare

SPARK, PRIMARY, SECONDARY = "setting:spark_advance", "setting:main_jet_primary", "setting:main_jet_secondary"


class Retuned(TestCase):
    operator: Person
    programme: Programme
    a: Any
    b: Any
    session: Session

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)
        cls.a, cls.b, _ = cls.programme.setups.all()
        for setup in (cls.a, cls.b):
            setup.settings.create(key=SPARK, text="33 °", value=33.0)
        cls.session = scenes.session(cls.programme, cls.operator)

    def pull(self, setup: Any, level: float = 1.0, lambda_: float | None = None, **tune: str) -> Pull:
        made = scenes.pull(self.session, setup, self.operator, level=level)
        texts = {SPARK: tune.get("spark", "33 °"), PRIMARY: tune.get("primary"), SECONDARY: tune.get("secondary")}
        PullSetting.objects.bulk_create(
            PullSetting(pull=made, key=key, text=text) for key, text in texts.items() if text
        )
        if lambda_ is not None:
            bins = len(made.reduced.speed_rpm)
            ChannelMean.objects.update_or_create(
                reduced=made.reduced, channel="lambda", defaults={"values": np.full(bins, lambda_).tolist()}
            )
        return made

    def judged(self) -> dict[int, pull_screening.ScreenedPull]:
        programme = Programme.objects.get(pk=self.programme.pk)
        kept = correct.kept_of(correct.pulls_of(programme), Standard(programme.standard))
        return {one.pull.number: one for one in pull_screening.judge(programme, kept).values()}

    def counting(self) -> list[int]:
        return [number for number, one in sorted(self.judged().items()) if one.counts]

    def rule(self, rule: str, policy: str = MixturePolicy.MATCHED) -> None:
        Programme.objects.filter(pk=self.programme.pk).update(tune_rule=rule, mixture_policy=policy)

    def test_a_spark_that_nobody_planned_is_not_pooled_and_is_told(self):
        for spark in ("33 °", "38 °", "38 °"):
            self.pull(self.a, spark=spark)
        self.pull(self.b)
        self.rule(TuneRule.DELIVERED)
        self.assertEqual(self.counting(), [1, 4])
        words = comparing_words.line(self.judged()[2].checks, default_units())
        self.assertIn("not the tune that stands for its setup: ignition timing 38 ° in place of 33 °", words)
        notes = " ".join(compare(Programme.objects.get(pk=self.programme.pk), Standard.OBSERVED).notes)
        self.assertIn("A stands with ignition timing 33 ° (as planned): pull 1 counts, pulls 2 and 3 do not.", notes)

    def test_within_its_window_a_difference_is_noted_and_counts(self):
        for spark in ("33 °", "33.4 °", "34 °"):
            self.pull(self.a, spark=spark)
        self.assertEqual(self.counting(), [1, 2, 3])
        self.rule(TuneRule.DELIVERED)
        self.assertIs(self.judged()[3].level, ComparabilityLevel.NOTE)

    def test_the_last_tune_stands_unless_the_rule_says_otherwise(self):
        for spark, level in (("33 °", 1.0), ("38 °", 1.02), ("28 °", 0.98)):
            self.pull(self.a, level=level, spark=spark)
        for rule, wanted in ((TuneRule.LAST_MATCHED, [3]), (TuneRule.BEST, [2]), (TuneRule.DELIVERED, [1])):
            with self.subTest(rule):
                self.rule(rule)
                self.assertEqual(self.counting(), wanted)

    def test_a_chosen_tune_stands(self):
        pulls = [self.pull(self.a, spark=spark) for spark in ("33 °", "38 °", "28 °")]
        self.rule(TuneRule.CHOSEN)
        notes = " ".join(compare(Programme.objects.get(pk=self.programme.pk), Standard.OBSERVED).notes)
        self.assertIn("(none is chosen yet: the last one at the mixture target): pull 3 counts", notes)
        tunes.choose_tune(self.operator, pulls[1], scenes.DAY)
        self.assertEqual(self.counting(), [2])
        self.rule(TuneRule.CHOSEN)
        tunes.choose_tune(self.operator, pulls[0], scenes.DAY)
        self.assertEqual(self.counting(), [1])

    def test_jets_are_a_nuisance_where_the_mixture_is_matched_and_part_of_the_setup_as_delivered(self):
        self.programme.build.readings.create(
            dimension="mixture_target", origin="measured", value=0.865, written_at=scenes.DAY,
            written_by=self.operator,
        )  # fmt: skip
        self.pull(self.a, lambda_=0.800, primary="77", secondary="87")  # rich, then jetted to the target
        self.pull(self.a, lambda_=0.862, primary="72", secondary="82")
        self.pull(self.a, lambda_=0.868, primary="72", secondary="81")
        self.assertEqual(self.counting(), [2, 3])
        self.rule(TuneRule.LAST_MATCHED, MixturePolicy.DELIVERED)
        self.assertEqual(self.counting(), [3])
        self.rule(TuneRule.DELIVERED, MixturePolicy.DELIVERED)
        self.assertEqual(self.counting(), [1])

    def test_where_the_mixture_is_the_question_a_planned_difference_counts_and_a_retune_does_not(self):
        for setup, jet in ((self.a, "72"), (self.b, "78")):
            setup.settings.create(key=PRIMARY, text=jet, value=float(jet))
        for setup, jet, lambda_ in ((self.a, "72", 0.87), (self.b, "78", 0.80), (self.b, "74", 0.84)):
            self.pull(setup, primary=jet, lambda_=lambda_)
        self.rule(TuneRule.DELIVERED, MixturePolicy.FACTOR)
        self.assertEqual(self.counting(), [1, 2])
        self.rule(TuneRule.DELIVERED)
        self.assertEqual(self.counting(), [1, 3])  # matched: seven hundredths of lambda from A are not

    def test_jets_without_a_mixture_channel_are_not_taken_for_the_same(self):
        self.pull(self.a, primary="77")
        self.pull(self.a, primary="72")
        self.assertEqual(self.counting(), [2])
