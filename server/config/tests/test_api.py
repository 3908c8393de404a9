"""Who may do what, at every address; and what every answer has in common."""

import json
from pathlib import Path

import scenes
from django.conf import settings
from django.test import TestCase

from config.api import api
from shop.models import Role
from stand.models import Pull

READ, OPERATE, OWN = "read", "operate", "own"
# Every endpoint: method, address, body, who may. `own` are those that a person does for himself.
ENDPOINTS = (
    ("get", "/api/me", None, OWN),
    ("patch", "/api/me/units", {}, OWN),
    ("post", "/api/sign-out", None, OWN),
    ("get", "/api/programmes", None, READ),
    ("get", "/api/programmes/{programme}", None, READ),
    ("get", "/api/programmes/{programme}/day", None, READ),
    ("get", "/api/programmes/{programme}/stand", None, READ),
    ("get", "/api/programmes/{programme}/pulls", None, READ),
    ("get", "/api/programmes/{programme}/curves", None, READ),
    ("get", "/api/programmes/{programme}/verdict", None, READ),
    ("get", "/api/pulls/{pull}/curve", None, READ),
    ("put", "/api/programmes/{programme}/standard", {"standard": "sae_j607"}, OPERATE),
    ("post", "/api/programmes/{programme}/sessions", {"stand_id": "{stand}"}, OPERATE),
    ("post", "/api/sessions/{session}/arm", {"setup_id": "{setup}"}, OPERATE),
    ("post", "/api/sessions/{session}/close", None, OPERATE),
    ("post", "/api/pulls/{pull}/start", {}, OPERATE),
    ("post", "/api/pulls/{pull}/abort", None, OPERATE),
    ("post", "/api/pulls/{pull}/keep", None, OPERATE),
    ("post", "/api/pulls/{pull}/exclude", {"reason": "hose off"}, OPERATE),
)


class Permissions(TestCase):
    def setUp(self):
        self.operator, self.viewer = scenes.person(Role.OPERATOR), scenes.person(Role.VIEWER)
        self.owner = scenes.person(Role.OWNER)
        self.programme = scenes.programme(self.operator)
        levels = ((1.0, 1.001), (1.01, 1.011), (0.99, 0.991))
        self.session = scenes.day_of_pulls(self.programme, self.operator, levels)
        self.names = {
            "programme": self.programme.pk, "session": self.session.pk, "stand": self.session.stand_id,
            "setup": self.programme.setups.first().pk, "pull": Pull.objects.first().pk,
        }  # fmt: skip

    def ask(self, method: str, address: str, body: dict | None):
        sent = json.dumps(body or {}).replace('"{stand}"', str(self.names["stand"]))
        sent = sent.replace('"{setup}"', str(self.names["setup"]))
        return getattr(self.client, method)(address.format(**self.names), sent, content_type="application/json")

    def read(self, address: str):
        return self.client.get(address.format(**self.names))

    def test_the_table_names_every_endpoint(self):
        described = {
            (method, path.replace("_id}", "}"))
            for path, methods in api.get_openapi_schema()["paths"].items()
            for method in methods
        }
        listed = {(method, address) for method, address, _, _ in ENDPOINTS}
        self.assertEqual(described - listed, {("post", "/api/sign-in")})

    def test_nobody_gets_anything_without_signing_in(self):
        for method, address, body, _ in ENDPOINTS:
            with self.subTest(method=method, address=address):
                answer = self.read(address) if method == "get" else self.ask(method, address, body)
                self.assertEqual((answer.status_code, answer.json()["code"]), (401, "signed_out"))

    def test_a_viewer_reads_everything_and_changes_nothing(self):
        self.client.force_login(self.viewer)
        before = self.state()
        for method, address, body, who in ENDPOINTS:
            if who == OWN:
                continue
            with self.subTest(method=method, address=address):
                answer = self.read(address) if method == "get" else self.ask(method, address, body)
                self.assertEqual(answer.status_code, 200 if who == READ else 403, answer.content)
        self.assertEqual(self.state(), before)

    def test_operator_and_owner_are_not_refused_for_their_role(self):
        for person in (self.operator, self.owner):
            self.client.force_login(person)
            for method, address, body, who in ENDPOINTS:
                if who == OPERATE:
                    with self.subTest(person=person, address=address):
                        self.assertNotIn(self.ask(method, address, body).status_code, (401, 403, 404, 500))

    def state(self) -> list[object]:
        self.programme.refresh_from_db()
        self.session.refresh_from_db()
        pulls = list(Pull.objects.order_by("pk").values_list("state", "standing"))
        return [self.programme.standard, self.session.closed_at, pulls]


class EveryAnswer(TestCase):
    def test_an_unknown_address_of_the_api_is_a_problem_in_its_shape(self):
        self.client.force_login(scenes.person(Role.VIEWER))
        answer = self.client.get("/api/programmes/987654/curves")
        self.assertEqual((answer.status_code, answer.json()["code"]), (404, "not_found"))
        self.assertIn("There is nothing here.", answer.json()["detail"])

    def test_what_is_sent_wrong_is_told_by_field(self):
        self.client.force_login(scenes.person(Role.OPERATOR))
        answer = self.client.post("/api/sessions/1/arm", {"setup_id": "x"}, content_type="application/json")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("setup_id", " ".join(answer.json()["fields"]))

    def test_pages_allow_no_script_from_elsewhere_and_no_frame(self):
        answer = self.client.get("/")
        policy = answer.headers["Content-Security-Policy"]
        self.assertIn("script-src 'self';", policy + ";")
        self.assertIn("frame-ancestors 'none'", policy)
        self.assertEqual(answer.headers["X-Frame-Options"], "DENY")

    def test_every_address_of_a_screen_gives_the_application(self):
        for address in ("/", "/programmes/1/stand", "/no/such/screen"):
            self.assertContains(self.client.get(address), '<div id="app">')
        self.assertEqual(self.client.get("/api/no-such-thing").status_code, 404)

    def test_the_built_page_fetches_nothing_from_outside(self):
        for file in Path(settings.WEB_BUILD).rglob("*.css"):
            self.assertNotRegex(file.read_text(), r"url\(['\"]?https?://")
        self.assertNotRegex((settings.WEB_BUILD / "index.html").read_text(), r"(src|href)=['\"]https?://")
