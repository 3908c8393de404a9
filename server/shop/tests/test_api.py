import json
from datetime import timedelta

import scenes
from axes.models import AccessAttempt, AccessFailureLog, AccessLog
from django.db.models import F
from django.test import Client, TestCase

from shop import permissions
from shop.models import Person, Role


class SigningIn(TestCase):
    person: Person

    @classmethod
    def setUpTestData(cls):
        cls.person = scenes.person(Role.OPERATOR)

    def sign_in(self, password: str, username: str = "operator"):
        return self.client.post(
            "/api/sign-in", {"username": username, "password": password}, content_type="application/json"
        )

    def test_name_and_password_open_a_session(self):
        answer = self.sign_in(scenes.PASSWORD)
        self.assertEqual((answer.status_code, answer.json()["role"]), (200, "Operator"))
        self.assertEqual(self.client.get("/api/me").json()["username"], "operator")

    def test_a_wrong_password_says_so_without_telling_which_was_wrong(self):
        told = {self.sign_in("wrong").json()["detail"], self.sign_in("wrong", "nobody").json()["detail"]}
        self.assertEqual(told, {"Name and password do not belong together. Check both and try again."})

    def refused(self, answer) -> str:
        self.assertEqual((answer.status_code, answer.json()["code"]), (401, "locked_out"))
        return answer.json()["detail"]

    def later(self, seconds: float) -> None:
        """The wrong tries were made so much longer ago."""
        for rows in (AccessAttempt, AccessFailureLog, AccessLog):
            rows.objects.update(attempt_time=F("attempt_time") - timedelta(seconds=seconds))

    def test_after_five_wrong_passwords_a_name_waits_and_longer_each_time(self):
        for told in ("15 seconds", "30 seconds", "60 seconds", "2 minutes"):
            for _ in range(5):
                self.sign_in("wrong")
            self.assertIn(f"Wait {told}", self.refused(self.sign_in(scenes.PASSWORD)))
            self.later(121)
        self.later(3)
        self.assertEqual(self.sign_in(scenes.PASSWORD).status_code, 200)
        self.client.cookies.clear()
        for _ in range(5):
            self.sign_in("wrong")
        self.assertIn("Wait 15 seconds", self.refused(self.sign_in(scenes.PASSWORD)))  # it begins anew

    def test_one_name_does_not_wait_for_another_behind_the_same_address(self):
        scenes.person(Role.OWNER)
        for _ in range(7):
            self.sign_in("wrong")
        self.assertEqual(self.sign_in(scenes.PASSWORD, "owner").status_code, 200)

    def test_a_guess_from_somewhere_else_does_not_keep_the_owner_out_at_his_own_browser(self):
        self.assertEqual(self.sign_in(scenes.PASSWORD).status_code, 200)
        self.client.post("/api/sign-out")
        somebody = Client()
        for number in range(7):
            answer = somebody.post("/api/sign-in", {"username": "operator", "password": "wrong"}, "application/json",
                                   headers={"X-Forwarded-For": f"10.0.0.{number}"})  # fmt: skip
        self.refused(answer)
        self.assertEqual(self.sign_in(scenes.PASSWORD).status_code, 200)

    def test_a_browser_that_is_known_to_one_name_is_not_to_another(self):
        self.assertEqual(self.sign_in(scenes.PASSWORD).status_code, 200)
        scenes.person(Role.OWNER)
        for _ in range(6):
            answer = self.sign_in("wrong", "owner")
        self.refused(answer)

    def test_signing_out_ends_the_session(self):
        self.client.force_login(self.person)
        self.assertEqual(self.client.post("/api/sign-out").status_code, 204)
        answer = self.client.get("/api/me")
        self.assertEqual((answer.status_code, answer.json()["code"]), (401, "signed_out"))

    def test_a_foreign_page_cannot_sign_anybody_in_or_act(self):
        foreign = Client(enforce_csrf_checks=True)
        body = json.dumps({"username": "operator", "password": scenes.PASSWORD})
        self.assertEqual(foreign.post("/api/sign-in", body, content_type="application/json").status_code, 403)
        foreign.force_login(self.person)
        answer = foreign.patch("/api/me/units", json.dumps({"torque": "N·m"}), content_type="application/json")
        self.assertEqual(answer.status_code, 403)


class Units(TestCase):
    def setUp(self):
        self.client.force_login(scenes.person(Role.VIEWER))

    def choose(self, **chosen: str):
        return self.client.patch("/api/me/units", chosen, content_type="application/json")

    def test_a_choice_is_kept_and_the_others_stay(self):
        self.assertEqual(self.choose(torque="N·m").json()["units"]["torque"], "N·m")
        self.assertEqual(self.choose(power="kW").json()["units"]["torque"], "N·m")

    def test_two_choices_at_once_are_both_kept(self):
        """Each request has read the person before the other has written."""
        one, other = Person.objects.get(), Person.objects.get()
        permissions.choose_units(one, {"torque": "N·m"})
        permissions.choose_units(other, {"power": "kW"})
        units = Person.objects.get().units
        self.assertEqual((units["torque"], units["power"]), ("N·m", "kW"))

    def test_a_unit_of_another_kind_is_refused_at_its_field(self):
        answer = self.choose(torque="kW")
        self.assertEqual(answer.status_code, 422)
        self.assertEqual(answer.json()["fields"], {"torque": "choose one of lb-ft, N·m"})
