"""What Django itself would refuse in a page of its own, and text that no database keeps."""

import json
from unittest import mock

import scenes
from django.test import TestCase

from engines.models import Engine
from shop.models import Person, Role


class AtTheDoor(TestCase):
    owner: Person

    @classmethod
    def setUpTestData(cls):
        cls.owner = scenes.person(Role.OWNER)

    def setUp(self):
        self.client.force_login(self.owner)
        self.client.raise_request_exception = False

    def send(self, body: str | bytes, address: str = "/api/engines"):
        return self.client.post(address, body, content_type="application/json")

    def assert_problem(self, answer, status: int, code: str) -> dict:
        self.assertEqual(answer.status_code, status, answer.content[:200])
        problem = answer.json()
        self.assertEqual((set(problem), problem["code"]), ({"code", "detail", "fields"}, code))
        return problem

    def test_text_that_cannot_be_kept_is_named_by_its_field_and_nothing_is_written(self):
        for text in ("a\\u0000b", "\\ud800", "\\udfff tail"):
            with self.subTest(text=text):
                problem = self.assert_problem(self.send(f'{{"name":"{text}"}}'), 422, "invalid")
                self.assertEqual(list(problem["fields"]), ["name"])
        deep = '{"name":"x","texts":{"a":["b",{"c":"\\ud800"}]}}'
        self.assertEqual(list(self.assert_problem(self.send(deep), 422, "invalid")["fields"]), ["texts.a.1.c"])
        self.assert_problem(self.send('{"name":"x","\\u0000":1}'), 422, "invalid")
        self.assertFalse(Engine.objects.exists())

    def test_nobody_brings_the_sign_in_down_with_it(self):
        self.client.logout()
        body = '{"username":"a\\u0000","password":"\\ud800"}'
        problem = self.assert_problem(self.send(body, "/api/sign-in"), 422, "invalid")
        self.assertEqual(set(problem["fields"]), {"username", "password"})

    def test_what_is_no_json_too_large_from_elsewhere_or_nowhere_has_the_one_shape(self):
        for body in ("[" * 100_000, b"\xff\xfe{", '{"name":' + "9" * 5000 + "}", "{"):
            with self.subTest(body=body[:8]):
                self.assert_problem(self.send(body), 400, "bad_request")
        self.assert_problem(self.send(json.dumps({"name": "x" * 3_000_000})), 413, "too_large")
        self.assert_problem(self.client.get("/api/me", headers={"host": "elsewhere.example"}), 400, "bad_request")
        for address in ("/api/programmes/%2F", "/api/%00", "/api/shared/%2e%2e/x", "/api/%ED%A0%80"):
            with self.subTest(address=address):
                self.assert_problem(self.client.get(address), 404, "not_found")
        self.assert_problem(self.client.delete("/api/me"), 405, "not_allowed_here")

    def test_a_fault_of_ours_has_it_too(self):
        with (
            mock.patch("shop.permissions.units_of", side_effect=ZeroDivisionError),
            self.assertLogs("django.request", "ERROR"),
        ):
            self.assert_problem(self.client.get("/api/me"), 500, "server")
