"""Long lists of parts and engines: what is found, how it is sorted, and for whom."""

from __future__ import annotations

from typing import Any

import scenes
from django.test import TestCase

from engines.models import Engine, Part
from engines.parts import service as parts
from shop.models import Role


class Lists(TestCase):
    def setUp(self) -> None:
        self.operator = scenes.person(Role.OPERATOR)
        scenes.programme(self.operator, setups=3)
        self.client.force_login(self.operator)

    def names(self, **asked: Any) -> list[str]:
        found = self.client.get("/api/parts-table", asked).json()
        return [row["name"] for row in found["rows"]]

    def test_parts_are_found_by_name_and_alias_and_sorted_both_ways(self):
        self.assertEqual(self.names(sort="name"), ["manifold 0", "manifold 1", "manifold 2"])
        self.assertEqual(self.names(sort="name", order="desc"), ["manifold 2", "manifold 1", "manifold 0"])
        one = Part.objects.get(name="manifold 1")
        parts.name_alias(self.operator, one, "the tall one")
        self.assertEqual(self.names(search="TALL"), ["manifold 1"])
        self.assertEqual(self.names(search="manifold 1 tall"), ["manifold 1"])
        self.assertEqual(self.names(search="nothing such"), [])

    def test_archived_parts_are_their_own_list_and_slots_are_those_there(self):
        one = Part.objects.get(name="manifold 1")
        self.client.put(f"/api/archive/parts/{one.pk}", {"archived": True}, "application/json")
        self.assertEqual(self.names(), ["manifold 0", "manifold 2"])
        self.assertEqual(self.names(archived=True), ["manifold 1"])
        self.assertEqual(self.client.get("/api/parts-table").json()["slots"], ["intake_manifold"])
        self.assertEqual(self.names(slot="camshaft"), [])

    def test_engines_are_found_by_name_and_a_confidential_one_not_by_a_viewer(self):
        def found(**asked: Any) -> list[str]:
            return [row["name"] for row in self.client.get("/api/engines-table", asked).json()["rows"]]

        scenes.programme(self.operator, engine="5.7 eight", parts="other")
        self.assertEqual(found(sort="name", order="desc"), ["5.7 eight", "2.9 six"])
        self.assertEqual(found(search="eight"), ["5.7 eight"])
        Engine.objects.filter(name="5.7 eight").update(confidential=True)
        self.assertEqual(found(search="eight"), ["5.7 eight"])
        self.client.force_login(scenes.person(Role.VIEWER))
        self.assertEqual((found(), found(search="eight")), (["2.9 six"], []))
