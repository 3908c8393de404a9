"""The book of a session: issued, looked at, downloaded, and corrected as another version."""

import io

from playwright.sync_api import expect
from pypdf import PdfReader

from browser_tests.case import BrowserCase, pick, sign_in


class Books(BrowserCase):
    def test_a_book_is_issued_and_corrected(self):
        with self.browser() as page:
            sign_in(page)
            page.goto("/programmes/1/sheet", wait_until="domcontentloaded")
            books = page.get_by_test_id("books")
            books.get_by_role("button", name="Issue session book").click()
            paper = page.get_by_test_id("paper")
            expect(paper).to_contain_text("Session book of")
            expect(paper).to_contain_text("Air meter plug off its clip: filling not seen")  # a pull that does not count
            expect(page.get_by_role("heading", name="Session book, as issued")).to_be_visible()
            with page.expect_download() as taken:
                books.get_by_role("link", name="PDF").click()
            with open(taken.value.path(), "rb") as file:
                paper_text = " ".join(one.extract_text() for one in PdfReader(io.BytesIO(file.read())).pages)
            self.assertIn("Which manifold for the hill climb?", paper_text)
            books.get_by_role("button", name="Issue session book").click()
            expect(books.get_by_text("readers of the earlier one see it")).to_be_visible()
            books.get_by_label("What a further version changes").fill("the weather of the afternoon")
            books.get_by_role("button", name="Issue session book").click()
            expect(books.get_by_role("button", name="Book, version 2")).to_be_visible()
            expect(paper).to_contain_text("the weather of the afternoon")
            self.assertEqual(self.violations(page), [])
            sheets = page.get_by_test_id("handovers")
            pick(sheets, "Setup it leaves with", "B Middle runner")
            sheets.get_by_role("button", name="Issue handover sheet").click()
            expect(paper).to_contain_text("Intake manifold: Middle-runner manifold")
            expect(paper).to_contain_text("Check before it runs")
            expect(sheets.get_by_role("button", name="Handover, version 1, B")).to_be_visible()
            self.assertEqual(self.violations(page), [])
            page.get_by_role("button", name="Draft").click()
            expect(paper).to_contain_text("Sheet of a back-to-back test")
        self.assertEqual(self.problems, [])
