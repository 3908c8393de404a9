"""The engine on paper, in the browser: build sheet, what if, revisions, parts, setups and air."""

import io
import re

from PIL import Image
from playwright.sync_api import Page, expect

from browser_tests.case import BrowserCase, home, pick, sign_in
from engines.models import Build, Engine, Part
from engines.sheet import sheets
from programmes.models import Programme
from stand.models import WeatherReading

HILL_CLIMB = "Which manifold for the hill climb?"
DAY = "2026-11-21"  # of the demonstration's session


def figure(page: Page, key: str):
    return page.locator(f'[data-figure="{key}"] .value')


def measured(page: Page, label: str):
    return page.get_by_label(f"{label}, measured", exact=True)


class Case(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.programme = Programme.objects.get(question=HILL_CLIMB)
        self.build = self.programme.build


class BuildSheet(Case):
    def test_an_engine_from_nothing_gives_displacement_and_ratio_as_worked_by_hand(self):
        """By hand: bore 4.030 in, stroke 3.48 in: π/4 · 4.03² · 3.48 · 8 = 355.1 in³; a cylinder 44.39 in³ = 727.4 cm³.
        Above the piston: chamber 64, gasket π/4 · 4.1² · 0.040 in³ = 8.65, deck π/4 · 4.03² · 0.025 in³ = 5.23 and
        reliefs 5 make 82.88 cm³. (727.4 + 82.88)/82.88 = 9.78."""
        with self.browser() as page:
            sign_in(page)
            home(page)
            page.get_by_role("link", name="Engines").click()
            page.get_by_role("button", name="New engine").click()
            page.get_by_label("Name").fill("Bench eight")
            page.get_by_label("Cylinders").fill("8")
            page.get_by_label(re.compile("^Bore")).fill("4,03")
            page.get_by_label(re.compile("^Stroke")).fill("3.48 in")
            page.get_by_role("button", name="Create engine").click()
            # Refused at its field, in words, with the rest of the form kept.
            expect(page.get_by_text("has a comma, which can mean two things. Write a point: 4.03.")).to_be_visible()
            expect(page.get_by_label(re.compile("^Stroke"))).to_have_value("3.48 in")
            page.get_by_label(re.compile("^Bore")).fill("4.030 in")
            page.get_by_role("button", name="Create engine").click()

            expect(figure(page, "displacement")).to_have_text("5.819 L")
            for label, text in (("Chamber", "64 cc"), ("Head gasket bore", "4.100 in"), ("Valve reliefs", "5 cc"),
                                ("Compressed gasket thickness", "0.040 in"),
                                ("Deck clearance", "0.025 in")):  # fmt: skip
                measured(page, label).fill(text)
                measured(page, label).press("Enter")
                expect(page.locator(f'[data-line="{self.key(label)}"] .used input')).to_be_visible()
            expect(figure(page, "static_ratio")).to_have_text("9.78:1")
            expect(figure(page, "share_gasket")).to_have_text("8.65 cm³")

            # Live while typing, before anything is kept.
            measured(page, "Chamber").fill("60 cc")
            expect(figure(page, "static_ratio")).to_have_text("9.78:1 → 10.22:1")
            measured(page, "Chamber").fill("6000")
            measured(page, "Chamber").press("Enter")
            measured(page, "Deck clearance").focus()
            expect(page.locator('[data-line="chamber_volume"] .message[role="alert"]')).to_contain_text(
                "Understood 6000 cm³; it lies between 2 and 1000 cm³."
            )
            expect(measured(page, "Chamber")).to_have_value("6000")

            page.get_by_role("button", name="Units and sign-out").click()
            page.get_by_role("button", name="All inch and pound").click()
            page.keyboard.press("Escape")
            expect(figure(page, "displacement")).to_have_text("355.12 in³")
            expect(measured(page, "Compressed gasket thickness")).to_have_value("0.040")
        build = Build.objects.get(engine__name="Bench eight")
        self.assertAlmostEqual(sheets.value(build, "chamber_volume"), 64e-6)
        self.assertEqual(self.problems, [])

    @staticmethod
    def key(label: str) -> str:
        keys = {"Chamber": "chamber_volume", "Valve reliefs": "relief_volume"}
        return keys.get(label, label.lower().replace("head ", "").replace("compressed ", "").replace(" ", "_"))

    def test_a_gasket_tried_in_what_if_is_saved_as_a_revision_and_compared(self):
        with self.browser() as page:
            sign_in(page)
            page.goto(f"/programmes/{self.programme.pk}/engine", wait_until="domcontentloaded")
            expect(page.locator('[data-figure="static_ratio"]')).to_contain_text("assumed")
            expect(figure(page, "static_ratio")).to_contain_text("10.39:1")
            measured(page, "Compressed gasket thickness").fill("0.025 in")
            expect(figure(page, "static_ratio")).to_have_text("10.39:1 → 10.81:1")
            expect(figure(page, "cranking_estimate")).to_contain_text("→")
            expect(page.locator('[data-figure="displacement"]')).not_to_contain_text("→")
            page.get_by_role("button", name="Save as a new revision").click()
            expect(page.get_by_role("alert")).to_have_text("a few words are enough")
            page.get_by_placeholder("Reason for the new revision").fill("Thin gasket tried")
            page.get_by_role("button", name="Save as a new revision").click()

            expect(page.get_by_text("rev 3", exact=True)).to_be_visible()
            expect(figure(page, "static_ratio")).to_have_text("10.81:1")
            tabs = page.get_by_role("tablist").first
            page.keyboard.press("t")
            expect(tabs.get_by_role("tab").nth(1)).to_have_attribute("aria-selected", "true")
            page.keyboard.press("t")
            pick(page, "Compare", "rev 1")
            row = page.get_by_test_id("differences").get_by_role("row", name=re.compile("Compressed gasket"))
            expect(row).to_contain_text("1 mm assumed; 0.64 mm measured")
            expect(page.locator('[data-figure="static_ratio"]')).to_contain_text("10.39:1 → 10.81:1")
        self.build.refresh_from_db()
        self.assertAlmostEqual(sheets.value(self.build, "gasket_thickness"), 0.001)
        made = Build.objects.get(engine=self.build.engine, revision=3)
        self.assertEqual((made.reason, made.used_at), ("Thin gasket tried", None))

    def test_a_programme_goes_on_with_the_newer_revision_and_dropping_a_trial_keeps_nothing(self):
        with self.browser() as page:
            sign_in(page)
            page.goto(f"/programmes/{self.programme.pk}/engine", wait_until="domcontentloaded")
            measured(page, "Bore").fill("87")
            expect(page.get_by_text("1 change tried, nothing saved")).to_be_visible()
            page.get_by_role("button", name="Drop").click()
            expect(measured(page, "Bore")).to_have_value("")
            page.get_by_role("button", name="Use rev 2").click()
            expect(page.get_by_role("link", name=re.compile("^Engine"))).to_contain_text("rev 2")
            expect(figure(page, "static_ratio")).to_have_text("9.72:1")
        self.programme.refresh_from_db()
        self.assertEqual(self.programme.build.revision, 2)
        self.assertEqual(Engine.objects.get(pk=self.build.engine_id).builds.count(), 2)

    def test_a_flow_table_at_ten_inches_and_values_that_contradict(self):
        second = Build.objects.get(engine=self.build.engine, revision=2)
        with self.browser() as page:
            sign_in(page)
            page.goto(f"/builds/{second.pk}", wait_until="domcontentloaded")
            table = page.get_by_test_id("flow-exhaust")
            table.get_by_role("button", name="Add flow table…").click()
            table.get_by_label("Depression, inH2O").fill("10")
            for row, (lift, flow) in enumerate((("5", "90"), ("4", "150")), start=1):
                table.get_by_label(f"Lift {row}").fill(lift)
                table.get_by_label(f"Flow {row}").fill(flow)
            table.get_by_role("button", name="Save").click()
            expect(table.get_by_text("Each lift must be above the one before it.")).to_be_visible()
            table.get_by_label("Lift 2").fill("10")
            table.get_by_role("button", name="Save").click()
            expect(table.get_by_role("row", name=re.compile("^10 150"))).to_contain_text("251.0")

            pick(page, "Source of Stroke", "reported")
            page.get_by_label("Stroke, nominal").fill("83.4")
            page.get_by_label("Stroke, nominal").press("Enter")
            line = page.locator('[data-line="stroke"]')
            expect(line).to_contain_text("contradict each other: nothing is used until one is chosen")
            page.get_by_role("button", name="more need what is not written down").first.click()
            expect(page.locator('[data-figure="displacement"]')).to_contain_text("needs stroke")
            line.get_by_role("button", name="Use this").first.click()
            expect(figure(page, "displacement")).to_have_text("2.912 L")


class PartsAndSetups(Case):
    def test_a_modification_a_picture_and_how_the_part_did(self):
        short = Part.objects.get(name="Short-runner manifold")
        picture = io.BytesIO()
        Image.new("RGB", (320, 240), "#664422").save(picture, "JPEG")
        with self.browser() as page:
            sign_in(page)
            home(page)
            page.get_by_role("link", name="Parts").click()
            page.get_by_label("Search parts").fill("touring")
            expect(page.get_by_role("link", name="Long-runner manifold")).to_be_visible()
            expect(page.get_by_role("link", name="Short-runner manifold")).to_have_count(0)
            page.goto(f"/parts/{short.pk}", wait_until="domcontentloaded")
            expect(page.get_by_test_id("uses")).to_contain_text("3 pulls")
            expect(page.get_by_test_id("uses")).to_contain_text(
                re.compile(r"\d lb-ft on average from 3000 to 6500 rpm, 3 pulls\. [+−]\d")
            )
            page.get_by_role("button", name="Modify it…").click()
            page.get_by_label("Name of the new part").fill("Short-runner manifold, divider cut")
            page.get_by_label("What was done").fill("Divider cut back")
            page.get_by_role("button", name="Create part").click()
            expect(page.get_by_text("say why it was done")).to_be_visible()
            page.get_by_label("How much").fill("20 mm")
            page.get_by_label("Why").fill("Rich cylinders at the back")
            page.get_by_role("button", name="Create part").click()
            expect(page.get_by_role("heading", name="Short-runner manifold, divider cut")).to_be_visible()
            expect(page.get_by_test_id("lineage")).to_contain_text("Divider cut back, 20 mm: Rich cylinders")

            page.get_by_label("What the picture shows").fill("The cut")
            field = page.locator('input[type="file"]')
            field.set_input_files({"name": "x.jpg", "mimeType": "image/jpeg", "buffer": b"no picture"})
            expect(page.get_by_role("alert")).to_contain_text("a JPEG, PNG or WebP is taken")
            field.set_input_files({"name": "x.jpg", "mimeType": "image/jpeg", "buffer": picture.getvalue()})
            expect(page.get_by_role("img", name="The cut")).to_be_visible()
        child = Part.objects.get(name="Short-runner manifold, divider cut")
        self.assertEqual((child.parent, child.photos.get().caption), (short, "The cut"))
        self.assertEqual(self.problems, [])

    def test_setups_differ_in_words_and_a_stack_is_checked_before_it_is_bolted_on(self):
        with self.browser() as page:
            sign_in(page, "juna")
            page.goto(f"/programmes/{self.programme.pk}/engine?tab=setups", wait_until="domcontentloaded")
            expect(page.get_by_text("Long-runner manifold gives way to Short-runner manifold")).to_contain_text(
                "runner length 420 mm to 240 mm"
            )
            expect(page.get_by_text("276 mm high, 6 mm over the limit of 270 mm.")).to_be_visible()
            expect(page.get_by_text("the work is compared with the part")).to_be_visible()
            page.get_by_role("link", name="Short-runner manifold").first.click()
            expect(page.get_by_text("price private")).to_be_visible()

            page.goto("/stacks", wait_until="domcontentloaded")
            pick(page, "Intake manifold of the first stack", "Middle-runner manifold")
            second = "Middle-runner manifold with 60 mm trumpets"
            pick(page, "Intake manifold of the second stack", second)
            expect(page.get_by_text("the same part with: Trumpets let into the plenum 60 mm")).to_be_visible()

    def test_an_allowance_is_switched_on_and_off_and_never_in_the_curve(self):
        with self.browser() as page:
            sign_in(page)
            page.goto(f"/programmes/{self.programme.pk}/curves", wait_until="domcontentloaded")
            expect(page.get_by_test_id("allowance")).to_contain_text("less 5.0 hp allowed for Water pump: Belt-driven")
            peaks = page.get_by_role("table").filter(has_text="installed").get_by_role("row").nth(1)
            power, installed = (float(peaks.get_by_role("cell").nth(cell).inner_text()) for cell in (3, 5))
            self.assertAlmostEqual(power - installed, 5.0, delta=0.11)
            page.goto(f"/programmes/{self.programme.pk}/engine?tab=installed", wait_until="domcontentloaded")
            page.get_by_role("checkbox", name="Deduct water pump").click()
            expect(page.get_by_role("checkbox", name="Deduct water pump")).not_to_be_checked()
            page.goto(f"/programmes/{self.programme.pk}/curves", wait_until="domcontentloaded")
            expect(page.get_by_text("Peaks of the mean curves")).to_be_visible()
            expect(page.get_by_test_id("allowance")).to_have_count(0)
            self.assertEqual(float(peaks.get_by_role("cell").nth(3).inner_text() if peaks.count() else power), power)


class AirOnPaper(Case):
    def test_three_ways_of_telling_the_air_give_the_same_factor(self):
        """98.205 kPa, 29.44 °C, 50 % give 1.0440 under J1349, worked from the formula. Dew point 17.93 °C and wet bulb
        21.47 °C of that air are psychrolib 2.5.0's."""
        with self.browser() as page:
            sign_in(page)
            home(page)
            page.get_by_role("link", name="Air", exact=True).click()
            page.get_by_label("Barometer", exact=True).fill("29.0 inHg")
            page.get_by_label("Dry bulb").fill("84.99 °F")
            page.get_by_label("Relative humidity", exact=True).fill("50")
            cell = page.get_by_test_id("factors").get_by_role("row", name=re.compile("^SAE J1349")).locator("strong")
            expect(cell).to_have_text("1.0440")
            for way, text in (("Dew point", "17.93 °C"), ("Wet bulb", "21.47")):
                pick(page, "Moisture is read as", way)
                page.get_by_label(way, exact=True).fill(text)
                expect(cell).to_have_text("1.0440")
            expect(page.get_by_role("row", name=re.compile("^SAE J607"))).to_contain_text("above 7 %")
            page.get_by_label(way, exact=True).fill("31")
            expect(page.get_by_text("The wet bulb cannot be above the dry bulb.")).to_be_visible()
            page.get_by_label(way, exact=True).fill("21.47")
            page.get_by_label("Barometer", exact=True).fill("1013 hPa")
            page.get_by_label("Elevation").fill("600")
            expect(page.get_by_text("it looks reduced to sea level already")).to_be_visible()
            pick(page, "Barometer shows", "sea-level pressure")
            expect(page.get_by_text("it looks reduced to sea level already")).to_have_count(0)
        self.assertEqual(self.problems, [])

    def test_a_reading_by_hand_and_a_file_go_into_the_log(self):
        rows = "".join(f"{DAY}T13:{minute}:00Z,971.{minute},21.5,15.8\n" for minute in (15, 25, 35))
        good = "Time,Barometer (hPa),Dry bulb (°C),Wet bulb (°C)\n" + rows
        with self.browser() as page:
            sign_in(page)
            page.goto(f"/programmes/{self.programme.pk}/air", wait_until="domcontentloaded")
            log = page.get_by_test_id("log")
            expect(log).to_contain_text("Void: Read off the airfield's report")
            field = page.locator('input[type="file"]')
            bad = {"name": "day.csv", "mimeType": "text/csv", "buffer": good.replace("971.25", "29.92").encode()}
            field.set_input_files(bad)  # type: ignore[arg-type]
            expect(page.get_by_role("alert")).to_contain_text("line 3, this cannot be weather")
            field.set_input_files({**bad, "buffer": good.encode()})  # type: ignore[arg-type]
            expect(page.get_by_text("3 readings added.")).to_be_visible()
            page.get_by_label("Barometer", exact=True).fill("97.1")
            page.get_by_label("Dry bulb").fill("21.4")
            page.get_by_label("Relative humidity", exact=True).fill("56 %")
            page.get_by_label("When it was read").fill(f"{DAY}T14:00")
            page.get_by_role("button", name="Add to session log").click()
            expect(page.get_by_text("Logged.")).to_be_visible()
            expect(log.get_by_role("row", name=re.compile("by hand, Mats Orrey"))).to_have_count(3)
        self.assertEqual(WeatherReading.objects.filter(source="file day.csv").count(), 3)


class Doors(Case):
    def test_every_new_screen_is_accessible_and_asks_nobody_else(self):
        part = Part.objects.get(name="Short-runner manifold").pk
        engine = f"/programmes/{self.programme.pk}/engine"
        screens = (engine, f"{engine}?tab=setups", f"{engine}?tab=installed", f"{engine}?tab=revisions", "/engines",
                   f"/builds/{self.build.pk}", "/parts", f"/parts/{part}", "/stacks", "/air",
                   f"/programmes/{self.programme.pk}/air")  # fmt: skip
        with self.browser() as page:
            sign_in(page)
            self.axe(page, *screens)
            page.keyboard.press("?")
            expect(page.get_by_role("dialog")).to_contain_text("Go to verdict")
        self.assertEqual(self.asked, {self.base.split("/")[2]})
        self.assertEqual(self.problems, [])
