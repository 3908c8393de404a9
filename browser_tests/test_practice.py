"""A practice test played to its reveal: made, run on the simulated stand, decided, revealed; and the scores."""

import re

from playwright.sync_api import Page, expect

from browser_tests.at_the_stand import keep, open_session, pull, see_to_everything
from browser_tests.case import StandCase, pick, sign_in
from programmes.models import PracticeTest


class Practice(StandCase):
    def make(self, page: Page) -> PracticeTest:
        page.goto("/", wait_until="domcontentloaded")
        expect(page.get_by_role("heading", name="Tests", exact=True)).to_be_visible()
        page.keyboard.press("x")
        page.get_by_label("The engine drifts from pull to pull").check()
        page.get_by_role("button", name="Make a practice test").click()
        expect(page.get_by_text(re.compile(r"Practice \d+: which manifold\?")).first).to_be_visible()
        page.wait_for_url(re.compile(r"/programmes/\d+/plan"))
        return PracticeTest.objects.get(programme=int(page.url.split("/")[4]))

    def run_order(self, page: Page, programme: int) -> None:
        """As it was planned: of each setup one pull that conditions the engine, and two that count."""
        open_session(page, programme)
        for setup in range(3):
            see_to_everything(page)
            pull(page)
            for _ in range(2):
                pull(page)
                keep(page)
            if setup < 2:
                page.get_by_role("group", name="Setup to pull next").get_by_role("button").nth(setup + 1).click()

    def test_from_its_making_to_its_reveal(self):
        with self.browser() as page:
            sign_in(page)
            practice = self.make(page)
            address = f"/programmes/{practice.programme_id}/verdict?tab=practice"
            self.run_order(page, practice.programme_id)
            page.goto(address, wait_until="domcontentloaded")
            panel = page.get_by_test_id("reveal")
            expect(panel).to_contain_text("Nothing is revealed before there is a call.")
            expect(page.get_by_role("button", name="Reveal the truth")).to_be_disabled()
            page.get_by_role("tab", name="Decisions").click()
            pick(page, "What is decided on", "B Manifold B")
            page.get_by_label("Why", exact=True).fill("It reads best")
            page.get_by_role("button", name="Save decision").click()
            expect(page.get_by_text("It reads best")).to_be_visible()
            page.get_by_role("tab", name="Practice").click()
            page.get_by_role("button", name="Reveal the truth").click()
            expect(page.get_by_test_id("your-call")).to_contain_text("B Manifold B")
            expect(page.get_by_test_id("tools-call")).to_be_visible()
            expect(page.get_by_test_id("truth").get_by_role("row")).to_have_count(4)
            expect(page.get_by_test_id("bought")).to_contain_text("With a return to the baseline at the end")
            self.axe(page, address, "/practice")
            scores = page.get_by_test_id("scores")
            expect(scores).to_contain_text("Mats Orrey")
            expect(page.get_by_test_id("practice-tests")).to_contain_text("not revealed")  # the one that waits
        self.assertEqual(self.problems, [])
