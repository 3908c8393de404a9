"""What a builder does in the browser, end to end."""

import re

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect
from torvix_core import quantities
from torvix_core.standards import Standard

from browser_tests.case import PASSWORD, BrowserCase, sign_in
from programmes.models import Programme
from stand.models import Pull, PullState
from verdicts import services

HILL_CLIMB, TRUMPETS = "Which manifold for the hill climb?", "Do 60 mm trumpets pay below 5000?"


def open_session(page: Page, programme: int) -> None:
    page.goto(f"/programmes/{programme}/stand", wait_until="domcontentloaded")
    page.get_by_role("button", name=re.compile("Cautions read: open a session")).click()
    expect(page.locator('[data-channel="rpm"]')).not_to_have_text("–")
    # Frames may come before the page has asked whether the stand is linked; until then nothing can be armed.
    expect(page.get_by_role("button", name=re.compile("It is bolted on"))).to_be_enabled()


def arm(page: Page) -> None:
    page.get_by_role("button", name=re.compile("It is bolted on")).click()
    expect(page.get_by_test_id("headline")).to_contain_text("armed")
    expect(page.get_by_role("button", name="Hold to start")).to_be_visible(timeout=20_000)


def hold_to_start(page: Page) -> None:
    page.keyboard.down("Space")
    expect(page.get_by_test_id("headline")).to_contain_text("running")
    page.keyboard.up("Space")


class Case(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.hill_climb = Programme.objects.get(question=HILL_CLIMB)
        self.trumpets = Programme.objects.get(question=TRUMPETS)


class AtTheStand(Case):
    def test_a_pull_made_in_the_browser_and_kept_changes_the_verdict(self):
        before = services.judge(services.compare(self.hill_climb, Standard.ISO_1585_SI))
        with self.browser() as page:
            sign_in(page)
            page.get_by_role("link", name=HILL_CLIMB).click()
            page.get_by_role("link", name=re.compile("^Verdict")).click()
            row = page.get_by_role("row", name=re.compile("Short runner"))
            expect(row.get_by_role("cell").nth(1)).to_have_text("3")

            open_session(page, self.hill_climb.pk)
            page.get_by_role("group", name="Setup to pull next").get_by_text("Short runner").click()
            arm(page)
            hold_to_start(page)
            expect(page.locator(".live-chart")).not_to_have_attribute("data-painted", "0")
            expect(page.get_by_test_id("headline")).to_contain_text("Keep it?", timeout=20_000)
            page.keyboard.press("k")
            expect(page.get_by_test_id("headline")).to_contain_text("Next:")

            page.goto(f"/programmes/{self.hill_climb.pk}/verdict", wait_until="domcontentloaded")
            expect(row.get_by_role("cell").nth(1)).to_have_text("4")
            shown = row.get_by_role("cell").nth(2).inner_text()
            page.get_by_text("come from 2 sessions").wait_for()
        after = services.judge(services.compare(self.hill_climb, Standard.ISO_1585_SI))
        self.assertEqual((before.degrees_of_freedom, after.degrees_of_freedom), (6, 7))
        placing = next(placing for placing in after.placings if placing.setup == 2)
        self.assertEqual(shown, f"{float(quantities.from_si(placing.score, 'lb-ft')):.1f}")
        pull = Pull.objects.get(number=12)
        self.assertEqual((pull.state, pull.setup.letter, pull.judged_by.username), (PullState.COMPLETE, "C", "mats"))
        self.assertEqual(self.problems, [])

    def test_a_stand_that_vanishes_in_the_pull_is_told_and_nothing_is_lost(self):
        with self.browser() as page:
            sign_in(page)
            open_session(page, self.trumpets.pk)
            arm(page)
            hold_to_start(page)
            expect(page.locator('[data-channel="rpm"]')).to_have_text(re.compile(r"^[3-6]\d\d\d$"))
            self.stop(self.stand)
            expect(page.get_by_test_id("stand-lost")).to_contain_text("nothing answers at 127.0.0.1")
            self.start_stand()
            expect(page.get_by_test_id("stand-lost")).not_to_be_visible(timeout=20_000)
            page.keyboard.press("4")
            expect(page.get_by_role("row", name=re.compile(r"^1 .* at \d+ rpm"))).to_contain_text("Incomplete")
        pull = Pull.objects.get(session__programme=self.trumpets)
        self.assertEqual(pull.state, PullState.INCOMPLETE)
        self.assertGreater(pull.channels.get(name="rpm").samples, 50)

    def test_a_cold_engine_holds_the_start_until_a_reason_is_given(self):
        self.trumpets.windows.filter(channel="oil_temperature").update(low=390.0, high=400.0)
        with self.browser() as page:
            sign_in(page)
            open_session(page, self.trumpets.pk)
            page.keyboard.press("a")
            expect(page.get_by_role("button", name="Holding for oil")).to_be_visible(timeout=20_000)
            expect(page.locator('[data-gate="oil_temperature"]')).to_have_attribute("data-side", "low")
            page.get_by_role("button", name="Start all the same").click()
            page.get_by_label("Why start outside a window?").fill("Throttle travel to be seen")
            page.get_by_label("Why start outside a window?").blur()
            hold_to_start(page)
        self.assertEqual(Pull.objects.latest("pk").override_reason, "Throttle travel to be seen")


class Aborting(Case):
    speed = 2  # slow enough for a key to come in the middle of a sweep on a busy machine

    def test_escape_aborts_and_a_silent_sensor_is_named(self):
        with self.browser() as page:
            sign_in(page)
            open_session(page, self.trumpets.pk)
            self.tell_stand("fault", channel="lambda", kind="silent")
            expect(page.get_by_test_id("faulty")).to_have_text("Nothing usable from: lambda")
            expect(page.locator('[data-channel="lambda"]')).to_have_text("–")
            arm(page)
            hold_to_start(page)
            page.keyboard.press("Escape")
            expect(page.get_by_test_id("headline")).to_contain_text("Next:", timeout=20_000)
        pull = Pull.objects.get(session__programme=self.trumpets)
        self.assertEqual((pull.state, pull.ended_why), (PullState.ABORTED, "Aborted by the operator."))


class Reading(Case):
    def test_standard_unit_and_cursor_show_the_figures_of_the_core(self):
        corrected, observed = (
            services.compare(self.hill_climb, standard) for standard in (Standard.SAE_J607, Standard.OBSERVED)
        )
        at = int((corrected.speed_rpm == 4700).argmax())

        def cells(comparison: services.Comparison, torque_unit: str, power_unit: str) -> list[str]:
            torque = quantities.from_si(comparison.means(comparison.torque)[1, at], torque_unit)
            power = quantities.from_si(comparison.means(comparison.power)[1, at], power_unit)
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
            low = page.get_by_label("From")
            expect(low).to_have_value("3000")
            low.fill("5500")
            page.get_by_role("button", name="Judge this range").click()
            expect(page.get_by_test_id("sentence")).to_contain_text("From 5500 to 6500 rpm C makes")
            low.fill("500")
            page.get_by_role("button", name="Judge this range").click()
            expect(page.get_by_role("alert").first).to_contain_text("Choose a range inside it.")
            expect(low).to_have_value("500")

    def test_a_pull_is_left_out_only_with_a_reason(self):
        with self.browser() as page:
            sign_in(page)
            page.goto(f"/programmes/{self.hill_climb.pk}/pulls", wait_until="domcontentloaded")
            page.get_by_role("button", name="Leave out pull 9").click()
            dialog = page.get_by_role("dialog")
            dialog.get_by_role("button", name="Leave out").click()
            expect(dialog).to_contain_text("a few words are enough")
            dialog.get_by_label("Reason").fill("Belt squealed")
            dialog.get_by_role("button", name="Leave out").click()
            expect(page.get_by_role("row", name=re.compile("^9 "))).to_contain_text(
                "Left out by Mats Orrey: Belt squealed"
            )
        self.assertEqual(Pull.objects.get(number=9).excluded_reason, "Belt squealed")

    def test_weather_outside_the_standard_is_marked_where_the_factor_stands(self):
        Pull.objects.filter(number=9).update(barometer=83_000.0, air_temperature=306.15, relative_humidity=0.2)
        with self.browser() as page:
            sign_in(page, "juna")
            page.goto(f"/programmes/{self.hill_climb.pk}/pulls", wait_until="domcontentloaded")
            expect(page.get_by_role("row", name=re.compile("^9 "))).to_contain_text("outside the standard")
            expect(page.get_by_role("button", name=re.compile("Leave out"))).to_have_count(0)
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

    def test_unknown_addresses_say_so(self):
        with self.browser() as page:
            sign_in(page)
            page.goto("/no/such/place", wait_until="domcontentloaded")
            expect(page.get_by_role("heading", name="There is nothing at this address")).to_be_visible()
            page.goto("/programmes/987654/curves", wait_until="domcontentloaded")
            expect(page.get_by_role("alert")).to_contain_text("There is nothing here.")
            page.get_by_role("link", name="To the programmes").click()
            expect(page.get_by_role("heading", name="Programmes")).to_be_visible()

    def test_every_screen_is_accessible_and_asks_nobody_else(self):
        """axe-core's rules; the chart's figures stand in tables beside it."""
        found: list[str] = []
        with self.browser() as page:
            sign_in(page)
            for screen in ("stand", "pulls", "curves", "verdict"):
                page.goto(f"/programmes/{self.hill_climb.pk}/{screen}", wait_until="domcontentloaded")
                page.get_by_role("navigation", name="Stages").wait_for()
                page.wait_for_timeout(700)
                for violation in Axe().run(page).response["violations"]:
                    places = "; ".join(node["html"][:90] for node in violation["nodes"][:3])
                    found.append(f"{screen}: {violation['id']}: {places}")
            page.keyboard.press("?")
            expect(page.get_by_role("dialog")).to_contain_text("Go to curves")
        self.assertEqual(found, [])
        self.assertEqual(self.asked, {self.base.split("/")[2]})
        self.assertEqual(self.problems, [])
