"""Over all tests: a guideline with a null, where a prediction begins, and what would decide an open test."""

import re

from playwright.sync_api import expect

from browser_tests.case import BrowserCase, pick, sign_in

TORQUE = "Longer runners make torque below 4200 rpm"


class Guidelines(BrowserCase):
    def test_a_null_counts_and_the_next_engine_may_differ(self):
        with self.browser() as page:
            sign_in(page)
            page.goto("/guidelines", wait_until="domcontentloaded")
            page.get_by_role("link", name=TORQUE).click()
            expect(page.get_by_test_id("summary")).to_contain_text("Holds on average, and the next engine may differ.")
            engines = page.get_by_test_id("by-engine").get_by_role("row")
            null = engines.filter(has_text="ski boat")
            expect(null).to_contain_text("0.0")
            expect(null).to_contain_text("against")
            expect(engines.filter(has_text="The next engine")).to_contain_text("−")
            tests = page.get_by_test_id("by-test").get_by_role("row")
            expect(tests.filter(has_text="hill climb?")).to_contain_text("not counted here")
            expect(page.get_by_test_id("apart").filter(has_text="simulated, 2 engines")).to_be_visible()
            expect(page.get_by_test_id("rivals")).to_contain_text("To separate them: The same runners with a larger")
            self.assertEqual(self.violations(page), [])
            page.set_viewport_size({"width": 390, "height": 800})
            self.assertEqual(page.evaluate("document.documentElement.scrollWidth"), 390)
        self.assertEqual(self.problems, [])

    def test_one_is_written_explained_and_archived(self):
        with self.browser() as page:
            sign_in(page)
            page.goto("/guidelines", wait_until="domcontentloaded")
            expect(page.get_by_role("button", name="New guideline N")).to_be_visible()
            page.keyboard.press("n")
            form = page.get_by_test_id("guideline-form")
            form.get_by_label("Guideline").fill("A larger plenum wants more speed")
            pick(form, "Kind of part", "Intake manifold")
            pick(form, "Deciding variable", "Plenum")
            form.get_by_role("button", name="Save guideline").click()
            expect(form.get_by_role("alert").first).to_be_visible()  # no step: said at its field, and nothing is lost
            expect(form.get_by_label("Guideline")).to_have_value("A larger plenum wants more speed")
            form.get_by_label("More of it, a step").fill("500 cc")
            form.get_by_role("button", name="Save guideline").click()
            expect(page).to_have_url(re.compile(r"/guidelines/\d+$"))
            expect(page.get_by_role("heading", name="A larger plenum wants more speed")).to_be_visible()
            expect(page.get_by_test_id("by-test")).to_contain_text("These parts differ in runner length")
            page.get_by_label("Explanation").fill("It fills at speed")
            page.get_by_role("button", name="Add explanation").click()
            line = page.get_by_test_id("explanations").get_by_role("listitem")
            expect(line).to_contain_text("Opinion: It fills at speed")
            line.get_by_role("button", name="Withdraw explanation").click()
            expect(line).to_contain_text("withdrawn")
            page.get_by_role("button", name="Undo").click()
            expect(line).not_to_contain_text("withdrawn")
            page.get_by_role("button", name="Archive guideline").click()
            expect(page.get_by_role("button", name="Restore guideline")).to_be_visible()
            page.goto("/guidelines", wait_until="domcontentloaded")
            expect(page.get_by_role("link", name=TORQUE)).to_be_visible()
            expect(page.get_by_role("link", name="A larger plenum wants more speed")).to_have_count(0)
        self.assertEqual(self.problems, [])

    def test_a_prediction_begins_with_the_guideline(self):
        with self.browser() as page:
            sign_in(page)
            page.goto("/programmes/2/plan?tab=expected", wait_until="domcontentloaded")
            offered = page.get_by_test_id("guideline-predictions").get_by_role("listitem").filter(has_text=TORQUE)
            expect(offered).to_contain_text("as 330 mm becomes 390 mm")
            offered.get_by_role("button", name="Start a prediction from it").click()
            expect(page.get_by_label("Predicted gain")).to_have_value(re.compile(r"% from 3000 to 4200 rpm$"))
            page.get_by_role("button", name="Save prediction").click()
            expect(page.get_by_test_id("expectations").get_by_role("row").filter(has_text=TORQUE)).to_be_visible()
        self.assertEqual(self.problems, [])

    def test_what_would_decide_a_test_is_planned_with_one_action(self):
        with self.browser() as page:
            sign_in(page)
            page.goto("/", wait_until="domcontentloaded")
            row = page.get_by_test_id("next-pulls").get_by_role("row").filter(has_text="sedan")
            expect(row).to_contain_text("in one session would decide, if they differ as they do now.")
            self.assertEqual(self.violations(page), [])
            row.get_by_role("button", name="Plan these pulls").click()
            expect(page).to_have_url(re.compile(r"/plan$"))
            expect(page.get_by_role("navigation").first).to_contain_text("8 to pull")
            page.goto("/", wait_until="domcontentloaded")
            expect(row).to_contain_text("planned")
        self.assertEqual(self.problems, [])
