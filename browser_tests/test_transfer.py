"""A gain carried to another engine in the browser: by a typed size, by an engine of the shop, slips at fields."""

import re

from playwright.sync_api import expect

from browser_tests.at_the_stand import HILL_CLIMB
from browser_tests.case import BrowserCase, pick, sign_in
from programmes.models import Programme


class AnotherEngine(BrowserCase):
    def test_to_a_smaller_engine_and_to_one_of_the_shop(self):
        test = Programme.objects.get(question=HILL_CLIMB)
        with self.browser() as page:
            sign_in(page)
            page.goto(f"/programmes/{test.pk}/verdict?tab=transfer", wait_until="domcontentloaded")
            panel = page.get_by_test_id("transfer")
            expect(panel).to_contain_text("Choose an engine, or type its size")
            expect(page.get_by_test_id("gain")).to_have_count(1)
            page.get_by_label("Displacement").fill("2.3 L")
            page.get_by_label("Displacement").press("Tab")
            expect(panel).to_contain_text("type 1 to 24")
            page.get_by_label("Cylinders").fill("6")
            page.get_by_label("Cylinders").press("Tab")
            said = page.get_by_test_id("transferred")
            expect(said).to_contain_text("Transferred, not measured: B over A")
            expect(panel).to_contain_text("transferred, not measured")
            expect(panel).to_contain_text("our own assumption")
            pick(page, "By", "C Short runner")
            expect(said).to_contain_text("C over A")
            self.axe(page, page.url)
            pick(page, "On the engine", re.compile("^5.7 L eight"))
            expect(panel).to_contain_text(re.compile(r"the same air comes at 0\.\d\d times the speed"))
        self.assertEqual(self.problems, [])
