"""Pictures of printed tables: read by the job with the real reader, kept with the figures that came of them."""

import io
import json
from typing import Any
from unittest import mock

import scenes
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from PIL import Image
from torvix_core.paper import characters

from curves.intake.filing import FilingPlace
from curves.manual_entry import service as manual_entry
from curves.models import PrintedSheet
from curves.printed_sheets import service as sheets
from curves.printed_sheets.service import ColumnChoice
from curves.tests.test_imports import Watch
from jobs.service import Unusable
from programmes.models import Programme
from shop.models import Person, Role
from shop.refusals import Invalid, NotAllowed, Refusal
from standin.printed_sheet import Condition, PrintedTable, picture

WHERE = FilingPlace(scenes.DAY.date(), figures_standard="observed", keep=True)
ROWS = [["3000", "393.0", "224.5"], ["3100", "395.0", "233.1"], ["3200", "398.0", "242.5"], ["3300", "402.0", "252.6"],
        ["3400", "404.0", "261.5"], ["3500", "405.5", "270.2"], ["3600", "406.0", "278.3"]]  # fmt: skip
TABLE = PrintedTable("Pull 7", ["RPM", "Torque (lb-ft)", "Power (hp)"], ROWS, ["Peak torque 406.0 lb-ft @ 3600 rpm"])
UNITS = {"torque": "N·m", "power": "kW"}


def sent(content: bytes, name: str = "sheet.jpg") -> SimpleUploadedFile:
    return SimpleUploadedFile(name, content)


class OnPaper(TestCase):
    programme: Programme
    operator: Person
    photograph: bytes

    @classmethod
    def setUpTestData(cls) -> None:
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)
        cls.photograph = picture(TABLE, Condition("serif", 26, skew_deg=3.0, desk=True, tilt=0.02, noise=0.03))

    def read(self, content: bytes | None = None) -> PrintedSheet:
        made = sheets.add(self.operator, self.programme, sent(content or self.photograph), scenes.DAY)
        sheets.work({"sheet": made.pk}, Watch())
        made.refresh_from_db()
        return made


class Read(OnPaper):
    def test_what_is_printed_comes_out_with_its_units_and_places(self):
        one = self.read()
        choice = sheets.chosen(one.table, ColumnChoice(), UNITS)
        self.assertEqual((choice.torque_unit, choice.power_unit), ("lb-ft", "hp"))
        rows = sheets.checked(one.table, choice)
        self.assertEqual([[cell.text for cell, _ in row.cells.values()] for row in rows], ROWS)
        self.assertEqual({cell.doubt for row in rows for cell, _ in row.cells.values()}, {None})
        self.assertEqual(one.table.quoted["torque"], 406.0)
        page = Image.open(io.BytesIO(bytes(one.page)))
        self.assertEqual(page.size, (one.table.width, one.table.height))
        left, top, right, bottom = rows[2].cells["torque"][1].box
        shades = page.convert("L").crop((left, top, right, bottom)).histogram()
        self.assertGreater(sum(shades[:60]), 20)  # there is print in the box

    def test_falling_speeds_are_listed_as_they_rise(self):
        one = self.read(picture(PrintedTable("", TABLE.heads, ROWS[::-1]), Condition()))
        rows = sheets.checked(one.table, sheets.chosen(one.table, ColumnChoice(), UNITS))
        self.assertEqual([row.cells["speed"][0].text for row in rows], [row[0] for row in ROWS])

    def test_somebody_says_which_column_is_which(self):
        heads, rows = ["RPM", "TQ", "Oil"], [[speed, torque, "55"] for speed, torque, _ in ROWS]
        one = self.read(picture(PrintedTable("", heads, rows), Condition()))
        found = sheets.checked(one.table, sheets.chosen(one.table, ColumnChoice(0, 1, None, "N·m"), UNITS))
        self.assertEqual([row.cells["torque"][0].text for row in found], [torque for _, torque, _ in ROWS])
        for wrong in (ColumnChoice(0, 1, 1), ColumnChoice(0, 9)):
            with self.subTest(wrong=wrong), self.assertRaises(Invalid):
                sheets.checked(one.table, sheets.chosen(one.table, wrong, UNITS))
        self.assertEqual(sheets.checked(one.table, sheets.chosen(one.table, ColumnChoice(0), UNITS)), [])

    def test_it_is_turned_and_read_again(self):
        lying = io.BytesIO()
        Image.open(io.BytesIO(self.photograph)).rotate(90, expand=True).save(lying, "PNG")
        made = sheets.add(self.operator, self.programme, sent(lying.getvalue()), scenes.DAY)
        with self.assertRaisesRegex(Unusable, "Rotate the picture|closer"):
            sheets.work({"sheet": made.pk}, Watch())
        sheets.read_again(self.operator, made, 1, scenes.DAY)
        sheets.work({"sheet": made.pk}, Watch())
        made.refresh_from_db()
        self.assertEqual(len(made.table.rows), len(ROWS))

    def test_stopped_nothing_is_kept_and_it_can_be_asked_for_again(self):
        made = sheets.add(self.operator, self.programme, sent(self.photograph), scenes.DAY)
        self.assertEqual(sheets.work({"sheet": made.pk}, Watch(after=2)), {})
        made.refresh_from_db()
        self.assertIsNone(made.page)
        self.assertEqual(sheets.unsaved(self.operator, self.programme), made)

    def test_one_that_was_turned_while_it_was_read_is_not_overwritten(self):
        made = sheets.add(self.operator, self.programme, sent(self.photograph), scenes.DAY)

        class Turned(Watch):
            def tell(self, *progress: Any, **more: Any) -> None:
                super().tell(*progress, **more)
                PrintedSheet.objects.update(turned=2)

        sheets.work({"sheet": made.pk}, Turned())
        made.refresh_from_db()
        self.assertIsNone(made.page)


class Refused(OnPaper):
    def test_what_is_no_picture(self):
        with self.assertRaisesRegex(Invalid, "not a picture"):
            sheets.add(self.operator, self.programme, sent(b"%PDF-1.7 and so on", "sheet.pdf"), scenes.DAY)

    def test_no_table_on_it_is_said_with_what_to_do(self):
        plain = io.BytesIO()
        Image.new("L", (600, 400), 200).save(plain, "PNG")
        made = sheets.add(self.operator, self.programme, sent(plain.getvalue()), scenes.DAY)
        with self.assertRaisesRegex(Unusable, "closer and in even light"):
            sheets.work({"sheet": made.pk}, Watch())

    def test_a_machine_without_the_reader_says_what_to_install(self):
        made = sheets.add(self.operator, self.programme, sent(self.photograph), scenes.DAY)
        nowhere = mock.patch.object(characters.pytesseract.pytesseract, "tesseract_cmd", "/nowhere/tesseract")
        with nowhere, self.assertRaisesRegex(Unusable, "apt-get install tesseract-ocr"):
            sheets.work({"sheet": made.pk}, Watch())

    def test_who_may_not_run_the_test_and_what_is_gone(self):
        viewer = scenes.person(Role.VIEWER)
        with self.assertRaises(NotAllowed):
            sheets.add(viewer, self.programme, sent(self.photograph), scenes.DAY)
        made = sheets.add(self.operator, self.programme, sent(self.photograph), scenes.DAY)
        with self.assertRaises(NotAllowed):
            sheets.discard(viewer, made)
        sheets.discard(self.operator, made)
        with self.assertRaisesRegex(Unusable, "not here any more"):
            sheets.work({"sheet": 10**6}, Watch())

    def test_too_many_that_wait(self):
        row = {"programme": self.programme, "sha256": "0", "picture": b"", "by": self.operator, "at": scenes.DAY}
        PrintedSheet.objects.bulk_create(PrintedSheet(name=str(at), **row) for at in range(sheets.UNSAVED))
        with self.assertRaisesRegex(Refusal, "Save or discard one"):
            sheets.add(self.operator, self.programme, sent(self.photograph), scenes.DAY)


class Kept(OnPaper):
    def write(self, one: PrintedSheet) -> Any:
        figures = manual_entry.read("\n".join("\t".join(row) for row in ROWS), "lb-ft", "hp")
        written = manual_entry.Written(figures, source="printed sheet")
        setup = self.programme.setups.first()
        return manual_entry.write(self.operator, self.programme, setup, written, WHERE, scenes.DAY, one)

    def test_the_picture_stays_with_the_pull_and_is_not_read_again(self):
        one = self.read()
        pull = self.write(one)
        one.refresh_from_db()
        self.assertEqual(one.pull, pull)
        self.assertIsNone(sheets.unsaved(self.operator, self.programme))
        with self.assertRaisesRegex(Refusal, "kept with its pull"):
            sheets.discard(self.operator, one)
        with self.assertRaisesRegex(Refusal, "kept with its pull"):
            sheets.read_again(self.operator, one, 1, scenes.DAY)
        with self.assertRaisesRegex(Refusal, f"with pull {pull.number}"):
            sheets.add(self.operator, self.programme, sent(self.photograph), scenes.DAY)

    def test_a_picture_that_was_never_read_keeps_no_pull_from_being_refused_whole(self):
        made = sheets.add(self.operator, self.programme, sent(self.photograph), scenes.DAY)
        with self.assertRaisesRegex(Refusal, "has not been read"):
            self.write(made)
        self.assertFalse(self.programme.sessions.filter(pulls__isnull=False).exists())

    def test_it_goes_along_in_the_file_of_the_test_and_comes_back_with_its_pull(self):
        one = self.read()
        pull = self.write(one)
        self.read(picture(TABLE, Condition("mono")))  # one that became nothing stays here
        made = scenes.read_back(self.operator, scenes.archive_of(self.operator, self.programme))
        brought = PrintedSheet.objects.get(programme=made)
        one.refresh_from_db()
        self.assertEqual((bytes(brought.picture), bytes(brought.page)), (bytes(one.picture), bytes(one.page)))
        self.assertEqual((brought.table, brought.pull.number), (one.table, pull.number))

    def test_through_the_api_with_a_mark_beside_its_clipping(self):
        one = self.read()
        table = one.table.model_copy(deep=True)
        table.rows[4][1].readings = {"484.0": 0.9}  # as if a digit had been misread
        PrintedSheet.objects.filter(pk=one.pk).update(table=table.model_dump(mode="json"))
        self.client.force_login(self.operator)
        answer = self.client.get(f"/api/printed-sheets/{one.pk}").json()
        cell = answer["rows"][4]["torque"]
        self.assertEqual((cell["text"], cell["likely"]), ("484.0", "404.0"))
        self.assertIn("not torque times speed", cell["doubt"])
        self.assertEqual(answer["columns"][0], "RPM")
        body = {
            "text": "\n".join("\t".join(row) for row in ROWS), "torque_unit": "lb-ft", "power_unit": "hp",
            "setup_id": self.programme.setups.first().pk, "source": "sheet", "sheet_id": one.pk,
            "where": {"day": "2026-07-01", "figures_standard": "observed", "keep": True},
        }  # fmt: skip
        address = f"/api/programmes/{self.programme.pk}/figures"
        written = self.client.post(address, json.dumps(body), content_type="application/json")
        self.assertEqual(written.status_code, 200, written.content)
        self.assertEqual(PrintedSheet.objects.get(pk=one.pk).pull_id, written.json()["pull_id"])
        page = self.client.get(f"/api/printed-sheets/{one.pk}/page")
        self.assertEqual((page["Content-Type"], page.content[:2]), ("image/jpeg", b"\xff\xd8"))
        shown = self.client.get(f"/api/pulls/{written.json()['pull_id']}/inspection").json()
        self.assertEqual(shown["printed_sheet_id"], one.pk)
