import json

import scenes
from django.test import Client, TestCase

from shop.models import Role


class SigningIn(TestCase):
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

    def test_after_five_wrong_passwords_the_right_one_is_refused_for_a_while(self):
        for _ in range(5):
            self.sign_in("wrong")
        answer = self.sign_in(scenes.PASSWORD)
        self.assertEqual((answer.status_code, answer.json()["code"]), (401, "locked_out"))
        self.assertIn("Wait 15 minutes", answer.json()["detail"])

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

    def test_a_unit_of_another_kind_is_refused_at_its_field(self):
        answer = self.choose(torque="kW")
        self.assertEqual(answer.status_code, 422)
        self.assertEqual(answer.json()["fields"], {"torque": "choose one of lb-ft, N·m"})
