"""What is left in the tank: the plan's fuel or a reading, less what was burned since, idling included."""

from datetime import timedelta

import scenes

from shop.models import Role
from shop.permissions import units_of
from shop.refusals import Invalid, NotAllowed, Refusal
from stand.models import TankReading
from stand.session import opening
from stand.tank import service as tank
from stand.tests.session.test_day import Scene

LITRE = 0.001
NEED = {"fuel_available": 12 * LITRE, "fuel_pull": 0.5 * LITRE, "fuel_warm_up": 3 * LITRE}


class Tank(Scene):
    def rules(self, **changed: float | None) -> None:
        rules = self.programme.day_rules
        for key, value in {**NEED, **changed}.items():
            setattr(rules, key, value)
        rules.save()
        self.session.programme.day_rules.refresh_from_db()

    def left(self) -> float:
        level = tank.left_in_tank(self.session)
        assert level is not None
        return round(level.left / LITRE, 6)

    def test_nobody_said_what_there_is_or_nothing_tells_what_a_pull_burns(self):
        self.assertIsNone(tank.left_in_tank(self.session))
        self.rules(fuel_pull=None)
        self.assertIsNone(tank.left_in_tank(self.session))

    def test_a_session_burns_its_warm_up_once_and_each_pull_its_share(self):
        self.rules()
        self.assertEqual(self.left(), 12.0)
        self.pull()
        self.assertEqual(self.left(), 8.5)  # 12 - 3 - 0.5
        self.pull(purpose="check")
        self.assertEqual(self.left(), 8.375)  # a quarter of a pull
        armed = self.arm()
        self.assertEqual(self.left(), 8.375)  # armed burns nothing yet
        self.finish(armed)
        self.assertEqual(self.left(), 7.875)
        opening.close_session(self.mats, self.session, self.now)
        self.session = opening.open_session(self.mats, self.programme, self.session.stand, self.now)
        self.pull()
        self.assertEqual(self.left(), 4.375)  # warmed up once more

    def test_a_reading_takes_the_place_of_the_plan_and_of_what_was_burned_before_it(self):
        self.rules()
        self.pull()
        self.now += timedelta(minutes=1)
        tank.fill(self.mats, self.session, "20 L", self.now)
        self.assertEqual(self.left(), 20.0)
        self.pull()
        self.assertEqual(self.left(), 19.5)  # the engine was warm already
        self.assertEqual(TankReading.objects.count(), 1)

    def test_it_warns_before_the_pull_that_would_run_it_dry(self):
        self.rules()
        units = units_of(self.mats) | {"fuel": "L"}
        level = tank.left_in_tank(self.session)
        assert level is not None
        self.assertEqual(
            (level.dry, tank.tank_words(level, units)), (False, "About 12.0 L in the tank, 24 pulls of 0.5 L")
        )
        tank.fill(self.mats, self.session, "0.6 L", self.now)
        level = tank.left_in_tank(self.session)
        assert level is not None
        self.assertTrue(level.dry)
        self.assertIn("Fill it first", tank.tank_words(level, units))
        self.client.force_login(self.mats)
        asked = self.client.get(f"/api/sessions/{self.session.pk}/next", {"setup_id": self.a.pk}).json()
        self.assertTrue(asked["tank"]["dry"])
        self.assertEqual(self.arm().number, 1)  # an estimate warns, and holds nobody up

    def test_a_reading_of_another_test_says_nothing_of_this_one(self):
        self.rules()
        opening.close_session(self.mats, self.session, self.now)
        other = scenes.programme(self.mats, engine="another", parts="other")
        tank.fill(self.mats, scenes.session(other, self.mats, self.session.stand, self.now), "1 L", self.now)
        self.assertEqual(self.left(), 12.0)

    def test_it_never_falls_below_nothing(self):
        self.rules(fuel_available=1 * LITRE)
        self.pull()
        self.assertEqual(self.left(), 0.0)

    def test_bad_volumes_roles_and_closed_sessions(self):
        for text in ("", "full", "-1", "20 kg", "1e9"):
            with self.subTest(text=text), self.assertRaises(Invalid) as refused:
                tank.fill(self.mats, self.session, text, self.now)
            self.assertIn("volume", refused.exception.fields)
        with self.assertRaises(NotAllowed):
            tank.fill(scenes.person(Role.VIEWER), self.session, "20 L", self.now)
        opening.close_session(self.mats, self.session, self.now)
        with self.assertRaises(Refusal):
            tank.fill(self.mats, self.session, "20 L", self.now)
