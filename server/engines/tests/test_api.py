import io
from typing import Any
from unittest import mock

import scenes
from django.test import TestCase
from PIL import Image
from torvix_core.engine.dimensions import Slot

from engines.builds import service as builds
from engines.models import Build, Part
from engines.parts.service import PartFacts, add_part
from engines.sheet.readings import ReadingChange
from shop.models import Person, Role
from shop.permissions import choose_units

JSON = "application/json"


class Case(TestCase):
    person: Person
    build: Build

    @classmethod
    def setUpTestData(cls):
        cls.person = scenes.person(Role.OPERATOR)
        cls.build = builds.describe_engine(cls.person, scenes.DAY, "six", scenes.SIX)

    def setUp(self):
        self.client.force_login(self.person)

    def ask(self, method: str, address: str, body: object = None):
        return getattr(self.client, method)(f"/api/{address}", body or {}, content_type=JSON)

    def figure(self, sheet: dict, group: str, key: str) -> dict:
        return next(
            one for each in sheet["groups"] if each["key"] == group for one in each["figures"] if one["key"] == key
        )

    def line(self, sheet: dict, key: str) -> dict:
        return next(line for group in sheet["groups"] for line in group["lines"] if line["key"] == key)


class Sheet(Case):
    def test_a_sheet_comes_with_its_figures_in_the_persons_units(self):
        sheet = self.client.get(f"/api/builds/{self.build.pk}").json()
        found = self.figure(sheet, "bottom_end", "displacement")
        self.assertEqual((round(found["value"], 3), found["unit"]), (2.912, "L"))
        choose_units(self.person, {"displacement": "in³", "length": "in"})
        sheet = self.client.get(f"/api/builds/{self.build.pk}").json()
        self.assertEqual(round(self.figure(sheet, "bottom_end", "displacement")["value"], 1), 177.7)
        self.assertEqual(self.line(sheet, "bore")["readings"][0]["text"], "3.40945")

    def test_a_value_shown_in_the_unit_it_was_typed_in_is_shown_as_typed(self):
        choose_units(self.person, {"length": "in"})
        self.ask("put", f"builds/{self.build.pk}/readings/gasket_thickness/measured", {"text": "0.0655"})
        for _ in range(3):  # there and back, as often as one likes
            choose_units(self.person, {"length": "mm"})
            self.client.get(f"/api/builds/{self.build.pk}")
            choose_units(self.person, {"length": "in"})
        line = self.line(self.client.get(f"/api/builds/{self.build.pk}").json(), "gasket_thickness")
        measured = next(one for one in line["readings"] if one["origin"] == "measured")
        self.assertEqual((measured["text"], line["used"], line["contradicts"]), ("0.0655", "measured", ["reported"]))

    def test_a_figure_on_an_assumed_value_says_so(self):
        self.ask("put", f"builds/{self.build.pk}/readings/gasket_thickness/reported", {"text": ""})
        answer = self.ask("put", f"builds/{self.build.pk}/readings/gasket_thickness/assumed", {"text": "1 mm"}).json()
        self.assertEqual(self.figure(answer, "compression", "static_ratio")["assumed"], ["Compressed gasket thickness"])

    def test_a_wrong_text_is_a_422_that_names_the_line(self):
        for text in ("4", "86,6", "abc", "0", "-5", "x" * 10_000, "\x00"):
            with self.subTest(text=text[:6]):
                answer = self.ask("put", f"builds/{self.build.pk}/readings/bore/measured", {"text": text})
                # What no text may hold is refused at the door, which knows the fields of what was sent.
                named = "text" if text == "\x00" else "bore"
                self.assertEqual((answer.status_code, list(answer.json()["fields"])), (422, [named]))

    def test_a_closed_revision_answers_409(self):
        builds.mark_used(self.build, scenes.DAY)
        answer = self.ask("put", f"builds/{self.build.pk}/readings/bore/measured", {"text": "87"})
        self.assertEqual((answer.status_code, answer.json()["code"]), (409, "build_closed"))

    def test_a_pull_armed_while_somebody_writes_is_told_and_nothing_is_changed(self):
        """Between the check and the writing the build is closed: the database refuses, and says so in words."""
        builds.mark_used(self.build, scenes.DAY)
        with mock.patch("engines.builds.service.open_build"):  # as if the check had come before
            answer = self.ask("put", f"builds/{self.build.pk}/readings/bore/measured", {"text": "87"})
        self.assertEqual((answer.status_code, answer.json()["code"]), (409, "build_closed"))
        self.assertIn("in the meantime", answer.json()["detail"])
        self.assertEqual(self.build.readings.filter(dimension="bore").count(), 1)

    def test_the_number_of_queries_does_not_grow_with_readings_or_revisions(self):
        address = f"/api/builds/{self.build.pk}"
        with self.assertNumQueries(10):
            self.client.get(address)
        for number in range(4):
            made = builds.succeed(self.person, self.build, {}, f"again {number}", scenes.DAY)
            builds.write_down(self.person, made, "stroke", ReadingChange("83 mm"), scenes.DAY)
        with self.assertNumQueries(10):
            self.client.get(address)
        with self.assertNumQueries(7):
            self.assertEqual(len(self.client.get("/api/engines-table").json()["rows"][0]["revisions"]), 5)


class WhatIf(Case):
    def try_out(self, **texts: str) -> dict:
        return self.ask("post", f"builds/{self.build.pk}/what-if", {"texts": texts}).json()

    def test_old_and_new_of_everything_that_moves_and_nothing_is_kept(self):
        found = self.try_out(gasket_thickness="1.65 mm")
        moved = {step["before"]["key"]: (step["before"]["value"], step["after"]["value"]) for step in found["moved"]}
        self.assertEqual(set(moved), {"share_chamber", "share_gasket", "clearance", "static_ratio"})
        self.assertGreater(moved["static_ratio"][0], moved["static_ratio"][1])
        self.assertEqual(found["understood"], {"gasket_thickness": "1.65 mm"})
        self.assertEqual(self.build.readings.filter(dimension="gasket_thickness").count(), 1)

    def test_what_is_not_understood_is_named_and_the_rest_still_works(self):
        found = self.try_out(gasket_thickness="1,65", stroke="84 mm")
        self.assertEqual(list(found["wrong"]), ["gasket_thickness"])
        self.assertIn("displacement", [step["before"]["key"] for step in found["moved"]])

    def test_an_emptied_line_takes_its_figures_away(self):
        found = self.try_out(bore="")
        step = next(step for step in found["moved"] if step["after"]["key"] == "displacement")
        self.assertEqual((step["after"]["value"], step["after"]["missing"]), (None, ["Bore"]))

    def test_saved_as_a_revision_and_laid_beside_the_first(self):
        changes = {"gasket_thickness": {"text": "1.65 mm", "how": "micrometer"}}
        made = self.ask("post", f"builds/{self.build.pk}/successor", {"changes": changes, "reason": "measured"}).json()
        self.assertEqual((made["revision"], made["reason"]), (2, "measured"))
        found = self.client.get(f"/api/builds/{self.build.pk}/against/{made['id']}").json()
        row = {"group": "Compression", "label": "Compressed gasket thickness", "before": "1.2 mm reported",
               "after": "1.2 mm reported; 1.65 mm measured"}  # fmt: skip
        self.assertEqual(found["differences"], [row])
        self.assertIn("static_ratio", [step["before"]["key"] for step in found["moved"]])
        self.assertIn("Bore", [row["label"] for row in found["same"]])


class Flow(Case):
    def test_a_table_at_ten_inches_is_shown_as_typed_and_at_28(self):
        """150 CFM at 10 inH2O are 251.0 at 28: flow goes with the root of the depression [phys]."""
        body = {"depression": "10 inH2O", "rows": [{"lift": "5 mm", "flow": "90"}, {"lift": "10 mm", "flow": "150"}]}
        sheet = self.ask("put", f"builds/{self.build.pk}/flow/intake", body).json()
        table = sheet["flow_tables"][0]
        self.assertEqual((table["depression"], table["rows"]), ("10", [["5", "90"], ["10", "150"]]))
        self.assertEqual(round(table["at_28"]["rows"][1][1], 1), 251.0)
        self.assertIsNotNone(self.figure(sheet, "heads", "head_ceiling")["value"])


class Parts(Case):
    part: Part

    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        cls.part = scenes.manifold(cls.person, "Long", 420)

    def test_a_part_with_its_lines_lineage_and_children(self):
        body = {"name": "Cut", "modification": "runners cut", "amount": "60 mm", "reason": "top end",
                "texts": {"runner_length": "360"}}  # fmt: skip
        child = self.ask("post", f"parts/{self.part.pk}/children", body).json()
        self.assertEqual([one["name"] for one in child["lineage"]], ["Long", "Cut"])
        parent = self.client.get(f"/api/parts/{self.part.pk}").json()
        self.assertEqual([one["modification"] for one in parent["children"]], ["runners cut"])

    def test_an_upload_comes_back_as_a_picture_and_nothing_else(self):
        out = io.BytesIO()
        Image.new("RGB", (30, 30)).save(out, "PNG")
        out.seek(0)
        out.name = "../../evil.html"
        answer = self.client.post(f"/api/parts/{self.part.pk}/photos", {"file": out, "caption": "top"})
        photo = answer.json()["photos"][0]
        shown = self.client.get(f"/api/photos/{photo['id']}")
        self.assertEqual((shown.headers["Content-Type"], shown.headers["X-Content-Type-Options"]),
                         ("image/jpeg", "nosniff"))  # fmt: skip
        self.assertEqual(photo["caption"], "top")

    def test_a_private_price_is_not_told_to_a_viewer(self):
        self.ask("put", f"parts/{self.part.pk}", {"name": "Long", "price": "420", "price_is_private": True})
        self.assertEqual(self.client.get(f"/api/parts/{self.part.pk}").json()["price"], "420.00")
        self.client.force_login(scenes.person(Role.VIEWER))
        seen = self.client.get(f"/api/parts/{self.part.pk}").json()
        self.assertEqual((seen["price"], seen["price_state"]), ("", "private"))
        self.assertNotIn("420.00", self.client.get("/api/parts-table?size=200").content.decode())

    def test_two_stacks_are_held_against_each_other_in_the_persons_words(self):
        short = scenes.manifold(self.person, "Short", 240)
        spacer = add_part(self.person, scenes.DAY, Slot.SPACER, PartFacts("Spacer"), {"height": "25 mm"})
        choose_units(self.person, {"length": "in"})
        found = self.ask("post", "stacks/compare", {"one": [self.part.pk], "other": [short.pk, spacer.pk]}).json()
        self.assertEqual(found["differences"], [
            "Intake manifold: Long gives way to Short (runner length 16.5354 in to 9.4488 in).",
            "Spacer: Spacer goes on."])  # fmt: skip
        self.assertEqual(found["changes"], 2)

    def test_a_height_limit_of_the_build_is_checked(self):
        builds.write_down(self.person, self.build, "height_limit", ReadingChange("20 mm"), scenes.DAY)
        spacer = add_part(self.person, scenes.DAY, Slot.SPACER, PartFacts("Spacer"), {"height": "25 mm"})
        body = {"one": [], "other": [spacer.pk], "build_id": self.build.pk}
        found = self.ask("post", "stacks/compare", body).json()
        self.assertEqual(found["fit"][1], [{"level": "misfit", "about": "Height",
                                            "text": "25 mm high, 5 mm over the limit of 20 mm."}])  # fmt: skip

    def test_a_part_that_is_not_there_is_refused(self):
        answer = self.ask("post", "stacks/compare", {"one": [987_654], "other": []})
        self.assertEqual(answer.status_code, 422)

    def test_the_number_of_queries_does_not_grow_with_parts(self):
        with self.assertNumQueries(10):
            self.client.get("/api/parts-table?size=200")
        for number in range(6):
            scenes.manifold(self.person, f"more {number}", 300)
        with self.assertNumQueries(10):
            self.assertEqual(len(self.client.get("/api/parts-table?size=200").json()["rows"]), 7)


class Names(Case):
    """What a field offers in which one of many is chosen."""

    part: Part

    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        cls.part = scenes.manifold(cls.person, "Long", 420)

    def names(self, address: str) -> dict[str, Any]:
        return self.client.get(f"/api/{address}").json()

    def test_parts_are_offered_by_slot_and_found_by_typing_a_name_or_an_alias(self):
        for number in range(35):
            scenes.manifold(self.person, f"more {number:02}", 300)
        self.ask("post", f"parts/{self.part.pk}/aliases", {"name": "the tall one"})
        offered = self.names("part-names?slot=intake_manifold")
        self.assertEqual((offered["total"], len(offered["rows"]), offered["slots"]), (36, 30, ["intake_manifold"]))
        self.assertEqual(self.names("part-names?slot=spacer")["rows"], [])
        self.assertEqual([row["id"] for row in self.names("part-names?search=tall")["rows"]], [self.part.pk])
        with self.assertNumQueries(5):
            self.names("part-names?search=more")

    def test_what_is_archived_is_not_offered_and_keeps_its_name_where_it_is_held(self):
        Part.objects.filter(pk=self.part.pk).update(archived_at=scenes.DAY)
        self.assertEqual(self.names("part-names")["rows"], [])
        (row,) = self.names(f"part-names?ids={self.part.pk}")["rows"]
        self.assertEqual((row["name"], row["archived"]), (self.part.name, True))

    def test_revisions_of_engines_the_newest_first(self):
        builds.succeed(self.person, self.build, {}, "bored out", scenes.DAY)
        found = self.names("build-names")
        self.assertEqual([row["revision"] for row in found["rows"]][:2], [2, 1])
        self.assertEqual(self.names(f"build-names?ids={self.build.pk}")["rows"][0]["id"], self.build.pk)
        self.assertEqual(self.names("build-names?search=nothing+of+this+name"), {"total": 0, "rows": []})

    def test_a_viewer_is_offered_nothing_that_is_confidential(self):
        builds.describe_owner(self.person, self.build.engine, owner="A customer", confidential=True)
        self.client.force_login(scenes.person(Role.VIEWER))
        for address in ("build-names", f"build-names?ids={self.build.pk}"):
            self.assertEqual(self.names(address)["rows"], [])


class Confidential(Case):
    def test_a_viewer_finds_neither_the_engine_nor_its_programmes(self):
        programme = scenes.programme(self.person)
        builds.describe_owner(self.person, programme.build.engine, owner="A customer", confidential=True)
        addresses = (f"builds/{programme.build_id}", f"programmes/{programme.pk}", f"programmes/{programme.pk}/day",
                     f"programmes/{programme.pk}/stand", f"programmes/{programme.pk}/stacks",
                     f"programmes/{programme.pk}/pulls", f"programmes/{programme.pk}/weather",
                     f"programmes/{programme.pk}/live")  # fmt: skip
        self.client.force_login(scenes.person(Role.VIEWER))
        for address in addresses:
            with self.subTest(address=address):
                self.assertIn(self.client.get(f"/api/{address}").status_code, (404, 409))
        self.assertEqual([one["name"] for one in self.client.get("/api/engines-table").json()["rows"]], ["six"])
        self.assertEqual(self.client.get("/api/tests-table").json()["rows"], [])

    def test_nor_the_parts_that_were_bolted_on_it_alone(self):
        kept_back = scenes.programme(self.person)
        shared = scenes.programme(self.person, setups=1, engine="another six", parts="shared manifold")
        both = kept_back.setups.last().parts.get()
        shared.setups.first().parts.add(both)
        alone = kept_back.setups.first().parts.get()
        builds.describe_owner(self.person, kept_back.build.engine, owner="A customer", confidential=True)
        operator = {one["name"] for one in self.client.get("/api/parts-table?size=200").json()["rows"]}
        self.client.force_login(scenes.person(Role.VIEWER))
        seen = {one["name"] for one in self.client.get("/api/parts-table?size=200").json()["rows"]}
        self.assertEqual(operator - seen, {part.name for part in Part.objects.all()} - seen)
        self.assertIn(both.name, seen)
        self.assertNotIn(alone.name, seen)
        for address in (f"parts/{alone.pk}", f"parts/{alone.pk}/uses"):
            self.assertEqual(self.client.get(f"/api/{address}").status_code, 404)
        compared = self.client.post("/api/stacks/compare", {"one": [alone.pk], "other": [both.pk]}, "application/json")
        self.assertNotIn(alone.name, compared.content.decode())
