"""Out of the lists and back, what may be deleted, and what a customer may read."""

from typing import Any
from unittest import mock

import scenes
from django.test import TestCase

from engines.models import Engine, Part
from programmes.models import Programme
from shop.models import AuditEntry, Person, Role
from stand.session import opening


class Archiving(TestCase):
    operator: Person
    programme: Programme
    engine: Any
    part: Any

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)
        cls.engine = cls.programme.build.engine
        cls.part = cls.programme.setups.first().parts.get()

    def setUp(self):
        self.client.force_login(self.operator)

    def put(self, kind: str, row: int, archived: bool):
        return self.client.put(f"/api/archive/{kind}/{row}", {"archived": archived}, content_type="application/json")

    def test_a_test_leaves_the_list_and_comes_back(self):
        self.programme.setups.filter(position=2).update(candidate="skipped", candidate_reason="no time")
        self.assertEqual(len(self.client.get("/api/open-tests").json()["rows"]), 1)
        with mock.patch("programmes.plan.api.MOST_PROGRAMMES", 0):  # how many are not listed is said
            self.assertEqual(self.client.get("/api/open-tests").json(), {"rows": [], "older": 1})
        self.assertEqual(self.put("programmes", self.programme.pk, True).status_code, 204)
        self.assertEqual(self.client.get("/api/tests-table").json()["rows"], [])
        self.assertEqual(len(self.client.get("/api/tests-table?archived=true").json()["rows"]), 1)
        self.assertEqual(self.client.get("/api/open-tests").json()["rows"], [])
        self.assertEqual(len(self.client.get(f"/api/open-tests?programme_id={self.programme.pk}").json()["rows"]), 1)
        self.assertEqual(self.client.get(f"/api/programmes/{self.programme.pk}").status_code, 200)
        self.put("programmes", self.programme.pk, False)
        self.assertEqual(len(self.client.get("/api/tests-table").json()["rows"]), 1)

    def test_not_while_a_session_of_it_is_open(self):
        session = scenes.session(self.programme, self.operator)
        self.assertEqual(self.put("programmes", self.programme.pk, True).json()["code"], "session_open")
        opening.close_session(self.operator, session, scenes.DAY)
        self.assertEqual(self.put("programmes", self.programme.pk, True).status_code, 204)

    def test_parts_and_engines_say_that_they_are_archived_and_stay_in_records(self):
        self.put("parts", self.part.pk, True)
        self.put("engines", self.engine.pk, True)
        rows = self.client.get("/api/parts-table?archived=true").json()["rows"]
        self.assertEqual([(row["id"], row["archived"]) for row in rows], [(self.part.pk, True)])
        self.assertTrue(self.client.get("/api/engines-table?archived=true").json()["rows"][0]["archived"])
        self.assertEqual(self.client.get("/api/home").json()["engines"], 0)
        setups = self.client.get(f"/api/programmes/{self.programme.pk}").json()["setups"]
        self.assertIn(self.part.name, setups[0]["parts"])

    def test_what_was_used_is_not_deleted(self):
        session = scenes.session(self.programme, self.operator)
        for kind, row, code in (("parts", self.part.pk, "part_used"), ("engines", self.engine.pk, "engine_used"),
                                ("programmes", self.programme.pk, "programme_used")):  # fmt: skip
            answer = self.client.delete(f"/api/archive/{kind}/{row}")
            self.assertEqual((answer.status_code, answer.json()["code"]), (409, code))
            self.assertIn("Archive it", answer.json()["detail"])
        self.assertEqual(Programme.objects.get().sessions.get(), session)

    def test_what_was_never_used_is(self):
        spare = scenes.manifold(self.operator, "spare", 300.0)
        self.assertEqual(self.client.delete(f"/api/archive/parts/{spare.pk}").status_code, 204)
        self.assertEqual(self.client.delete(f"/api/archive/programmes/{self.programme.pk}").status_code, 204)
        self.assertEqual(self.client.delete(f"/api/archive/engines/{self.engine.pk}").status_code, 204)
        self.assertFalse(Programme.objects.exists() or Engine.objects.exists())
        self.assertFalse(Part.objects.filter(name="spare").exists())

    def test_a_part_from_which_another_was_made_stays(self):
        spare = scenes.manifold(self.operator, "spare", 300.0)
        made = {"name": "cut", "modification": "runners cut", "reason": "try"}
        self.client.post(f"/api/parts/{spare.pk}/children", made, content_type="application/json")
        self.assertEqual(self.client.delete(f"/api/archive/parts/{spare.pk}").json()["code"], "in_use")


class Customers(TestCase):
    operator: Person
    customer: Person
    theirs: Programme
    other: Programme

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.customer = scenes.person(Role.CUSTOMER)
        cls.theirs = scenes.programme(cls.operator)
        cls.other = scenes.programme(cls.operator, engine="another", parts="another")

    def give(self, *people: Person):
        self.client.force_login(self.operator)
        body = {"people": [person.pk for person in people]}
        path = f"/api/programmes/{self.theirs.pk}/customers"
        return self.client.put(path, body, content_type="application/json")

    def read(self, path: str):
        self.client.force_login(self.customer)
        return self.client.get(f"/api/{path}")

    def test_a_customer_reads_what_was_given_and_nothing_else(self):
        self.assertEqual(self.read("tests-table").json()["rows"], [])
        self.assertEqual([row["given"] for row in self.give(self.customer).json()], [True])
        self.assertEqual([row["id"] for row in self.read("tests-table").json()["rows"]], [self.theirs.pk])
        self.assertEqual([row["name"] for row in self.read("engines-table").json()["rows"]], ["2.9 six"])
        self.assertEqual(
            {row["name"] for row in self.read("parts-table").json()["rows"]}, {f"manifold {n}" for n in range(3)}
        )
        self.assertEqual(self.read(f"programmes/{self.theirs.pk}/day").status_code, 200)
        for path in ("", "/day", "/pulls", "/stacks", "/archive"):
            self.assertIn(self.read(f"programmes/{self.other.pk}{path}").status_code, (403, 404), path)
        self.assertEqual(self.read(f"builds/{self.other.build_id}").status_code, 404)
        self.assertEqual(self.read(f"parts/{self.other.setups.first().parts.get().pk}").status_code, 404)
        self.assertEqual(AuditEntry.objects.count(), 1)

    def test_also_of_a_confidential_engine_and_not_once_it_is_taken_away(self):
        Engine.objects.update(confidential=True)
        self.give(self.customer)
        self.assertEqual(len(self.read("tests-table").json()["rows"]), 1)
        self.give()
        self.assertEqual(self.read("tests-table").json()["rows"], [])

    def test_a_customer_changes_nothing(self):
        self.give(self.customer)
        self.client.force_login(self.customer)
        for method, path in (("put", f"archive/programmes/{self.theirs.pk}"), ("get", "people"), ("get", "stands"),
                             ("get", f"programmes/{self.theirs.pk}/customers")):  # fmt: skip
            answer = getattr(self.client, method)(f"/api/{path}", {"archived": True}, content_type="application/json")
            self.assertEqual(answer.status_code, 403, path)

    def test_only_customers_are_given_one(self):
        self.assertEqual(self.give(self.operator).json()["fields"], {"people": "choose customers"})
