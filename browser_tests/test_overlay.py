"""Curves of several tests over each other, found by typing; and what a plan's parts did last time."""

import re

from playwright.sync_api import expect

from browser_tests.case import BrowserCase, sign_in


class Overlay(BrowserCase):
    def test_curves_of_two_tests_stand_as_shapes_in_an_address(self):
        with self.browser() as page:
            sign_in(page)
            page.goto("/programmes/1/curves", wait_until="domcontentloaded")
            page.get_by_role("link", name="Overlay with other tests").click()
            expect(page).to_have_url(re.compile(r"/overlay\?items=s\d+,s\d+,s\d+"))
            curves = page.get_by_test_id("overlaid").get_by_role("row")
            expect(curves).to_have_count(4)
            expect(page.get_by_test_id("shape-why")).to_have_count(0)
            gains = page.get_by_test_id("overlay-gains")
            expect(gains).to_contain_text("Middle runner over A Long runner")
            expect(gains).to_contain_text("simulated, linked by the same test.")
            page.get_by_label("Test", exact=True).fill("roadster")
            page.get_by_role("option", name=re.compile("Do longer runners pull the roadster")).click()
            page.get_by_role("button", name="Add B Roadster manifold, long").click()
            expect(curves).to_have_count(5)
            expect(curves.last).to_contain_text("measured")
            expect(page.get_by_test_id("shape-why")).to_contain_text("no setup was run with both")
            expect(page.get_by_role("img", name="Torque, % of the own peak, over engine speed")).to_be_visible()
            self.assertEqual(self.violations(page), [])
            page.reload(wait_until="domcontentloaded")
            expect(curves).to_have_count(5)
            page.get_by_role("button", name="Remove B Roadster manifold, long").click()
            expect(curves).to_have_count(4)
            expect(page.get_by_test_id("shape-why")).to_have_count(0)
        self.assertEqual(self.problems, [])

    def test_a_plan_says_what_its_parts_did_last_time(self):
        with self.browser() as page:
            sign_in(page)
            page.goto("/programmes/2/plan", wait_until="domcontentloaded")
            earlier = page.get_by_test_id("earlier")
            expect(earlier).to_contain_text("Middle-runner manifold with 60 mm trumpets")
            expect(earlier).to_contain_text(re.compile(r"% ± \d\.\d % torque over A on average"))
            earlier.get_by_role("link", name="Overlay").click()
            expect(page.get_by_test_id("overlaid").get_by_role("row").last).to_contain_text("spring result?")
        self.assertEqual(self.problems, [])
