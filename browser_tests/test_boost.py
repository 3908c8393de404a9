"""Setups on paper, a grid with an empty cell, regimes read by keyboard, and boost by both schools, in the browser."""

import re

import scenes
from playwright.sync_api import expect
from torvix_core.engine.dimensions import Slot

from browser_tests.case import BrowserCase, pick, sign_in
from demo import loader
from engines.builds.service import describe_engine
from engines.parts.service import PartFacts, add_part
from programmes.models import Candidate, Programme
from shop.models import Person
from stand.models import Pull
from stand.pulls import keeping


class Case(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.boosted = Programme.objects.get(question=loader.boosted()["programmes"][0]["question"])
        self.blown = Programme.objects.get(question=loader.eight()["programmes"][3]["question"])
        self.mats = Person.objects.get(username="mats")

    def at(self, page, programme: Programme, screen: str) -> None:
        page.goto(f"/programmes/{programme.pk}/{screen}", wait_until="domcontentloaded")


class OnPaper(Case):
    def test_a_head_that_changes_the_ratio_shows_while_it_is_chosen(self):
        add_part(self.mats, scenes.DAY, Slot.CYLINDER_HEAD, PartFacts("Milled heads"), {"chamber_volume": "62 cc"})
        with self.browser() as page:
            sign_in(page)
            self.at(page, self.blown, "plan/change?tab=setups")
            page.get_by_role("button", name="Add setup").click()
            page.get_by_label("Name of setup E").fill("Milled")
            pick(page, "Cylinder head of setup E", "Milled heads")
            row = page.get_by_test_id("figure-row").filter(has_text="Static compression ratio")
            expect(row).to_have_text(re.compile(r"Static compression ratio(\s*9\.\d+:1){4}\s*10\.\d+:1"))
            expect(
                page.get_by_text(re.compile(r"E also raises the static ratio, 9\.\d:1 to 10\.\d:1\."))
            ).to_be_visible()
            checks = page.get_by_test_id("setup-checks").nth(4)
            expect(checks).to_contain_text("To be measured: ")
            self.axe(page, page.url)
        self.assertEqual(self.problems, [])

    def test_a_pulley_that_turns_the_blower_beyond_its_limit_is_a_caution(self):
        build = describe_engine(self.mats, scenes.DAY, "Blown six", {
            **scenes.SIX, "boost_target": "0.5 bar", "blower_limit": "14000", "crank_pulley": "165 mm",
            "blower_pulley": "90 mm",
        })  # fmt: skip
        test = scenes.programme(self.mats, 2, build=build, parts="blown")
        for setup, size in zip(test.setups.all(), ("90 mm", "80 mm"), strict=True):
            lines = {"crank_pulley": "165 mm", "blower_pulley": size}
            setup.parts.add(add_part(self.mats, scenes.DAY, Slot.PULLEY, PartFacts(f"Pulley {size}"), lines))
        with self.browser() as page:
            sign_in(page)
            self.at(page, test, "plan")
            on_paper = page.get_by_test_id("on-paper")
            expect(on_paper).to_contain_text("Blower speed at redline 13200 rpm → 14850 rpm")
            expect(on_paper).to_contain_text("The blower turns faster than its limit at redline")
            expect(on_paper).to_contain_text(re.compile(r"Pressure ratio at sea level 1\.49:1 → 1\.68:1"))
            self.at(page, test, "plan/change?tab=setups")
            expect(page.get_by_test_id("setup-checks").nth(1)).to_contain_text("faster than its limit")
        self.assertEqual(self.problems, [])


class Grids(Case):
    def test_an_empty_cell_is_shown_and_offered(self):
        last = self.boosted.setups.get(position=8)
        for pull in Pull.objects.filter(setup=last, standing="accepted"):
            keeping.exclude(self.mats, pull, pull.ended_at, "to be run again")
        last.candidate, last.candidate_reason = Candidate.SKIPPED, "another day"
        last.save()
        with self.browser() as page:
            sign_in(page)
            self.at(page, self.boosted, "verdict")
            ranking = page.get_by_test_id("grid-ranking")
            expect(ranking.get_by_role("row", name=re.compile("^Cam 242"))).to_contain_text("empty")
            expect(
                page.get_by_text("Empty: Cam 242 at 1.1 bar. Until it is run, nothing is said of it.")
            ).to_be_visible()
            page.get_by_role("link", name="Add Cam 242 at 1.1 bar to the plan").click()
            page.get_by_role("tab", name="Setups").click()
            page.get_by_role("button", name="Add the setup Cam 242 at 1.1 bar").click()
            expect(page.get_by_label("Name of setup J")).to_have_value("Cam 242 at 1.1 bar")
            expect(page.get_by_label("Boost target of setup J")).to_have_value("1.1 bar")
            expect(page.get_by_role("button", name="Add the setup Cam 242 at 1.1 bar")).to_have_count(0)
        self.assertEqual(self.problems, [])

    def test_the_verdict_is_by_level_and_every_setup_on_request(self):
        with self.browser() as page:
            sign_in(page)
            self.at(page, self.boosted, "verdict")
            expect(page.get_by_test_id("sentence")).to_contain_text(
                "For the strip, at equal level. At 0.5 bar Cam 242:"
            )
            expect(page.get_by_test_id("ranking")).to_have_count(0)
            page.get_by_role("button", name="Every setup").click()
            expect(page.get_by_test_id("ranking").get_by_role("row")).to_have_count(10)
            self.at(page, self.boosted, "curves")
            expect(page.get_by_role("tab", name="Step by step")).to_have_count(0)


class Regimes(Case):
    def test_the_map_is_read_by_keyboard(self):
        with self.browser() as page:
            sign_in(page)
            self.at(page, self.boosted, "verdict")
            regimes = page.get_by_test_id("regimes")
            expect(regimes).to_contain_text(
                re.compile(r"Cam 228 over Cam 242 from 0\.\d+ bar on \(95 %: .+ about \d+ hp")
            )
            expect(page.get_by_test_id("linked")).to_contain_text(
                '12 pulls of "Does a camshaft between 228 and 242 fit the boost we can hold?" stand here too'
            )
            board, reading = page.get_by_test_id("regime-map"), page.get_by_test_id("map-reading")
            board.focus()
            for _ in range(12):
                page.keyboard.press("ArrowDown")
            for _ in range(40):
                page.keyboard.press("ArrowRight")
            expect(reading).to_have_text(
                re.compile(r"^0\.\d\d bar, \d+ hp at the peak, 7000 rpm: Cam 2.. and Cam 2..: undecided$")
            )
            expect(board).to_have_attribute("aria-valuetext", reading.inner_text())
            for _ in range(40):
                page.keyboard.press("ArrowLeft")
            expect(reading).to_have_text(re.compile("3400 rpm: Cam 216 leads$"))
            page.get_by_label("Label rows by power, hp").check()
            expect(regimes).to_contain_text("rows: peak power of the best, hp")
            expect(page.get_by_test_id("zones").get_by_role("row").nth(1)).to_contain_text("Cam 242")
            self.axe(page, page.url)
        self.assertEqual(self.problems, [])


class BothSchools(Case):
    def test_equal_boost_equal_drive_and_the_cost_in_the_exhaust(self):
        with self.browser() as page:
            sign_in(page)
            self.at(page, self.boosted, "verdict?tab=boost")
            boost = page.get_by_test_id("boosted")
            expect(page.get_by_test_id("boost-held").get_by_role("row")).to_have_count(23)
            expect(boost).to_contain_text("an allowance beside the result")
            boost.get_by_role("button", name="Equal drive").click()
            expect(page.get_by_test_id("boost-driven")).to_contain_text("by breathing, %")
            boost.get_by_role("button", name="At the same boost").click()
            expect(boost).to_contain_text(re.compile(r"I against C: same boost .+ points at too much overlap"))
            expect(page.get_by_test_id("boost-ratios")).to_contain_text("1.34")
            self.axe(page, page.url)
            self.at(page, self.blown, "verdict?tab=boost")
            expect(page.get_by_test_id("boost-driven")).to_contain_text("B against A: power +")
            page.get_by_role("tab", name="Restriction").click()
            expect(page.get_by_test_id("restriction")).to_contain_text("A hint, not a certainty")
            self.axe(page, page.url)
        self.assertEqual(self.problems, [])
