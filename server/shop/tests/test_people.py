"""People: who may change them, what a link is good for, and that somebody is always left who can arrange the shop."""

import scenes
from django.test import Client, TestCase
from django.utils import timezone

from shop import audit
from shop.models import AuditEntry, Person, Role, Shop
from shop.people import service as people
from shop.refusals import NotAllowed

NEW = "a password of my own"


def signs_in(username: str, password: str) -> bool:
    body = {"username": username, "password": password}
    return Client().post("/api/sign-in", body, content_type="application/json").status_code == 200


class TheOwnersList(TestCase):
    owner: Person
    operator: Person

    @classmethod
    def setUpTestData(cls):
        cls.owner = scenes.person(Role.OWNER)
        cls.operator = scenes.person(Role.OPERATOR)

    def setUp(self):
        self.client.force_login(self.owner)

    def send(self, method: str, path: str, body: dict | None = None):
        return getattr(self.client, method)(f"/api{path}", body or {}, content_type="application/json")

    def add(self, **changed: str):
        return self.send("post", "/people", {"username": "una", "name": "Una Berg", "role": "operator", **changed})

    def test_somebody_is_added_and_chooses_a_password_by_a_link_that_is_good_once(self):
        Shop.objects.create(pk=1, name="Works", units={"torque": "N·m"})
        added = self.add().json()
        self.assertEqual((added["person"]["name"], added["person"]["has_password"]), ("Una Berg", False))
        guest, path = Client(), f"/api{added['way_in']}"
        self.assertEqual(guest.get(path).json(), {"username": "una", "name": "Una Berg"})
        weak = guest.post(path, {"password": "short"}, content_type="application/json")
        self.assertEqual((weak.status_code, list(weak.json()["fields"])), (422, ["password"]))
        self.assertEqual(guest.post(path, {"password": NEW}, content_type="application/json").status_code, 200)
        self.assertEqual(guest.get("/api/me").json()["units"]["torque"], "N·m")
        again = Client().post(path, {"password": NEW}, content_type="application/json")
        self.assertEqual((again.status_code, again.json()["code"]), (409, "link_over"))
        self.assertTrue(signs_in("una", NEW))

    def test_what_cannot_be_used_is_named_by_field(self):
        for changed, field in (
            ({"username": "two words"}, "username"), ({"username": "OPERATOR"}, "username"), ({"name": " "}, "name"),
            ({"role": "king"}, "role"),
        ):  # fmt: skip
            answer = self.add(**changed)
            self.assertEqual((answer.status_code, list(answer.json()["fields"])), (422, [field]), changed)
        self.assertEqual(Person.objects.count(), 2)

    def test_a_link_that_was_cut_short_leads_nowhere(self):
        path = self.add().json()["way_in"]
        for broken in (path[:-2], path.replace("/welcome/", "/welcome/x"), "/welcome/MTIz/abc-def"):
            self.assertEqual(Client().get(f"/api{broken}").json()["code"], "link_over", broken)

    def test_a_reset_ends_password_and_sessions_at_once(self):
        browser = Client()
        browser.force_login(self.operator)
        link = self.send("post", f"/people/{self.operator.pk}/reset").json()["way_in"]
        self.assertEqual(browser.get("/api/me").status_code, 401)
        self.assertFalse(signs_in("operator", scenes.PASSWORD))
        self.assertEqual(Client().get(f"/api{link}").status_code, 200)

    def test_a_role_is_changed_and_the_list_of_changes_says_so(self):
        answer = self.send("patch", f"/people/{self.operator.pk}", {"role": "viewer"})
        self.assertEqual(answer.json()["role_label"], "Viewer")
        entry = self.client.get("/api/audit").json()["rows"][0]
        self.assertEqual((entry["by"], entry["what"]), ("Owner", "made Operator (operator) viewer, was operator"))

    def test_every_change_can_be_reached_and_found(self):
        for number in range(30):
            audit.note(self.owner, f"arranged thing {number}", timezone.now())
        last = self.client.get("/api/audit?size=25&page=2").json()
        self.assertEqual((last["total"], len(last["rows"])), (AuditEntry.objects.count(), last["total"] - 25))
        found = self.client.get("/api/audit?search=thing 17 owner").json()
        self.assertEqual([row["what"] for row in found["rows"]], ["arranged thing 17"])

    def test_who_is_deactivated_is_signed_out_and_can_be_taken_back(self):
        browser = Client()
        browser.force_login(self.operator)
        self.send("patch", f"/people/{self.operator.pk}", {"active": False})
        self.assertEqual(browser.get("/api/me").status_code, 401)
        self.assertFalse(signs_in("operator", scenes.PASSWORD))
        self.assertEqual(self.send("post", f"/people/{self.operator.pk}/reset").json()["code"], "deactivated")
        self.send("patch", f"/people/{self.operator.pk}", {"active": True})
        self.assertTrue(signs_in("operator", scenes.PASSWORD))

    def test_the_last_owner_stays_one(self):
        for change in ({"role": "viewer"}, {"active": False}):
            answer = self.send("patch", f"/people/{self.owner.pk}", change)
            self.assertEqual((answer.status_code, answer.json()["code"]), (409, "last_owner"), change)
        people.change_role(self.owner, self.operator, Role.OWNER, timezone.now())
        self.assertEqual(self.send("patch", f"/people/{self.owner.pk}", {"role": "viewer"}).status_code, 200)

    def test_wrong_passwords_are_seen_and_forgotten(self):
        for _ in range(5):
            Client().post("/api/sign-in", {"username": "operator", "password": "x"}, content_type="application/json")
        row = next(one for one in self.client.get("/api/people").json()["people"] if one["username"] == "operator")
        self.assertEqual(row["wrong_tries"], 5)
        self.send("post", f"/people/{self.operator.pk}/unlock")
        signed = Client().post("/api/sign-in", {"username": "operator", "password": scenes.PASSWORD},
                               content_type="application/json")  # fmt: skip
        self.assertEqual(signed.status_code, 200)

    def test_nobody_but_an_owner_arranges_people(self):
        stranger = scenes.person(Role.VIEWER)
        for person in (self.operator, stranger):
            for act in (
                lambda by: people.add(by, "una", "Una Berg", "viewer", timezone.now()),
                lambda by: people.reset_password(by, self.owner, timezone.now()),
                lambda by: people.change_role(by, by, "owner", timezone.now()),
                lambda by: people.set_active(by, self.owner, False, timezone.now()),
                lambda by: people.unlock(by, self.owner, timezone.now()),
            ):
                with self.assertRaises(NotAllowed):
                    act(person)
        self.assertFalse(AuditEntry.objects.exists())


class OnesOwn(TestCase):
    person: Person

    @classmethod
    def setUpTestData(cls):
        cls.person = scenes.person(Role.VIEWER)

    def setUp(self):
        self.other = Client()
        for browser in (self.client, self.other):
            browser.force_login(self.person)

    def change(self, old: str, new: str):
        return self.client.post("/api/me/password", {"old": old, "password": new}, content_type="application/json")

    def test_the_password_is_changed_and_other_browsers_are_signed_out(self):
        self.assertEqual(self.change(scenes.PASSWORD, NEW).status_code, 200)
        self.assertEqual(self.client.get("/api/me").status_code, 200)
        self.assertEqual(self.other.get("/api/me").status_code, 401)

    def test_the_old_password_is_asked_for(self):
        answer = self.change("wrong", NEW)
        self.assertEqual((answer.status_code, list(answer.json()["fields"])), (422, ["old"]))

    def test_signing_out_everywhere_ends_every_session(self):
        self.assertEqual(self.client.post("/api/me/sign-out-everywhere").status_code, 204)
        for browser in (self.client, self.other):
            self.assertEqual(browser.get("/api/me").status_code, 401)
