import io
from typing import Any

import scenes
from django.test import TestCase
from PIL import Image
from torvix_core.engine.dimensions import Slot
from torvix_core.engine.evidence import Origin

from engines.models import Part
from engines.parts import service as parts
from engines.parts.service import PartFacts
from engines.sheet import sheets
from engines.sheet.readings import ReadingChange
from shop.models import Person, Role
from shop.refusals import Invalid, NotAllowed, Refusal


def picture(size: tuple[int, int] = (40, 20), form: str = "PNG", **more: Any) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", size, "#446688").save(out, form, **more)
    return out.getvalue()


class Library(TestCase):
    person: Person
    part: Part

    @classmethod
    def setUpTestData(cls):
        cls.person = scenes.person(Role.OPERATOR)
        cls.part = scenes.manifold(cls.person, "Long", 420)

    def modify(self, **more: Any) -> Part:
        facts = {"name": "Cut", "modification": "runners cut", "amount": "60 mm", "reason": "more at the top",
                "texts": {"runner_length": "360 mm"}}  # fmt: skip
        return parts.modify_part(self.person, self.part, scenes.DAY, **{**facts, **more})

    def test_a_modification_makes_a_child_and_the_parent_stays(self):
        parts.write_down(self.person, self.part, "height", ReadingChange("190 mm"), scenes.DAY)
        child = self.modify()
        found = sheets.values(child.readings.all())
        self.assertAlmostEqual(float(found["runner_length"]), 0.36)
        self.assertAlmostEqual(float(found["height"]), 0.19)  # what was not touched comes with it
        self.assertAlmostEqual(float(sheets.values(self.part.readings.all())["runner_length"]), 0.42)
        self.assertEqual([one.name for one in parts.lineage(child)], ["Long", "Cut"])
        self.assertEqual(parts.stack_part(child).modification, "runners cut 60 mm")

    def test_a_modification_says_what_and_why(self):
        with self.assertRaises(Invalid) as refusal:
            self.modify(modification="", reason="")
        self.assertEqual(set(refusal.exception.fields), {"modification", "reason"})
        self.assertEqual(Part.objects.count(), 1)

    def test_a_line_that_this_kind_of_part_has_not_is_refused(self):
        with self.assertRaises(Invalid) as refusal:
            parts.write_down(self.person, self.part, "intake_duration", ReadingChange("230"), scenes.DAY)
        self.assertIn("intake_duration", refusal.exception.fields)

    def test_values_that_contradict_are_not_used_until_one_is_chosen(self):
        parts.write_down(self.person, self.part, "runner_length", ReadingChange("430 mm", Origin.CATALOG), scenes.DAY)
        self.assertNotIn("runner_length", sheets.values(self.part.readings.all()))
        parts.choose(self.person, self.part, "runner_length", Origin.REPORTED)
        self.assertAlmostEqual(float(sheets.values(self.part.readings.all())["runner_length"]), 0.42)
        parts.write_down(self.person, self.part, "runner_length", ReadingChange("425 mm", Origin.REPORTED), scenes.DAY)
        self.assertAlmostEqual(float(sheets.values(self.part.readings.all())["runner_length"]), 0.425)

    def test_a_price_is_a_number_with_two_decimals_or_unknown(self):
        for text, price in (("420", "420.00"), ("419.5", "419.50"), ("", "None")):
            parts.describe_part(self.person, self.part, PartFacts("Long", price=text))
            self.part.refresh_from_db()
            self.assertEqual(str(self.part.price), price)
        for text in ("cheap", "-3", "1.234", "nan", "1e99", "12,50"):
            with self.subTest(text=text), self.assertRaises(Invalid) as refusal:
                parts.describe_part(self.person, self.part, PartFacts("Long", price=text))
            self.assertIn("Write it like 420", refusal.exception.fields["price"])

    def test_a_private_price_is_for_those_who_operate(self):
        parts.describe_part(self.person, self.part, PartFacts("Long", price="420", price_is_private=True))
        self.part.refresh_from_db()
        self.assertTrue(parts.may_see_price(self.person, self.part))
        self.assertFalse(parts.may_see_price(scenes.person(Role.VIEWER), self.part))

    def test_names_are_taken_once_and_links_lead_to_other_parts(self):
        with self.assertRaises(Invalid):
            scenes.manifold(self.person, "Long", 300)
        for other in (self.part.pk, 987_654):
            with self.subTest(other=other), self.assertRaises(Invalid) as refusal:
                parts.describe_part(self.person, self.part, PartFacts("Long", matched_to_id=other))
            self.assertIn("matched_to_id", refusal.exception.fields)

    def test_aliases_come_and_go(self):
        parts.name_alias(self.person, self.part, "The long one")
        parts.name_alias(self.person, self.part, "The long one")
        self.assertEqual([alias.name for alias in self.part.aliases.all()], ["The long one"])
        parts.drop_alias(self.person, self.part, "The long one")
        self.assertFalse(self.part.aliases.exists())

    def test_a_viewer_changes_nothing(self):
        viewer = scenes.person(Role.VIEWER)
        for act in (
            lambda: parts.add_part(viewer, scenes.DAY, Slot.SPACER, PartFacts("x"), {}),
            lambda: parts.write_down(viewer, self.part, "height", ReadingChange("1 in", Origin.REPORTED), scenes.DAY),
            lambda: parts.name_alias(viewer, self.part, "x"),
            lambda: parts.add_photo(viewer, self.part, picture(), "", scenes.DAY),
        ):
            with self.assertRaises(NotAllowed):
                act()


class Photographs(TestCase):
    person: Person
    part: Part

    @classmethod
    def setUpTestData(cls):
        cls.person = scenes.person(Role.OPERATOR)
        cls.part = scenes.manifold(cls.person, "Long", 420)

    def add(self, upload: bytes):
        return parts.add_photo(self.person, self.part, upload, "seen from above", scenes.DAY)

    def refused(self, upload: bytes) -> str:
        with self.assertRaises(Invalid) as refusal:
            self.add(upload)
        self.assertFalse(self.part.photos.exists())
        return refusal.exception.fields["file"]

    def test_a_picture_is_made_anew_as_jpeg_without_what_was_hidden_in_it(self):
        exif = Image.Exif()
        exif[0x010E] = "secret place"  # image description
        exif[0x0112] = 6  # turned by a quarter
        photo = self.add(picture((400, 200), "JPEG", exif=exif))
        kept = Image.open(io.BytesIO(bytes(photo.data)))
        self.assertEqual((kept.format, kept.size, dict(kept.getexif())), ("JPEG", (200, 400), {}))
        self.assertNotIn(b"secret place", bytes(photo.data))

    def test_a_large_one_is_made_smaller(self):
        photo = self.add(picture((3200, 1600)))
        self.assertEqual((photo.width, photo.height), (1600, 800))

    def test_what_is_no_picture_is_refused(self):
        svg = b'<svg xmlns="http://www.w3.org/2000/svg"><script>alert(1)</script></svg>'
        for upload in (b"", b"no picture", svg, picture()[:40], picture(form="GIF"), picture(form="BMP")):
            with self.subTest(upload=upload[:12]):
                self.assertEqual(self.refused(upload), "a JPEG, PNG or WebP is taken")

    def test_a_picture_of_too_many_pixels_is_refused_before_it_is_unpacked(self):
        """61 million pixels in a file of some hundred kilobytes."""
        self.assertIn("at most 50 million", self.refused(picture((8000, 7626))))

    def test_a_file_that_is_too_large_is_refused(self):
        self.assertIn("at most 12 MB", self.refused(b"x" * 12_000_001))

    def test_the_same_file_is_kept_once(self):
        self.add(picture())
        with self.assertRaises(Invalid):
            self.add(picture())

    def test_a_part_holds_so_many(self):
        for number in range(parts.PHOTOS_A_PART):
            self.add(picture((10 + number, 10)))
        with self.assertRaises(Refusal):
            self.add(picture((90, 90)))
