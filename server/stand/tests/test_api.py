from datetime import timedelta

import scenes
from django.test import TestCase

from programmes.models import Programme
from shop.models import Person, Role
from shop.permissions import choose_units
from stand.models import PullState
from stand.pulls import arming
from stand.session import opening


class DayAtTheStand(TestCase):
    operator: Person
    programme: Programme

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)

    def setUp(self):
        self.client.force_login(self.operator)

    def read(self, what: str) -> dict:
        return self.client.get(f"/api/programmes/{self.programme.pk}/{what}").json()

    def test_the_ribbon_marks_changes_and_what_is_planned(self):
        opened = scenes.session(self.programme, self.operator)
        a, b, _ = self.programme.setups.all()
        for setup in (a, a, b):
            pull = scenes.pull(opened, setup, self.operator)
            pull.step = self.programme.steps.filter(setup=setup).first()
            pull.save()
        day = self.read("day")
        self.assertEqual([pull["changed"] for pull in day["pulls"]], [False, False, True])
        planned = [(step["setup_id"] - a.pk, step["pulls"]) for step in day["planned"]]
        self.assertEqual(planned, [(1, 1), (2, 2), (0, 1)])

    def test_air_is_that_of_now_while_a_session_is_open_else_of_the_last_pull(self):
        self.assertIsNone(self.read("day")["air"])
        opened = scenes.session(self.programme, self.operator)
        scenes.pull(opened, self.programme.setups.first(), self.operator)
        self.assertAlmostEqual(self.read("day")["air"]["pressure"], 98.205)
        link = scenes.link(opened.stand)
        link.weather = {"barometer": 97_000.0, "temperature": 293.15, "relative_humidity": 0.6}
        link.save()
        choose_units(self.operator, {"air_pressure": "inHg", "temperature": "°F"})
        air = self.read("day")["air"]
        self.assertEqual((round(air["pressure"], 2), air["pressure_unit"]), (28.64, "inHg"))
        self.assertAlmostEqual(air["temperature"], 68.0)
        opening.close_session(self.operator, opened, scenes.DAY + timedelta(hours=3))
        self.assertAlmostEqual(self.read("day")["air"]["pressure"], 29.00, places=2)

    def test_impossible_weather_is_not_shown_as_air(self):
        opened = scenes.session(self.programme, self.operator)
        link = scenes.link(opened.stand)
        link.weather = {"barometer": 1.0, "temperature": 293.15, "relative_humidity": 0.6}
        link.save()
        self.assertIsNone(self.read("day")["air"])

    def test_the_stand_without_a_session_and_without_a_worker_says_so(self):
        self.assertEqual(self.read("stand")["why"], "No session is open.")
        opened = scenes.session(self.programme, self.operator)
        self.assertEqual(self.read("stand")["why"], "the bench worker has not reported yet.")
        scenes.link(opened.stand)
        now = self.read("stand")
        self.assertEqual((now["connected"], now["gates"][0]["side"]), (True, "inside"))
        self.assertEqual((round(now["gates"][0]["low"]), now["gates"][0]["unit"]), (80, "°C"))

    def test_an_armed_pull_is_told_to_screens_that_open_late(self):
        opened = scenes.session(self.programme, self.operator)
        scenes.link(opened.stand)
        arming.arm(self.operator, opened, self.programme.setups.first(), scenes.DAY)
        self.assertEqual(self.read("stand")["pull"]["state"], PullState.ARMED)

    def test_a_session_is_opened_and_closed_over_the_api(self):
        stand = scenes.Stand.objects.create(name="Stand 1")
        answer = self.client.post(
            f"/api/programmes/{self.programme.pk}/sessions", {"stand_id": stand.pk}, content_type="application/json"
        )
        self.assertEqual(answer.json()["stand"]["name"], "Stand 1")
        self.assertIsNotNone(self.client.post(f"/api/sessions/{answer.json()['id']}/close").json()["closed_at"])
        again = self.client.post(f"/api/sessions/{answer.json()['id']}/close")
        self.assertEqual((again.status_code, again.json()["code"]), (409, "session_closed"))

    def test_the_number_of_queries_does_not_grow_with_pulls(self):
        opened = scenes.session(self.programme, self.operator)
        scenes.link(opened.stand)
        address = f"/api/programmes/{self.programme.pk}/day"
        with self.assertNumQueries(8):
            self.client.get(address)
        for _ in range(4):
            scenes.pull(opened, self.programme.setups.first(), self.operator)
        with self.assertNumQueries(9):  # what pulls were set to comes for all of them together
            self.client.get(address)
