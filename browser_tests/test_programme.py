"""What a builder does in the browser, end to end."""

import re

from django.utils import timezone
from playwright.sync_api import Route, expect
from torvix_core.air.standards import Standard
from torvix_core.units import quantities

from browser_tests.at_the_stand import HILL_CLIMB
from browser_tests.case import PASSWORD, SETTLED, BrowserCase, sign_in
from engines.models import Engine
from programmes.models import Programme
from shop.models import Person, Stand
from stand.models import Pull
from stand.session import opening
from verdicts.comparison.aligned_pulls import Comparison, compare

LATE_TO_SEE = """
  const Observer = window.IntersectionObserver
  const waiting = []
  // Timers run in the order of their time: what is begun by seeing within a tenth of a second is over when this is.
  window.see = () => {
    waiting.splice(0).forEach((tell) => tell())
    return new Promise((done) => setTimeout(done, 100))
  }
  window.IntersectionObserver = class extends Observer {
    constructor(tell, options) { super((...told) => waiting.push(() => tell(...told)), options) }
  }
"""


class Case(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.hill_climb = Programme.objects.get(question=HILL_CLIMB)

    def pull(self, number: int) -> Pull:
        return Pull.objects.get(session__programme=self.hill_climb, number=number)


class Reading(Case):
    def test_standard_unit_and_cursor_show_the_figures_of_the_core(self):
        corrected, observed = (
            compare(self.hill_climb, standard) for standard in (Standard.SAE_J607, Standard.OBSERVED)
        )
        at = int((corrected.speed_rpm == 4700).argmax())

        def cells(comparison: Comparison, torque_unit: str, power_unit: str) -> list[str]:
            means = comparison.curves().mean[1]
            torque = quantities.from_si(means[at], torque_unit)
            power = quantities.from_si(comparison.power_of(means)[at], power_unit)
            return [f"{float(torque):.1f}", f"{float(power):.1f}"]

        with self.browser() as page:
            sign_in(page)
            page.goto(f"/programmes/{self.hill_climb.pk}/curves", wait_until="domcontentloaded")
            table = page.get_by_test_id("cursor-table")
            row = table.get_by_role("row").nth(2)
            cursor = page.get_by_role("slider")
            expect(cursor).to_have_attribute("aria-valuenow", "4600")
            page.keyboard.press("ArrowRight")
            expect(cursor).to_have_attribute("aria-valuenow", "4700")

            page.get_by_role("button", name=re.compile("^Standard")).click()
            page.get_by_text("SAE J607 (STP)").click()
            expect(page.get_by_text("At the cursor, 4700 rpm, SAE J607 (STP)")).to_be_visible()
            for cell, wanted in enumerate(cells(corrected, "lb-ft", "hp"), start=1):
                expect(row.get_by_role("cell").nth(cell)).to_have_text(wanted)

            page.keyboard.press("o")
            for cell, wanted in enumerate(cells(observed, "lb-ft", "hp"), start=1):
                expect(row.get_by_role("cell").nth(cell)).to_have_text(wanted)
            page.get_by_role("button", name="Units and sign-out").click()
            page.get_by_role("button", name="N·m", exact=True).click()
            page.get_by_role("button", name="kW", exact=True).click()
            for cell, wanted in enumerate(cells(observed, "N·m", "kW"), start=1):
                expect(row.get_by_role("cell").nth(cell)).to_have_text(wanted)

            page.keyboard.press("Escape")
            box = cursor.bounding_box()
            page.mouse.move(box["x"] + box["width"] * 0.25, box["y"] + 100)
            expect(cursor).not_to_have_attribute("aria-valuenow", "4700")
        self.assertEqual(self.problems, [])

    def test_a_range_is_judged_and_a_wrong_one_is_told_with_nothing_lost(self):
        with self.browser() as page:
            sign_in(page)
            page.goto(f"/programmes/{self.hill_climb.pk}/verdict", wait_until="domcontentloaded")
            low = page.get_by_label("From, rpm")
            expect(low).to_have_value("3000")
            # The answer is held back until more is typed, as on a slow line.
            low.fill("5500")
            late: list[Route] = []
            page.route(re.compile(r"/api/.*/verdict\?.*low=5500"), lambda route: late.append(route))
            with page.expect_request(re.compile("low=5500")):
                page.get_by_role("button", name="Apply range").click()
            low.fill("500")
            for route in late:
                route.continue_()
            expect(page.get_by_text("from 5500 to 6500 rpm; not for another")).to_be_visible()
            expect(low).to_have_value("500")
            page.get_by_role("button", name="Apply range").click()
            expect(page.get_by_role("alert").first).to_contain_text("Choose a range inside it.")
            expect(low).to_have_value("500")
            # By the thumbs: the fields follow the arrow keys, and the button judges.
            page.goto(f"/programmes/{self.hill_climb.pk}/verdict", wait_until="domcontentloaded")
            expect(low).to_have_value("3000")
            page.get_by_test_id("range-slider").get_by_role("slider").first.press("ArrowRight")
            expect(low).to_have_value("3100")
            page.get_by_role("button", name="Apply range").click()
            page.wait_for_url(re.compile("low=3100"))

    def test_a_pull_is_left_out_only_with_a_reason(self):
        with self.browser() as page:
            sign_in(page)
            page.goto(f"/programmes/{self.hill_climb.pk}/pulls", wait_until="domcontentloaded")
            page.get_by_role("button", name="Exclude pull 9").click()
            dialog = page.get_by_role("dialog")
            dialog.get_by_role("button", name="Exclude").click()
            expect(dialog).to_contain_text("a few words are enough")
            dialog.get_by_label("Reason").fill("Belt squealed")
            dialog.get_by_role("button", name="Exclude").click()
            expect(page.get_by_role("row", name=re.compile("^Look into pull 9 "))).to_contain_text(
                "Excluded by Mats Orrey: Belt squealed"
            )
        self.assertEqual(self.pull(9).excluded_reason, "Belt squealed")

    def test_weather_outside_the_standard_is_marked_where_the_factor_stands(self):
        Pull.objects.filter(pk=self.pull(9).pk).update(
            barometer=83_000.0, air_temperature=306.15, relative_humidity=0.2
        )
        with self.browser() as page:
            sign_in(page, "juna")
            page.goto(f"/programmes/{self.hill_climb.pk}/pulls", wait_until="domcontentloaded")
            expect(page.get_by_role("row", name=re.compile("^Look into pull 9 "))).to_contain_text(
                "outside the standard"
            )
            expect(page.get_by_role("button", name=re.compile("Exclude"))).to_have_count(0)
            page.keyboard.press("6")
            expect(page.get_by_text("Weather outside the range of the standard: pull 9.")).to_be_visible()


class Doors(Case):
    def test_a_signed_out_person_signs_in_and_comes_back_to_the_same_place(self):
        with self.browser() as page:
            page.goto(f"/programmes/{self.hill_climb.pk}/verdict?standard=observed", wait_until="domcontentloaded")
            expect(page.get_by_role("button", name="Sign in")).to_be_visible()
            page.wait_for_load_state("load")
            page.get_by_label("Name").fill("juna")
            page.get_by_label("Password").fill("wrong")
            page.get_by_role("button", name="Sign in").click()
            expect(page.get_by_role("alert")).to_contain_text("do not belong together")
            expect(page.get_by_label("Name")).to_have_value("juna")
            page.get_by_label("Password").fill(PASSWORD)
            page.get_by_role("button", name="Sign in").click()
            expect(page.get_by_test_id("sentence")).to_be_visible()
            self.assertIn("standard=observed", page.url)

    def test_what_is_typed_at_the_door_stays_whichever_answer_comes_late(self):
        """Somebody types at once; the answers to what the screen before had asked come in any order."""
        late: list[Route] = []
        for address in ("/", f"/programmes/{self.hill_climb.pk}/verdict"):
            with self.subTest(address=address), self.browser() as page:
                page.route(re.compile("/api/me$"), lambda route: late.append(route))
                page.goto(address, wait_until="domcontentloaded")
                page.get_by_label("Name").fill("juna")
                page.get_by_label("Password").fill(PASSWORD)
                self.assertTrue(late)
                while late:
                    with page.expect_response(re.compile("/api/me$")):
                        late.pop().continue_()
                page.unroute_all()
                page.evaluate("() => new Promise((done) => setTimeout(done))")
                expect(page.get_by_label("Name")).to_have_value("juna")
                expect(page.get_by_label("Password")).to_have_value(PASSWORD)
                page.get_by_role("button", name="Sign in").click()
                expect(page.get_by_role("button", name="Units and sign-out")).to_be_visible()

    def test_focus_is_not_taken_from_a_field_that_somebody_types_in(self):
        """What a page does once it is seen may come late on a slow machine; here it comes when told."""
        with self.browser() as page:
            page.add_init_script(LATE_TO_SEE)
            page.goto("/sign-in", wait_until="domcontentloaded")
            expect(page.get_by_label("Name")).to_be_focused()
            page.get_by_label("Password").click()
            page.evaluate("window.see()")
            page.keyboard.insert_text(PASSWORD)
            expect(page.get_by_label("Password")).to_have_value(PASSWORD)
            expect(page.get_by_label("Name")).to_have_value("")

    def test_nor_by_a_form_that_was_opened_on_a_page_nor_by_a_dialog(self):
        with self.browser() as page:
            page.add_init_script(LATE_TO_SEE)
            sign_in(page, "ines")
            page.goto("/people", wait_until="domcontentloaded")
            page.get_by_role("button", name="Add person").click()
            expect(page.get_by_label("Full name")).to_be_focused()
            page.get_by_label("Name to sign in with").click()
            page.evaluate("window.see()")
            page.keyboard.insert_text("olav")
            expect(page.get_by_label("Name to sign in with")).to_have_value("olav")
            expect(page.get_by_label("Full name")).to_have_value("")
            page.get_by_role("button", name="Units and sign-out").click()
            page.get_by_text("Change password").click()
            expect(page.get_by_label("Present password")).to_be_focused()
            page.get_by_label("New password").click()
            page.evaluate("window.see()")
            page.keyboard.insert_text(PASSWORD)
            expect(page.get_by_label("New password")).to_have_value(PASSWORD)
            expect(page.get_by_label("Present password")).to_have_value("")

    def test_an_answer_that_is_late_does_not_sign_out_whoever_signed_in_since(self):
        """The screen before had asked who is here; “nobody” comes only after somebody is."""
        late: list[Route] = []
        with self.browser() as page:
            page.route(re.compile("/api/me$"), lambda route: late.append(route))
            page.goto("/", wait_until="domcontentloaded")
            page.get_by_label("Name").fill("juna")
            page.get_by_label("Password").fill(PASSWORD)
            page.get_by_role("button", name="Sign in").click()
            expect(page.get_by_role("heading", name="Tests", exact=True)).to_be_visible()
            self.assertTrue(late)
            for route in late:
                route.fulfill(status=401, json={"code": "signed_out", "detail": "You are signed out.", "fields": {}})
            page.evaluate(SETTLED)
            expect(page.get_by_role("heading", name="Tests", exact=True)).to_be_visible()

    def test_an_engine_that_becomes_confidential_is_gone_from_a_viewers_screen(self):
        mats = Person.objects.get(username="mats")
        opening.open_session(mats, self.hill_climb, Stand.objects.earliest("pk"), timezone.now())
        with self.browser() as page:
            sign_in(page, "juna")
            page.goto(f"/programmes/{self.hill_climb.pk}/stand", wait_until="domcontentloaded")
            expect(page.get_by_test_id("headline")).to_be_visible()
            Engine.objects.update(confidential=True)
            expect(page.get_by_role("alert")).to_contain_text("There is nothing here.")
            expect(page.get_by_test_id("headline")).to_have_count(0)

    def test_unknown_addresses_say_so(self):
        with self.browser() as page:
            sign_in(page)
            page.goto("/no/such/place", wait_until="domcontentloaded")
            expect(page.get_by_role("heading", name="There is nothing at this address")).to_be_visible()
            page.goto("/programmes/987654/curves", wait_until="domcontentloaded")
            expect(page.get_by_role("alert")).to_contain_text("There is nothing here.")
            page.get_by_role("link", name="All tests").click()
            expect(page.get_by_role("heading", name="Tests", exact=True)).to_be_visible()

    def test_every_screen_is_accessible_and_asks_nobody_else(self):
        """axe-core's rules; the chart's figures stand in tables beside it."""
        with self.browser() as page:
            sign_in(page)
            screens = ("plan", "stand", "pulls", "curves", "verdict", "sheet")
            self.axe(
                page,
                "/checklist",
                "/instruments",
                "/tune-sizes",
                *(f"/programmes/{self.hill_climb.pk}/{screen}" for screen in screens),
            )
            page.keyboard.press("?")
            expect(page.get_by_role("dialog")).to_contain_text("Go to curves")
        self.assertEqual(self.asked, {self.base.split("/")[2]})
        self.assertEqual(self.problems, [])
