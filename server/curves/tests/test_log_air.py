"""Pulls that are corrected by the weather log of their session."""

from datetime import timedelta

import scenes
from django.test import TestCase
from torvix_core.air.standards import Standard
from torvix_core.air.weather import Moisture

from curves.reduction.correct import NoAir, corrected, pulls_of
from programmes.models import Programme
from shop.models import Person, Role
from stand.models import Session
from stand.weather.service import TypedWeather, log_reading


class CorrectedByTheLog(TestCase):
    person: Person
    programme: Programme
    session: Session

    @classmethod
    def setUpTestData(cls):
        cls.person = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.person)
        cls.session = scenes.session(cls.programme, cls.person)

    def pull(self):
        return scenes.pull(self.session, self.programme.setups.first(), self.person, air=None)

    def log(self, minutes: float, barometer: str) -> None:
        typed = TypedWeather(barometer, False, "", "29.44", Moisture.RELATIVE_HUMIDITY, "50")
        log_reading(self.person, self.session, typed, scenes.DAY + timedelta(minutes=minutes))

    def test_a_pull_without_weather_is_corrected_once_the_log_reaches_it(self):
        """98.205 kPa, 29.44 °C, 50 % give 1.0789 under J607, worked from the formula."""
        pull = self.pull()  # four minutes after the start
        with self.assertRaisesMessage(NoAir, "Write the weather of its time into the log"):
            corrected(pull, Standard.SAE_J607)
        self.log(0, "98.105")
        self.log(8, "98.305")
        self.assertAlmostEqual(corrected(pull, Standard.SAE_J607).factor, 1.0789, delta=0.0005)

    def test_air_for_a_whole_programme_takes_a_bounded_number_of_queries(self):
        for _ in range(5):
            self.pull()
        self.log(0, "98.2")
        with self.assertNumQueries(5):
            pulls = pulls_of(self.programme)
        self.assertTrue(all(pull.air.from_log for pull in pulls))
