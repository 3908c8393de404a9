from typing import Any

import numpy as np
import scenes
from django.test import TestCase
from numpy.testing import assert_allclose
from torvix_core.air.air import air_from_relative_humidity
from torvix_core.air.standards import Standard, iso_1585_si_factor
from torvix_core.units import quantities

from curves.models import Reduced
from curves.reduction.correct import NoAir, corrected
from curves.reduction.reduce import reduce_pull
from programmes.models import Programme
from shop.models import Person, Role
from shop.refusals import Refusal
from stand.models import Session
from stand.worker.pull_records import MeanAir


class Scene(TestCase):
    operator: Person
    programme: Programme
    session: Session
    setup_a: Any

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)
        cls.session = scenes.session(cls.programme, cls.operator)
        cls.setup_a = cls.programme.setups.first()

    def pull(self, **how):
        return scenes.pull(self.session, self.setup_a, self.operator, **how)


class Reducing(Scene):
    def test_the_known_curve_of_the_samples_comes_back(self):
        found = corrected(self.pull(), Standard.OBSERVED)
        assert_allclose(found.torque, scenes.torque_curve(found.speed_rpm), rtol=5e-4)
        self.assertEqual(found.factor, 1.0)

    def test_options_and_version_are_kept_and_a_second_time_changes_nothing(self):
        pull = self.pull(inertia_in_torque="not_included")
        first = Reduced.objects.get(pull=pull)
        self.assertEqual((first.options["stand_inertia"], first.options["inertia"]), ("not_included", 0.45))
        first_means = list(first.means.values())
        self.assertGreater(len(first_means), 1)
        again = reduce_pull(pull)
        self.assertEqual(again.torque, first.torque)
        self.assertEqual([row.values for row in again.channel_means.all()], [means.tolist() for means in first_means])
        self.assertEqual(Reduced.objects.count(), 1)

    def test_a_pull_that_is_no_sweep_keeps_the_reason(self):
        rows = [[row[0], 3000.0, 200.0, 100.0, 90.0] for row in scenes.samples(1.0)]
        pull = self.pull(rows=rows, keep=False)
        self.assertIn("fewer than three bins", pull.reduced.refused)
        with self.assertRaisesMessage(Refusal, "gave no curve: fewer than three bins"):
            corrected(pull, Standard.OBSERVED)


class Correcting(Scene):
    def test_the_factor_is_that_of_the_pulls_own_air(self):
        found = corrected(self.pull(), Standard.ISO_1585_SI)
        air = air_from_relative_humidity(*vars(scenes.AIR).values())
        self.assertAlmostEqual(found.factor, float(iso_1585_si_factor(air)), places=12)
        self.assertAlmostEqual(found.factor, 1.0449, delta=0.0005)
        assert_allclose(found.power, found.torque * found.speed_rpm * np.pi / 30)

    def test_weather_outside_the_range_is_shown_and_marked(self):
        found = corrected(self.pull(air=MeanAir(83_000.0, 306.15, 0.2)), Standard.ISO_1585_SI)
        self.assertAlmostEqual(found.factor, 1.2739, delta=0.0005)
        self.assertFalse(found.inside)

    def test_without_weather_only_observed_can_be_read(self):
        pull = self.pull(air=None)
        self.assertEqual(corrected(pull, Standard.OBSERVED).factor, 1.0)
        with self.assertRaisesMessage(
            NoAir, "has no weather, so it cannot be corrected. Write the weather of its time into the log"
        ):
            corrected(pull, Standard.SAE_J607)

    def test_impossible_weather_is_told_and_not_used(self):
        with self.assertRaisesMessage(NoAir, "impossible weather (pressure must lie between"):
            corrected(self.pull(air=MeanAir(981.0, 300.0, 0.5)), Standard.SAE_J607)


class Log(Scene):
    def rows(self, **query: str) -> list[dict]:
        self.client.force_login(self.operator)
        return self.client.get(f"/api/programmes/{self.programme.pk}/pulls", query).json()["rows"]

    def test_peaks_are_in_the_units_of_the_person(self):
        self.pull()
        (row,) = self.rows(standard="observed")
        peak = scenes.torque_curve(np.array([4200.0]))[0]
        self.assertAlmostEqual(row["peak_torque"]["value"], float(quantities.from_si(peak, "lb-ft")), delta=0.2)
        self.assertAlmostEqual(row["peak_torque"]["speed_rpm"], 4200, delta=100)

    def test_a_pull_without_a_factor_stays_in_the_log_with_the_reason(self):
        self.pull(air=None)
        (row,) = self.rows()
        self.assertIsNone(row["factor"])
        self.assertIn("has no weather", row["no_curve"])

    def test_an_unknown_standard_is_refused(self):
        self.client.force_login(self.operator)
        answer = self.client.get(f"/api/programmes/{self.programme.pk}/pulls", {"standard": "made_up"})
        self.assertEqual(answer.status_code, 422)

    def test_the_number_of_queries_does_not_grow_with_pulls(self):
        self.pull()
        self.client.force_login(self.operator)
        address = f"/api/programmes/{self.programme.pk}/pulls"
        with self.assertNumQueries(17):
            self.client.get(address)
        for _ in range(4):
            self.pull()
        with self.assertNumQueries(17):
            self.assertEqual(len(self.client.get(address).json()["rows"]), 5)


class SchoolsOfBoost(Scene):
    def test_the_school_of_the_programme_is_used_and_observed_stays_observed(self):
        """Temperature alone at 29.44 °C by ISO 1585: (302.59/298.15)^0.6."""
        air = air_from_relative_humidity(98_205.0, 302.59, 0.5)
        for school, expected in (
            ("unblown", float(iso_1585_si_factor(air))), ("temperature", (302.59 / 298.15) ** 0.6), ("none", 1.0),
        ):  # fmt: skip
            with self.subTest(school=school):
                self.programme.boost_school = school
                self.programme.save()
                pull = scenes.pull(self.session, self.setup_a, self.operator)
                self.assertAlmostEqual(corrected(pull, Standard.ISO_1585_SI).factor, expected, places=9)
                self.assertEqual(corrected(pull, Standard.OBSERVED).factor, 1.0)
