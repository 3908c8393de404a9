"""Two records that may be one part: pointed out for a reason, linked, merged with every name kept, or kept as two."""

import scenes
from django.test import TestCase
from torvix_core.engine.dimensions import Slot

from engines.models import DistinctParts, Part
from engines.parts.service import PartFacts, add_part, name_alias
from shop.models import Person, Role


class Lookalikes(TestCase):
    person: Person

    @classmethod
    def setUpTestData(cls):
        cls.person = scenes.person(Role.OPERATOR)

    def setUp(self):
        self.client.force_login(self.person)

    def part(self, name: str, slot: Slot = Slot.CARBURETOR, **lines: str) -> Part:
        return add_part(self.person, scenes.DAY, slot, PartFacts(name), lines)

    def pairs(self) -> list[tuple[str, str, str]]:
        found = self.client.get("/api/lookalikes").json()
        return [(pair["one"]["name"], pair["other"]["name"], pair["shared_name"]) for pair in found]

    def settle(self, one: Part, other: Part, as_what: str) -> int:
        address = f"/api/parts/{one.pk}/lookalikes/{other.pk}"
        return self.client.post(address, {"as_what": as_what}, content_type="application/json").status_code

    def test_one_alias_on_two_parts_is_pointed_out_though_they_differ(self):
        one, other = self.part("Big four-barrel", throttle_bore="44 mm"), self.part("Race carb", throttle_bore="51 mm")
        self.assertEqual(self.pairs(), [])
        name_alias(self.person, one, "The Old One")
        name_alias(self.person, other, "the old one")
        self.assertEqual(self.pairs(), [("Big four-barrel", "Race carb", "The Old One")])
        (pair,) = self.client.get("/api/lookalikes").json()
        self.assertEqual((pair["agree"], pair["differ"]), ([], ["Throttle bore"]))

    def test_an_alias_that_is_the_name_of_another_is_pointed_out(self):
        one = self.part("Race carb")
        self.part("Tall spacer", Slot.SPACER)
        name_alias(self.person, one, "tall SPACER")
        self.assertEqual(self.pairs(), [("Race carb", "Tall spacer", "tall SPACER")])

    def test_names_that_are_spelled_alike_are_pointed_out_where_nothing_tells_them_apart(self):
        self.part("Four-barrel 650, vacuum", throttle_bore="1.6875 in")
        self.part("Four barrel 650 vacuum", throttle_bore="42.9 mm")
        self.assertEqual(self.pairs(), [("Four-barrel 650, vacuum", "Four barrel 650 vacuum", "")])
        Part.objects.last().readings.update(value=0.051)
        self.assertEqual(self.pairs(), [])

    def test_another_number_or_another_slot_is_another_part(self):
        for name, slot in (("Cam 228", Slot.CAMSHAFT), ("Cam 242", Slot.CAMSHAFT), ("Cam 228 cover", Slot.OTHER)):
            self.part(name, slot)
        self.assertEqual(self.pairs(), [])

    def test_a_merged_part_leaves_its_names_and_readings_and_stays_behind_its_link(self):
        kept, merged = self.part("Four-barrel 650", throttle_bore="43 mm"), self.part("Four barrel 650", height="80 mm")
        name_alias(self.person, merged, "Saturday carb")
        self.assertEqual(self.settle(kept, merged, "merge"), 204)
        kept.refresh_from_db()
        merged.refresh_from_db()
        self.assertEqual({alias.name for alias in kept.aliases.all()}, {"Four barrel 650", "Saturday carb"})
        self.assertEqual({one.dimension for one in kept.readings.all()}, {"throttle_bore", "height"})
        self.assertEqual((merged.same_as, merged.readings.count()), (kept, 1))
        self.assertIsNotNone(merged.archived_at)
        self.assertEqual(self.pairs(), [])
        self.assertEqual(self.client.get("/api/part-names?search=saturday").json()["rows"][0]["id"], kept.pk)

    def test_what_was_pulled_with_a_merged_part_is_among_the_uses_of_the_other(self):
        programme = scenes.programme(self.person, setups=2)
        scenes.day_of_pulls(programme, self.person, ((1.0, 1.001), (1.02, 1.021)))
        merged = programme.setups.all()[1].parts.get()
        kept = scenes.manifold(self.person, "manifold one", 330)
        self.assertEqual(self.client.get(f"/api/parts/{kept.pk}/uses").json(), [])
        self.settle(kept, merged, "merge")
        (use,) = self.client.get(f"/api/parts/{kept.pk}/uses").json()
        self.assertAlmostEqual(use["percent"], 2.0, 0)
        self.assertEqual(programme.setups.all()[1].parts.get(), merged)

    def test_linked_parts_and_parts_that_are_two_are_not_pointed_out_again(self):
        one, other, third = self.part("Four-barrel 650"), self.part("Four barrel 650"), self.part("Four barrel, 650")
        self.assertEqual(len(self.pairs()), 3)
        self.settle(one, other, "link")
        self.settle(third, other, "distinct")
        self.settle(other, third, "distinct")
        self.assertEqual(DistinctParts.objects.count(), 1)
        self.assertEqual(self.pairs(), [("Four-barrel 650", "Four barrel, 650", "")])
        other.refresh_from_db()
        self.assertEqual(other.same_as, one)

    def test_a_part_is_not_merged_with_itself_nor_one_that_is_linked_elsewhere(self):
        one, other, third = self.part("Four-barrel 650"), self.part("Four barrel 650"), self.part("Four barrel, 650")
        self.assertEqual(self.settle(one, one, "merge"), 409)
        self.settle(one, other, "link")
        self.assertEqual(self.settle(third, other, "merge"), 409)

    def test_parts_of_two_slots_are_neither_merged_nor_linked(self):
        one, other = self.part("Race carb"), self.part("Tall spacer", Slot.SPACER, height="25 mm")
        for as_what in ("merge", "link"):
            self.assertEqual(self.settle(one, other, as_what), 409)
        self.assertFalse(one.readings.exists())
        self.assertEqual(self.settle(one, other, "distinct"), 204)

    def test_a_viewer_sees_the_pairs_of_what_he_may_see_and_settles_none(self):
        one, other = self.part("Four-barrel 650"), self.part("Four barrel 650")
        self.client.force_login(scenes.person(Role.VIEWER))
        self.assertEqual(len(self.pairs()), 1)
        self.assertEqual(self.settle(one, other, "merge"), 403)

    def test_queries_do_not_grow_with_pairs(self):
        def asked() -> int:
            with self.assertNumQueries(8):
                return len(self.pairs())

        for number in range(2):
            self.part(f"Four-barrel 650{'.' * number}")
        self.assertEqual(asked(), 1)
        for number in range(2, 6):
            self.part(f"Four-barrel 650{'.' * number}")
        self.assertEqual(asked(), 15)
