"""Which pulls count: held against the baseline, left out of the verdict, let in with a reason."""

from datetime import timedelta
from typing import Any

import numpy as np
import scenes
from django.test import TestCase
from torvix_core.air.standards import Standard
from torvix_core.pull.comparability import ComparabilityLevel, ComparabilityWindow

from curves.comparability import messages as comparing_words
from curves.comparability import pull_screening
from curves.models import ChannelMean
from curves.reduction import correct
from programmes.models import Programme
from shop.models import Person, Role, default_units
from shop.refusals import Invalid
from stand.models import InstrumentCheck, InstrumentCheckKind, Pull, Session
from stand.worker import pull_records
from verdicts.comparison.aligned_pulls import compare

UNITS = default_units()


def cold(celsius: float, level: float = 1.0) -> list[list[float]]:
    """A sweep with oil of this temperature."""
    rows = np.array(scenes.samples(level))
    rows[:, 4] = celsius
    return rows.tolist()


class Scene(TestCase):
    operator: Person
    programme: Programme
    a: Any
    b: Any
    c: Any
    session: Session

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)
        cls.a, cls.b, cls.c = cls.programme.setups.all()
        cls.session = scenes.session(cls.programme, cls.operator)

    def pull(self, setup, celsius: float = 90.0, level: float = 1.0, **how) -> Pull:
        return scenes.pull(self.session, setup, self.operator, rows=cold(celsius, level), **how)

    def judged(self) -> dict[int, pull_screening.ScreenedPull]:
        kept = correct.kept_of(correct.pulls_of(self.programme), Standard(self.programme.standard))
        return {one.pull.number: one for one in pull_screening.judge(self.programme, kept).values()}


class Judging(Scene):
    def test_a_pull_out_of_the_window_does_not_count_until_it_is_let_in(self):
        for setup, celsius in ((self.a, 90), (self.a, 91), (self.b, 90), (self.b, 92), (self.b, 64)):
            self.pull(setup, celsius)
        self.assertEqual([one.level for one in self.judged().values()][-1], ComparabilityLevel.BLOCK)
        counted = compare(self.programme, Standard.OBSERVED).layout.counts
        self.assertEqual(counted.tolist(), [2, 2])
        notes = " ".join(compare(self.programme, Standard.OBSERVED).notes)
        self.assertIn("A cold pull, so not counted: Pull 5: oil colder than usual in its session.", notes)
        out = Pull.objects.get(number=5)
        with self.assertRaises(Invalid):
            pull_screening.let_in(self.operator, out, " ", scenes.DAY)
        pull_screening.let_in(self.operator, out, "the sensor had come off", scenes.DAY)
        comparison = compare(self.programme, Standard.OBSERVED)
        self.assertEqual(comparison.layout.counts.tolist(), [2, 3])
        self.assertIn(
            "Let in although not comparable: Pull 5: oil colder than usual in its session. Reason: the sensor had come "
            "off.",
            comparison.notes,
        )
        pull_screening.shut_out(self.operator, out)
        self.assertFalse(self.judged()[5].counts)
        self.assertEqual(Pull.objects.get(number=5).standing, "accepted")  # it stays what it was, and visible

    def test_a_cold_first_pull_that_was_kept_is_out_alone_and_called_cold(self):
        """Eleven warm pulls after it: none of them is blamed, in the verdict or in the log."""
        for setup, celsius in ((self.a, 62), *((setup, 88 + (number % 4)) for number, setup in enumerate(
            [self.a, self.a, self.b, self.b, self.b, self.c, self.c, self.c, self.a, self.a]))):  # fmt: skip
            self.pull(setup, celsius)
        self.assertEqual([one.counts for one in self.judged().values()], [False, *[True] * 10])
        compared = compare(self.programme, Standard.OBSERVED)
        self.assertEqual(compared.layout.counts.tolist(), [4, 3, 3])
        self.assertIn("A cold pull, so not counted: Pull 1: oil colder than usual in its session.", compared.notes)
        self.client.force_login(self.operator)
        rows = self.client.get(f"/api/programmes/{self.programme.pk}/pulls").json()
        lines = [row["comparable"]["line"] for row in rows["rows"]]
        cold_lines = [line for line in lines if line.startswith("A cold pull, not comparable: oil")]
        self.assertEqual(len(cold_lines), 1)
        self.assertRegex(cold_lines[0], r"oil \d+\.\d °[CF] colder than usual in this session")

    def test_of_two_pulls_the_plan_says_which_is_cold(self):
        """Two readings have no middle; the plan starts pulls between 80 and 100 °C."""
        for celsius in (58, 90):
            self.pull(self.a, celsius)
        self.assertEqual([one.counts for one in self.judged().values()], [False, True])

    def test_without_temperatures_it_says_what_cannot_be_judged(self):
        for setup in (self.a, self.a, self.b):
            scenes.pull(self.session, setup, self.operator)
        ChannelMean.objects.filter(channel="oil_temperature").delete()
        notes = " ".join(compare(self.programme, Standard.OBSERVED).notes)
        self.assertIn(
            "No temperature was recorded: whether the engine was warm cannot be judged of pulls 1, 2 and 3.", notes
        )

    def test_a_baseline_that_is_off_does_not_drag_the_others_out(self):
        for setup, celsius in ((self.a, 90), (self.a, 60), (self.b, 90), (self.b, 91)):
            self.pull(setup, celsius)
        self.assertEqual([one.counts for one in self.judged().values()], [True, False, True, True])

    def test_the_window_of_the_programme_decides(self):
        for setup, celsius in ((self.a, 90), (self.b, 64)):
            self.pull(setup, celsius)
        wanted = {"oil_temperature": ComparabilityWindow(30.0, 40.0)}
        pull_screening.set_windows(self.operator, self.programme, wanted)
        self.assertIsNot(self.judged()[2].level, ComparabilityLevel.BLOCK)
        with self.assertRaises(Invalid) as caught:
            wrong = {"oil_temperature": ComparabilityWindow(5, 2), "x": ComparabilityWindow(1, 2)}
            pull_screening.set_windows(self.operator, self.programme, wrong)
        self.assertEqual(set(caught.exception.fields), {"oil_temperature", "x"})
        pull_screening.set_windows(self.operator, self.programme, {})
        self.assertIs(self.judged()[2].level, ComparabilityLevel.BLOCK)

    def test_a_day_without_a_setup_in_common_is_not_comparable(self):
        self.pull(self.a)
        second = scenes.Stand.objects.create(name="2")
        self.session = scenes.session(self.programme, self.operator, at=scenes.DAY.replace(day=9), stand=second)
        self.pull(self.b)
        self.assertIs(self.judged()[2].level, ComparabilityLevel.BLOCK)
        self.pull(self.a)
        self.assertIsNot(self.judged()[2].level, ComparabilityLevel.BLOCK)  # its own day's baseline is nearer

    def test_two_setups_are_held_against_each_other_by_their_means(self):
        for setup, celsius in ((self.a, 90), (self.a, 92), (self.b, 80), (self.b, 82)):
            self.pull(setup, celsius)
        kept = correct.kept_of(correct.pulls_of(self.programme), Standard.OBSERVED)
        checks = {one.key: one for one in pull_screening.between_setups(self.programme, self.a, self.b, kept)}
        self.assertAlmostEqual(checks["oil_temperature"].found, -10.0, places=1)
        self.assertEqual(checks["slots"].details, ("intake_manifold",))


class Instruments(Scene):
    """A span check lies between the pulls of A and those of B."""

    def said(self, *errors: float) -> list[str]:
        for setup in (self.a, self.a, self.b, self.b):
            self.pull(setup)
        for place, error in enumerate(errors):
            InstrumentCheck.objects.create(
                stand=self.session.stand, channel="torque", kind=InstrumentCheckKind.SPAN, error=error,
                uncertainty=0.002, by=self.operator, at=self.session.opened_at + timedelta(minutes=10 * place - 1),
            )  # fmt: skip
        return [line for line in compare(self.programme, Standard.OBSERVED).notes if "span check" in line]

    def test_two_errors_in_one_comparison_are_spoken_of(self):
        (line,) = self.said(0.001, -0.006)
        self.assertEqual(
            line,
            "By their span checks torque was read 0.70 ± 0.28 % lower for pulls 3 and 4 than for pulls 1 and 2: that "
            "much is the instrument's, not the engine's, and nothing is corrected for it. The check lies inside one "
            "session, so it is in every difference across it.",
        )

    def test_checks_that_agree_and_a_single_one_say_nothing(self):
        self.assertEqual(self.said(0.004, 0.005), [])

    def test_pulls_before_any_check_are_left_to_what_is_known(self):
        self.assertEqual(self.said(0.004), [])


class Words(Scene):
    def test_found_window_and_effect_in_the_units_of_the_reader(self):
        first, second = self.pull(self.a, 90), self.pull(self.b, 64)
        first, second = correct.pulls_of(self.programme)
        checks = pull_screening.between(self.programme, first, second, Standard.OBSERVED)
        oil = next(check for check in checks if check.key == "oil_temperature")
        self.assertEqual(comparing_words.found_words(oil, UNITS), "26.0 °C colder")
        self.assertEqual(comparing_words.found_words(oil, {**UNITS, "temperature": "°F"}), "46.8 °F colder")
        self.assertEqual(comparing_words.window_words(oil, UNITS), "ok to 8, note to 20 °C")
        self.assertEqual(comparing_words.effect_words(oil), "-0.28 %")
        line = comparing_words.line(checks, UNITS)
        self.assertTrue(line.startswith("Not comparable: oil 26.0 °C colder."), line)

    def test_over_the_api(self):
        first, second = self.pull(self.a), self.pull(self.b)
        self.client.force_login(self.operator)
        both = {"first": first.pk, "second": second.pk}
        found = self.client.get(f"/api/programmes/{self.programme.pk}/comparability", both).json()
        self.assertIn({"key": "slots", "found": "Intake manifold", "planned": True}.items(), [
            {key: one[key] for key in ("key", "found", "planned")}.items() for one in found["checks"]
        ])  # fmt: skip
        wanted = {"windows": [{"key": "boost", "note": 0.1, "block": 0.2}]}
        address = f"/api/programmes/{self.programme.pk}/comparison-windows"
        own = self.client.put(address, wanted, content_type="application/json").json()
        boost = next(one for one in own if one["key"] == "boost")
        self.assertEqual((boost["unit"], round(boost["note"], 6), boost["usual"]), ("bar", 0.1, False))
        self.assertAlmostEqual(self.programme.comparison_windows.get().note, 10_000.0)

    def test_pulls_without_weather_are_compared_as_read(self):
        first = scenes.pull(self.session, self.a, self.operator, air=None)
        second = scenes.pull(self.session, self.b, self.operator, air=pull_records.MeanAir(98_000.0, 295.0, 0.5))
        checks = {one.key: one for one in pull_screening.between(self.programme, first, second, Standard.ISO_1585_SI)}
        # A factor that is not known differs from none.
        self.assertEqual((checks["correction"].level, checks["correction"].found), (ComparabilityLevel.UNKNOWN, None))
