"""Files in with a mapping, a cut by hand, two pulls side by side, figures typed in: in the browser."""

import re
from pathlib import Path
from tempfile import TemporaryDirectory

import scenes
from playwright.sync_api import expect

from browser_tests.at_the_stand import HILL_CLIMB, TRUMPETS
from browser_tests.case import BrowserCase, pick, sign_in
from curves.models import ReductionOverride
from programmes.models import Programme
from stand.models import Pull, PullOrigin

SHELF = "Do the trumpets change the spring result?"


def sweep(level: float) -> str:
    """As another stand saves it: semicolons, decimal commas, a torque whose head gives no unit."""
    rows = [";".join(f"{value:.3f}" for value in row).replace(".", ",") for row in scenes.samples(level)]
    return "\n".join(["t;n;Moment;Throttle;Oil", "s;rpm;;%;°C", *rows]) + "\n"


# Rows copied from a sheet, into the field that is given.
PASTE = """(field, text) => {
  const clipboardData = new DataTransfer()
  clipboardData.setData('text', text)
  field.dispatchEvent(new ClipboardEvent('paste', {clipboardData, bubbles: true, cancelable: true}))
}"""


class Case(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.trumpets = Programme.objects.get(question=TRUMPETS)
        self.shelf = Programme.objects.get(question=SHELF)
        self.hill_climb = Programme.objects.get(question=HILL_CLIMB)


def warm_sweep(level: float, celsius: float) -> str:
    """Comma separated, with every unit in its head."""
    rows = [",".join(f"{value:.3f}" for value in (*row[:4], celsius)) for row in scenes.samples(level)]
    return "\n".join(["time [s],rpm,torque [Nm],throttle [%],oil temp [C]", *rows]) + "\n"


class RunningOrder(Case):
    def test_the_order_is_moved_by_keys_and_dragged_and_a_cold_first_pull_is_out_alone(self):
        """Names that sort by part; the cold pull was the first of the day, and is brought to its place."""
        self.start_workers("long")
        with TemporaryDirectory() as folder, self.browser() as page:
            celsius = {"a 1": 90.0, "a 2": 91.0, "b 1": 89.0, "b 2": 90.0, "c cold a": 58.0}
            for place, (name, oil) in enumerate(celsius.items()):
                Path(folder, f"{name}.csv").write_text(warm_sweep(0.8 + 0.001 * place, oil))
            sign_in(page)
            page.goto(f"/programmes/{self.trumpets.pk}/pulls", wait_until="domcontentloaded")
            page.get_by_role("link", name=re.compile("^Import files")).click()
            page.get_by_label("Files to import").set_input_files(sorted(Path(folder).iterdir()))
            rows = page.get_by_test_id("files").locator("tr[data-file]")
            expect(rows).to_have_count(5)
            expect(rows.nth(4)).to_contain_text("c cold a.csv")
            pick(page, "Setup of c cold a.csv", "A Middle runner")
            handle = page.get_by_role("button", name=re.compile("^Move c cold a.csv"))
            handle.focus()
            for _ in range(3):
                page.keyboard.press("ArrowUp")
            expect(rows.nth(1)).to_contain_text("c cold a.csv")
            handle.drag_to(rows.nth(0))
            expect(rows.nth(0)).to_contain_text("c cold a.csv")
            page.get_by_label("When a 1.csv began").fill("lunch")
            page.get_by_role("button", name=re.compile("^Read 5 files")).click()
            expect(page.get_by_test_id("files").get_by_role("alert")).to_contain_text("a time of day such as 14:05")
            page.get_by_label("When a 1.csv began").fill("14:05")
            page.get_by_label("Stand", exact=True).fill("At the lake")

            # The page is loaded again: the files, their order and what was said of them are as they were.
            page.reload(wait_until="domcontentloaded")
            expect(rows.nth(0)).to_contain_text("c cold a.csv")
            expect(page.get_by_label("Stand", exact=True)).to_have_value("At the lake")
            expect(page.get_by_label("When a 1.csv began")).to_have_value("14:05")
            page.get_by_role("button", name=re.compile("^Read 5 files")).click()
            expect(page.get_by_test_id("outcome")).to_contain_text("5 read, 0 known already, 0 refused")
            page.reload(wait_until="domcontentloaded")
            expect(page.get_by_label("Stand", exact=True)).to_be_hidden()
            expect(rows).to_have_count(0)
        made = Pull.objects.filter(session__programme=self.trumpets, origin=PullOrigin.FILE).order_by("number")
        self.assertEqual([pull.source for pull in made],
                         ["c cold a.csv", "a 1.csv", "a 2.csv", "b 1.csv", "b 2.csv"])  # fmt: skip
        self.assertEqual(self.problems, [])


class BringingFiles(Case):
    def test_two_files_are_mapped_read_and_looked_into_and_one_that_is_broken_is_told(self):
        self.start_workers("long")
        with TemporaryDirectory() as folder, self.browser() as page:
            files = {"a 1.csv": sweep(0.8), "b 1.csv": sweep(0.81), "broken.csv": "t;n\n1;2\n3;4\n5;x\n7;8\n"}
            for name, text in files.items():
                Path(folder, name).write_text(text, encoding="cp1252")
            sign_in(page)
            page.goto(f"/programmes/{self.trumpets.pk}/pulls", wait_until="domcontentloaded")
            page.get_by_role("link", name=re.compile("^Import files")).click()
            page.get_by_label("Files to import").set_input_files(sorted(Path(folder).iterdir()))
            layout = page.get_by_test_id("layout")
            expect(layout).to_have_count(1)
            expect(layout.get_by_label("What Moment is")).to_have_value("Torque")
            expect(layout).to_contain_text("The unit of 'Moment' is not given.")
            expect(page.get_by_test_id("files")).to_contain_text("'x' is no number")

            # Without the unit nothing is read, and it is said where.
            page.get_by_role("button", name=re.compile("^Read 2 files")).click()
            expect(layout.get_by_role("alert")).to_contain_text("Say in which unit Torque is (Moment).")
            pick(layout, "Unit of Moment", "N·m")
            page.get_by_role("button", name=re.compile("^Read 2 files")).click()
            expect(page.get_by_test_id("outcome")).to_contain_text("2 read, 0 known already, 0 refused")

            # The next of the same make needs no mapping; the same file is known.
            page.get_by_label("Files to import").set_input_files(Path(folder, "a 1.csv"))
            expect(page.get_by_test_id("files")).to_contain_text("The very file that pull 1 came from.")
            page.get_by_role("link", name="Pull 1.").or_(page.get_by_role("link", name="To the pulls")).first.click()
        made = Pull.objects.filter(session__programme=self.trumpets).order_by("number")
        self.assertEqual(
            [(one.origin, one.setup.letter) for one in made], [(PullOrigin.FILE, "A"), (PullOrigin.FILE, "B")]
        )
        self.assertEqual(self.problems, [])
        self.assertEqual({address.split(":")[0] for address in self.asked}, {"127.0.0.1"})


class Inspecting(Case):
    def test_a_cut_is_moved_by_keys_and_taken_back_and_two_pulls_lie_side_by_side(self):
        with self.browser() as page:
            sign_in(page)
            page.goto(f"/programmes/{self.hill_climb.pk}/pulls", wait_until="domcontentloaded")
            page.get_by_label("Look into pull 6").click()
            expect(page.get_by_test_id("inspected")).to_contain_text("Pull 6, B Middle runner")
            cut = page.get_by_test_id("cut")
            expect(cut).to_contain_text("where the sweep is steady")
            edge = page.get_by_role("slider", name="Curve begins at")
            before = float(edge.get_attribute("aria-valuenow") or 0)
            box = edge.bounding_box()
            assert box is not None
            page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 40)
            page.mouse.down()
            page.mouse.move(box["x"] + 80, box["y"] + 40, steps=4)
            page.mouse.up()
            expect(cut).to_contain_text("set by hand")
            self.assertGreater(float(edge.get_attribute("aria-valuenow") or 0), before + 0.5)
            page.keyboard.press("r")
            expect(cut).to_contain_text("where the sweep is steady")
            expect(edge).to_have_attribute("aria-valuenow", str(before))

            # Two pulls at one rate tell nothing of the inertia, and it is said.
            pick(page, "Beside", "Pull 7, B")
            page.get_by_test_id("estimate").click()
            expect(page.get_by_role("alert").first).to_contain_text("too near to each other")
            pick(page, "Beside", "Pull 3, A")
            expect(page.get_by_test_id("comparability")).to_contain_text("Comparable in all that is checked.")
            expect(page.get_by_role("row", name=re.compile("^Parts and settings"))).to_contain_text("Intake manifold")
            page.get_by_label("Next pull").click()
            expect(page.get_by_test_id("inspected")).to_contain_text("Pull 7")
            page.keyboard.press("ArrowLeft")
            expect(page.get_by_test_id("inspected")).to_contain_text("Pull 6")
            with page.expect_download() as saved:
                page.get_by_role("link", name="Parquet").click()
            self.assertTrue(saved.value.suggested_filename.endswith(".parquet"))
        self.assertEqual(ReductionOverride.objects.count(), 2)
        self.assertEqual(self.problems, [])

    def test_a_pull_that_is_not_comparable_is_let_in_with_a_reason(self):
        with self.browser() as page:
            sign_in(page)
            page.goto(f"/programmes/{self.shelf.pk}/verdict", wait_until="domcontentloaded")
            page.goto(f"/programmes/{self.shelf.pk}/pulls", wait_until="domcontentloaded")
            expect(page.get_by_role("row", name=re.compile("^Look into pull 5|^5 "))).to_contain_text("not comparable")
            page.get_by_label("Look into pull 5").click()
            expect(page.get_by_test_id("against-baseline")).to_contain_text("coolant 20.0 °C colder")
            page.get_by_label("Include despite the warning, because").fill("The sensor sat in the wrong hose")
            page.get_by_role("button", name="Include", exact=True).click()
            expect(page.get_by_text("Included despite the warning: The sensor sat in the wrong hose")).to_be_visible()
            self.axe(page, f"/programmes/{self.shelf.pk}/pulls/files", f"/programmes/{self.shelf.pk}/pulls/figures")
            page.goto(f"/programmes/{self.shelf.pk}/pulls", wait_until="domcontentloaded")
            page.get_by_label("Look into pull 6").click()
            expect(page.get_by_test_id("inspected")).to_contain_text("Pull 6")
            expect(page.get_by_text("Printed figures, as observed.")).to_be_visible()
            self.axe(page, page.url)
        self.assertEqual(self.problems, [])


class Typing(Case):
    def test_a_table_is_checked_while_it_is_typed_and_kept(self):
        with self.browser() as page:
            sign_in(page)
            page.goto(f"/programmes/{self.shelf.pk}/pulls/figures", wait_until="domcontentloaded")
            problems = page.get_by_test_id("problems")
            page.get_by_label("Speed, line 1", exact=True).evaluate(
                PASTE, "3000 193 110.2\n3100 195 125.1\n3200 197 120.0\n3300 198 124.4\n3400 199 128.8\n"
            )
            expect(problems).to_contain_text("Line 2: 195.0 lb-ft at 3100 rpm is 115.1 hp; the table says 125.1 hp.")
            page.get_by_label("Power, line 2", exact=True).fill("115.1")
            expect(problems).to_contain_text("5 rows, and nothing contradicts.")
            pick(page, "Setup", "A Middle runner")
            page.get_by_label("Source of the figures").fill("A letter")
            page.get_by_role("button", name="Save figures").click()
            expect(page.get_by_role("alert").first).to_be_visible()
            pick(page, "Printed figures are", "As observed, not corrected")
            page.get_by_role("button", name="Save figures").click()
            expect(page.get_by_test_id("inspected")).to_contain_text("Pull 7, A Middle runner")
        self.assertEqual(self.problems, [])
