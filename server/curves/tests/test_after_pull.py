"""What a pull says at once: does it repeat, what was changed, should the sweep go further."""

from typing import Any

import scenes
from django.test import TestCase

from curves.models import ChannelMean, Reduced
from curves.post_pull import messages as after_words
from curves.post_pull.post_pull_check import AfterPull, after_pull
from programmes.models import Programme
from programmes.settings import service as adjusting
from shop.models import Person, Role
from stand.models import Pull, PullSetting, Purpose, Session, Standing


class AfterEach(TestCase):
    operator: Person
    programme: Programme
    session: Session
    a: Any
    b: Any

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)
        cls.session = scenes.session(cls.programme, cls.operator)
        cls.a, cls.b, _ = cls.programme.setups.all()

    def pull(self, setup=None, **shape) -> Pull:
        return scenes.pull(self.session, setup or self.a, self.operator, **shape)

    @staticmethod
    def set_to(pull: Pull, settings: dict[str, str]) -> Pull:
        """As if the pull had been armed with these settings."""
        pull.settings.all().delete()
        PullSetting.objects.bulk_create(PullSetting(pull=pull, key=key, text=text) for key, text in settings.items())
        return pull

    def after(self, pull: Pull) -> AfterPull:
        rows = Pull.objects.select_related("reduced", "session__programme", "setup", "build")
        return after_pull(self.programme, rows.get(pk=pull.pk))

    def test_the_first_of_a_setup_has_nothing_to_lie_over(self):
        self.assertIsNone(self.after(self.pull()).overlay)

    def test_two_that_repeat_and_two_that_do_not(self):
        """A level of 1.004 against 1 is 0.4 % on average, 1.02 is 2 %."""
        self.pull()
        found = self.after(self.pull(level=1.004))
        self.assertEqual((found.sibling.number, found.overlay.ready), (1, True))
        self.assertAlmostEqual(found.overlay.mean, 0.004, places=4)
        found = self.after(self.pull(level=1.004 * 1.02))
        self.assertEqual(found.overlay.ready, False)
        self.assertAlmostEqual(found.overlay.mean, 0.02, places=3)

    def test_another_setup_is_told_as_a_change_and_not_laid_over(self):
        self.pull()
        found = self.after(self.pull(self.b))
        self.assertIsNone(found.sibling)
        self.assertEqual(found.changed, ["B manifold 1 in place of A manifold 0"])

    def test_a_setting_that_was_changed_in_between_is_told(self):
        before, pull = self.pull(), self.pull()
        self.set_to(before, {"setting:jets": "74/80"})
        self.set_to(pull, {"setting:jets": "76/80", "setting:spark_advance": "31 °"})
        self.assertEqual(
            self.after(pull).changed,
            ["Jets, in words: 74/80 → 76/80", "Ignition timing: none → 31 °"],
        )

    def test_without_weather_they_are_compared_as_read_and_it_says_so(self):
        self.pull(air=None)
        found = self.after(self.pull(air=None))
        self.assertTrue(found.observed)
        self.assertAlmostEqual(found.overlay.mean, 0.0, places=9)

    def test_a_shake_down_and_a_pull_without_samples_are_no_siblings(self):
        first = self.pull()
        Pull.objects.filter(pk=first.pk).update(purpose=Purpose.SHAKE_DOWN)
        self.assertIsNone(self.after(self.pull()).sibling)

    def test_a_warm_up_pull_an_excluded_one_and_another_tune_confirm_nothing(self):
        first, second = self.pull(), self.pull(level=1.002)
        self.assertTrue(self.after(second).ready)
        for change, why in (
            ({"purpose": Purpose.WARM_UP, "standing": Standing.EXCLUDED}, f"pull {first.number} is a warm-up pull"),
            ({"standing": Standing.EXCLUDED}, f"pull {first.number} is excluded"),
            ({}, "the tune was changed in between"),
        ):
            with self.subTest(why=why):
                kept = {name: getattr(first, name) for name in ("purpose", "standing")}
                reason = {"excluded_reason": "said"} if "standing" in change else {}
                if change:
                    Pull.objects.filter(pk=first.pk).update(**change, **reason)
                else:
                    self.set_to(first, {"setting:spark_advance": "34 °"})
                found = self.after(second)
                self.assertTrue(found.overlay.ready)
                self.assertEqual((found.ready, found.beside), (False, why))
                Pull.objects.filter(pk=first.pk).update(**kept, excluded_reason="")

    def test_a_step_test_is_not_laid_over_a_sweep(self):
        self.pull()
        second = self.pull()
        Pull.objects.filter(pk=second.pk).update(purpose=Purpose.STEPS)
        found = self.after(second)
        self.assertEqual((found.sibling, found.overlay, found.ready), (None, None, False))

    def test_power_that_still_climbs_asks_for_a_longer_sweep_inside_the_redline(self):
        """A curve tilted upwards climbs to its end at 6900; the redline lies at 7200, the plan says by 400."""
        self.programme.extension_rpm = 400
        self.programme.save()
        found = self.after(self.pull(tilt=0.25))
        self.assertTrue(found.climb.climbs)
        self.assertEqual(found.extend_to_rpm, 7200.0)
        self.programme.extension_rpm = 0
        self.programme.save()
        self.assertEqual(self.after(found.pull).extend_to_rpm, 7100.0)
        Pull.objects.filter(pk=found.pull.pk).update(sweep_end_rpm=7200)
        self.assertIsNone(self.after(found.pull).extend_to_rpm)

    def test_power_that_falls_asks_for_nothing(self):
        found = self.after(self.pull(tilt=-0.2))
        self.assertFalse(found.climb.climbs)
        self.assertIsNone(found.extend_to_rpm)


class Tune(AfterEach):
    """The reduced means are written by hand, so that what is said of them can be told beforehand."""

    def with_means(self, **means: float) -> Pull:
        pull = self.pull()
        reduced = Reduced.objects.get(pull=pull)
        reduced.channel_means.all().delete()
        ChannelMean.objects.bulk_create(
            ChannelMean(reduced=reduced, channel=name, values=[value] * len(reduced.speed_rpm))
            for name, value in means.items()
        )
        return pull

    def said(self, pull: Pull) -> tuple[list[str], str]:
        found = self.after(pull)
        return after_words.hints(found, self.operator.units), after_words.hazard(found)

    def test_a_mixture_off_its_target_is_told_and_no_jets_are_read_out_of_words(self):
        tune = {"setting:mixture_target": "0.87 lambda", "setting:jets": "74/80"}
        off, near = (self.set_to(self.with_means(**{"lambda": value}), tune) for value in (0.905, 0.872))
        hints, hazard = self.said(off)
        self.assertEqual(hints, ["Lambda 0.91 against 0.87, 4 % leaner."])
        self.assertEqual(hazard, "")
        self.assertEqual(self.said(near), ([], ""))

    def test_a_target_that_was_set_after_the_pull_is_not_its_own(self):
        pull = self.set_to(self.with_means(**{"lambda": 0.905}), {"setting:mixture_target": "0.90 lambda"})
        adjusting.adjust(self.operator, self.a, "setting:mixture_target", "0.80", scenes.DAY)
        self.assertEqual(self.said(pull), ([], ""))

    def test_a_lean_mixture_is_a_hazard_before_it_is_a_hint(self):
        _, hazard = self.said(
            self.set_to(self.with_means(**{"lambda": 0.96}), {"setting:mixture_target": "0.87 lambda"})
        )
        self.assertIn("Lean at full load: lambda 0.96 against 0.87", hazard)

    def test_boost_that_does_not_reach_its_target_asks_for_more(self):
        (hint,), _ = self.said(self.set_to(self.with_means(boost=70_000.0), {"setting:boost_target": "0.8 bar"}))
        self.assertRegex(hint, r"^Boost 0\.7 bar from \d+ rpm on, against 0\.8 bar: raise boost for the next pull\.$")

    def test_without_targets_nothing_is_said(self):
        self.assertEqual(self.said(self.with_means(boost=70_000.0, **{"lambda": 0.8})), ([], ""))

    def test_a_setting_that_made_it_worse_is_taken_back(self):
        self.pull()
        worse = self.pull(level=0.99)
        self.set_to(worse, {"setting:spark_advance": "33 °"})
        (hint,), _ = self.said(worse)
        self.assertIn("-1.0 % since the change: revert it", hint)
