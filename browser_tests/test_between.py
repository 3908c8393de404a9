"""A camshaft that was not run, slotted in between three that were: drawn, refused, kept, and held against its test."""

import re

from playwright.sync_api import expect

from browser_tests.case import BrowserCase, pick, sign_in
from demo.loader import boosted
from programmes.models import Programme


class Between(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.test = Programme.objects.get(question=boosted()["programmes"][0]["question"])
        self.address = f"/programmes/{self.test.pk}/verdict?tab=between"

    def test_a_camshaft_between_two(self):
        with self.browser() as page:
            sign_in(page)
            page.goto(self.address, wait_until="domcontentloaded")
            said = page.get_by_test_id("inferred")
            expect(said).to_contain_text("Inferred, not measured: Cam 235 over Cam 216")
            expect(page.get_by_test_id("slot-in")).to_contain_text("Cam 235: inferred, not measured")
            expect(page.get_by_test_id("between-figures").get_by_role("row").nth(1)).to_contain_text("3200")
            pick(page, "Gain over", "Cam 228")
            expect(said).to_contain_text("Cam 235 over Cam 228")
            page.get_by_role("checkbox", name="Use Cam 216").click()
            expect(said).to_contain_text("Cam 235 lies between Cam 228 and Cam 242. No curve is drawn")
            expect(page.get_by_test_id("between-figures")).to_have_count(0)
            page.get_by_role("checkbox", name="Use Cam 216").click()
            expect(page.get_by_test_id("between-figures")).to_be_visible()
            pick(page, "Part between", "Cam 224 for the tow truck")
            expect(page.get_by_test_id("second-cause")).to_contain_text(
                "Intake valve lift of Cam 224 for the tow truck"
            )
            expect(page.get_by_test_id("between-figures")).to_have_count(0)
            self.axe(page, self.address)
        self.assertEqual(self.problems, [])

    def test_it_is_kept_scored_and_taken_back(self):
        with self.browser() as page:
            sign_in(page)
            page.goto(self.address, wait_until="domcontentloaded")
            kept = page.get_by_test_id("kept")
            expect(kept.get_by_role("article")).to_have_count(1)
            expect(kept.get_by_test_id("outcome")).to_contain_text(
                re.compile(r"Tested since, in .+ Inside its band at")
            )
            expect(page.get_by_test_id("between-figures")).to_be_visible()
            page.keyboard.press("k")
            expect(kept.get_by_role("article")).to_have_count(2)
            expect(kept.get_by_role("article").first).to_contain_text("Not tested since.")
            kept.get_by_role("button", name="Take back").click()
            expect(kept.get_by_role("article")).to_have_count(1)
        self.assertEqual(self.problems, [])

    def test_a_viewer_sees_it_and_keeps_nothing(self):
        with self.browser() as page:
            sign_in(page, "juna")
            page.goto(self.address, wait_until="domcontentloaded")
            expect(page.get_by_test_id("inferred")).to_be_visible()
            expect(page.get_by_role("button", name="Keep the estimate")).to_have_count(0)
            page.keyboard.press("k")
            expect(page.get_by_test_id("kept").get_by_role("article")).to_have_count(1)
        self.assertEqual(self.problems, [])
