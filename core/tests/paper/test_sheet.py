"""Rendered sheets with known figures, read by the real reader. The 200 of them are counted in perf."""

import cv2
import numpy as np
from django.test import SimpleTestCase
from torvix_core.paper import characters, sheet
from torvix_core.paper.cross_check import Columns, cross_check
from torvix_core.paper.straighten import skew_deg, straighten

from standin.printed_sheet import Condition, PrintedTable, picture, random_table

# Fonts, skew to 5°, noise, fading, shadows, a ruled table, a desk, a screen: each at least once.
CONDITIONS = (
    Condition("serif", 24, skew_deg=5.0, fading=0.5, ruled=True),
    Condition("mono", 28, skew_deg=-4.0, noise=0.06, shadow=0.5),
    Condition("book", 26, skew_deg=2.0, desk=True, tilt=0.03, blur_px=0.5),
    Condition("sans", 22, skew_deg=-1.0, screen=True),
    Condition("typewriter", 30, skew_deg=3.0, noise=0.05, fading=0.3, quality=60),
)


def read(table: PrintedTable, condition: Condition) -> tuple[sheet.SheetReading, list]:
    found = sheet.read(picture(table, condition, seed=3))
    columns = found.columns
    speed, torque, power = (found.column(at) for at in (columns.speed, columns.torque, columns.power))
    return found, cross_check(Columns(speed, torque, power, columns.torque_unit, columns.power_unit))


class Sheets(SimpleTestCase):
    def test_nearly_all_cells_are_right_and_no_wrong_one_is_unmarked(self):
        cells = right = 0
        unmarked = []
        for seed, condition in enumerate(CONDITIONS, start=40):
            table = random_table(seed)
            _, rows = read(table, condition)
            self.assertEqual(len(rows), len(table.rows), condition)
            order = ["speed" if head == "RPM" else head.split()[0].lower() for head in table.heads]
            for printed, row in zip(table.rows, rows, strict=True):
                for name, text in zip(order, printed, strict=True):
                    if name not in row:
                        continue  # oil, mixture
                    cells += 1
                    right += row[name].text == text
                    if row[name].text != text and row[name].doubt is None:
                        unmarked.append((condition.font, name, text, row[name]))
        self.assertEqual(unmarked, [])
        self.assertGreaterEqual(right / cells, 0.98)
        self.assertGreater(cells, 250)

    def test_heads_peaks_and_where_the_cells_stand(self):
        table = PrintedTable(
            "Pull 7", ["RPM", "Torque (lb-ft)", "Power (hp)"],
            [["3000", "393.0", "224.5"], ["3200", "398.0", "242.5"], ["3400", "404.0", "261.5"],
             ["3600", "406.0", "278.3"], ["3800", "402.5", "291.2"]],
            ["Peak torque 406.0 lb-ft @ 3600 rpm", "Peak power 291.2 hp @ 3800 rpm"],
        )  # fmt: skip
        found, _ = read(table, Condition(skew_deg=-3.0))
        self.assertIn("RPM", found.heads[0])
        self.assertEqual((found.columns.torque_unit, found.columns.power_unit), ("lb-ft", "hp"))
        self.assertEqual((found.quoted.torque, found.quoted.torque_rpm), (406.0, 3600.0))
        self.assertEqual((found.quoted.power, found.quoted.power_rpm), (291.2, 3800.0))
        box = found.boxes[2][1]
        again = characters.read([box.of(found.page, 5)], box.bottom - box.top, digits=True, height_px=24)
        self.assertEqual(again[0].text, "404.0")

    def test_a_picture_that_lies_on_its_side_is_read_when_it_is_turned(self):
        table = random_table(41)
        lying = cv2.imencode(".png", np.rot90(cv2.imdecode(np.frombuffer(picture(table, Condition()), np.uint8), 0)))[1]
        with self.assertRaisesRegex(sheet.NoTable, "Rotate the picture|closer"):
            sheet.read(lying.tobytes())
        self.assertEqual(len(sheet.read(lying.tobytes(), turned=1).boxes), len(table.rows))


class NoSheets(SimpleTestCase):
    def test_each_says_what_to_do(self):
        plain = np.full((400, 600), 230, np.uint8)
        chance = np.random.default_rng(1)
        for what, array, words in (
            ("white", plain, "all of one shade"),
            ("tiny", plain[:20, :20], "only 20 x 20 pixels"),
            ("noise", chance.integers(0, 255, (400, 600)).astype(np.uint8), "closer"),
            ("a letter", cv2.putText(plain.copy(), "A", (100, 200), 0, 3, 0, 5), "closer"),
        ):
            with self.subTest(what=what), self.assertRaisesRegex(sheet.NoTable, words):
                sheet.read(cv2.imencode(".png", array)[1].tobytes())
        with self.assertRaisesRegex(sheet.NoTable, "JPEG or PNG"):
            sheet.read(b"%PDF-1.7")

    def test_stopping_between_the_steps(self):
        class Stopped(Exception):
            pass

        said = []

        def progress(text):
            said.append(text)
            if len(said) == 3:
                raise Stopped

        with self.assertRaises(Stopped):
            sheet.read(picture(random_table(1), Condition()), progress=progress)
        self.assertIn("attempt 2 of", said[-1])


class Straight(SimpleTestCase):
    def test_the_skew_is_found_to_a_tenth_of_a_degree(self):
        sent = cv2.imdecode(np.frombuffer(picture(random_table(4), Condition()), np.uint8), cv2.IMREAD_GRAYSCALE)
        page = straighten(np.asarray(sent, np.uint8))
        for angle in (-4.6, -1.3, 0.0, 2.2, 5.0):
            height, width = page.shape
            turn = cv2.getRotationMatrix2D((width / 2, height / 2), angle, 1.0)
            turned = cv2.warpAffine(page, turn, (width, height), borderValue=255)
            self.assertAlmostEqual(skew_deg(np.asarray(turned, np.uint8)), angle, delta=0.1)
