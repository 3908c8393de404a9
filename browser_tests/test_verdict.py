"""Duties, schools, decisions, sheets and links in the browser; the PDF's words are read back."""

import io
import re
import urllib.request
from urllib.error import HTTPError

from playwright.sync_api import Route, expect
from pypdf import PdfReader
from torvix_core.air.standards import Standard

from browser_tests.at_the_stand import HILL_CLIMB
from browser_tests.case import BrowserCase, pick, sign_in
from curves.models import CurveAnomaly
from demo.loader import eight
from programmes.models import Programme
from stand.models import Pull
from verdicts.comparison.aligned_pulls import compare
from verdicts.customer_report.number_format import figure, plus_minus, signed
from verdicts.judging import answers
from verdicts.judging.choice import Choice
from verdicts.models import Decision, SheetLink


class Case(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.hill_climb = Programme.objects.get(question=HILL_CLIMB)
        self.steps, self.gasket = (
            Programme.objects.get(question=plan["question"]) for plan in eight()["programmes"][:2]
        )

    def hill_climb_pull(self, letter: str) -> Pull:
        """The last counted pull of a setup."""
        compared = compare(self.hill_climb, Standard.ISO_1585_SI)
        return [kept.pull for kept in compared.kept if kept.pull.setup.letter == letter][-1]

    def at(self, page, programme: Programme, screen: str) -> None:
        page.goto(f"/programmes/{programme.pk}/{screen}", wait_until="domcontentloaded")


class Judging(Case):
    def test_a_duty_drawn_by_dragging_changes_the_winner(self):
        with self.browser() as page:
            sign_in(page)
            self.at(page, self.hill_climb, "verdict")
            sentence = page.get_by_test_id("sentence")
            expect(sentence).to_contain_text("For the hill climb choose B")
            pick(page, "Duty", "As drawn")
            expect(sentence).to_contain_text("For the duty as drawn")
            points = page.locator("svg").get_by_role("slider")
            expect(points).to_have_count(7)
            # All weight to the low end: the long runner's own ground.
            for place in range(2, 7):
                box = points.nth(place).bounding_box()
                page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
                page.mouse.down()
                page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 200, steps=4)
                page.mouse.up()
            expect(sentence).to_contain_text("For the duty as drawn leave it at A")
            self.assertRegex(page.url, r"points=\d+(:|%3A)")
            # The address holds it: a reload shows the same, and the programme's own is one press away.
            page.reload(wait_until="domcontentloaded")
            expect(sentence).to_contain_text("For the duty as drawn leave it at A")
            page.get_by_role("button", name="Back to the test's own").click()
            expect(sentence).to_contain_text("For the hill climb choose B")
        self.assertEqual(self.problems, [])

    def test_a_changed_school_measure_and_gears_are_judged_by_the_core(self):
        with self.browser() as page:
            sign_in(page)
            self.at(page, self.hill_climb, "verdict")
            scores = page.get_by_test_id("ranking").get_by_role("row").nth(1).get_by_role("cell")
            expect(scores.nth(1)).to_have_text("3")
            before = scores.nth(2).inner_text()
            pick(page, "Represent each setup by", "Best pull")
            expect(scores.nth(2)).not_to_have_text(before)
            expect(page.get_by_text("Best pull; ISO 1585")).to_be_visible()
            pick(page, "Ranked by", "Peak power")
            expect(page.get_by_test_id("sentence")).to_contain_text("By peak power")
            pick(page, "Ranked by", "Torque over the duty")
            page.get_by_text("Duty from the gears").click()
            page.get_by_label("Ratios, first to last").fill("1.4 2.8")
            page.get_by_label("Shift at, rpm").fill("6400")
            page.get_by_label("Launch at, rpm").fill("3000")
            page.get_by_role("button", name="Apply", exact=True).click()
            expect(page.get_by_role("alert")).to_contain_text("must fall from first gear to the last")
            page.get_by_label("Ratios, first to last").fill("2.8 1.9 1.4 1.1")
            page.get_by_role("button", name="Apply", exact=True).click()
            expect(page.get_by_test_id("sentence")).to_contain_text("For the duty as drawn")
            page.get_by_role("tab", name="Sensitivity").click()
            expect(page.get_by_test_id("robust")).to_contain_text("variations")
        self.assertEqual(self.problems, [])

    def test_first_pulls_are_compared_among_themselves_on_every_screen(self):
        with self.browser() as page:
            sign_in(page)
            self.at(page, self.steps, "verdict")
            pick(page, "Compared", "First pulls after a change")
            expect(page.get_by_test_id("sentence")).to_contain_text("By first pulls after a change alone")
            page.get_by_role("link", name=re.compile("^Curves")).click()
            expect(page.get_by_text("First pulls after a change alone")).to_be_visible()
            page.get_by_role("link", name=re.compile("^Report")).click()
            expect(page.get_by_text("Mean of the pulls, first pulls after a change").first).to_be_visible()
        self.assertEqual(self.problems, [])

    def test_a_wash_is_decided_on_with_a_reason(self):
        with self.browser() as page:
            sign_in(page)
            self.at(page, self.gasket, "verdict")
            expect(page.get_by_test_id("sentence")).to_contain_text("A and B are a wash")
            expect(page.get_by_test_id("sentence")).to_contain_text("B costs 95 EUR more than A.")
            expect(page.get_by_test_id("sentence")).not_to_contain_text("on cost")
            held: list[Route] = []
            page.route("**/knock-on*", lambda route: held.append(route))
            with page.expect_request("**/knock-on*"):
                page.get_by_role("tab", name="Decisions").click()
            expect(page.get_by_role("heading", name="What each choice asks for next")).to_be_visible()
            # What is read before a decision does not come under the finger that makes it.
            expect(page.get_by_role("button", name="Save decision")).to_have_count(0)
            for route in held:
                route.continue_()
            page.get_by_role("button", name="Save decision").click()
            expect(page.get_by_role("alert")).to_contain_text("what spoke for it")
            page.get_by_label("Why").fill("Paper is on the shelf")
            page.get_by_role("button", name="Save decision").click()
            expect(page.get_by_test_id("decisions").get_by_role("listitem")).to_have_count(2)
            expect(page.get_by_test_id("decisions").get_by_role("listitem").first).to_contain_text(
                "Paper is on the shelf"
            )
        newest = Decision.objects.filter(programme=self.gasket).first()
        self.assertIn("A and B are a wash", " ".join(newest.evidence))

    def test_undecided_is_not_equal_and_only_equals_are_chosen_on_cost(self):
        """The same pulls: what is equal to one who asks for 5 % is undecided to one who asks for 0.1 %."""
        with self.browser() as page:
            sign_in(page)
            sentence = page.get_by_test_id("sentence")
            Programme.objects.filter(pk=self.gasket.pk).update(smallest_difference=0.001)
            self.at(page, self.gasket, "verdict")
            expect(sentence).to_contain_text("it is undecided between A and B")
            expect(sentence).not_to_contain_text("on cost")
            expect(page.get_by_test_id("ranking").get_by_text("undecided").first).to_be_visible()
            Programme.objects.filter(pk=self.gasket.pk).update(smallest_difference=0.05)
            self.at(page, self.gasket, "verdict")
            expect(sentence).to_contain_text("A and B are equal")
            expect(sentence).to_contain_text("Choose A on cost")
            expect(page.get_by_test_id("ranking").get_by_text("undecided")).to_have_count(0)
        self.assertEqual(self.problems, [])

    def test_speeds_at_which_a_pull_stumbled_are_shaded_and_may_be_left_out(self):
        pull = self.hill_climb_pull("B")
        CurveAnomaly.objects.create(reduced=pull.reduced, kind="stumble", low_rpm=3500, high_rpm=3900, size=0.1)
        with self.browser() as page:
            sign_in(page)
            self.at(page, self.hill_climb, "curves")
            words = f"pull {pull.number} of B stumbled from 3500 to 3900 rpm"
            expect(page.get_by_test_id("unhealthy")).to_contain_text(words)
            self.at(page, self.hill_climb, "verdict")
            page.get_by_label("Without the speeds at which a pull stumbled").check()
            expect(page.get_by_text("These speeds are excluded for all setups.").first).to_be_visible()
            expect(page.get_by_label("Without the speeds at which a pull stumbled")).to_be_checked()
        self.assertEqual(self.problems, [])

    def test_a_claim_in_words_is_held_against_the_pulls(self):
        with self.browser() as page:
            sign_in(page)
            self.at(page, self.hill_climb, "verdict")
            page.get_by_role("tab", name="Check a claim").click()
            claim, answer = page.get_by_label("Claim", exact=True), page.get_by_test_id("claim")
            claim.fill("it pulls harder")
            page.get_by_role("button", name="Check claim").click()
            expect(page.get_by_role("alert").filter(has_text="a figure, such as")).to_be_visible()
            claim.fill("25 hp from the short runner")
            claim.press("Enter")
            expect(answer).to_contain_text("The claim of +25.0 hp is more than these pulls allow.")
            expect(answer).to_contain_text("Of that sign the pulls show most at")
            claim.fill("3 % more above 5000")
            pick(page, "Setup", "B Middle runner")
            page.get_by_role("button", name="Check claim").click()
            expect(answer).to_contain_text("The claim of +3.0 % agrees with these pulls.")
            page.get_by_role("tab", name="Predicted vs. measured").click()
            predicted = page.get_by_test_id("expectations")
            expect(predicted.get_by_role("row", name="less below 4000 rpm")).to_contain_text("hit")
        self.assertEqual(self.problems, [])

    def test_curves_to_any_setup_the_table_and_the_steps(self):
        with self.browser() as page:
            sign_in(page)
            self.at(page, self.steps, "curves")
            table = page.get_by_test_id("cursor-table")
            expect(table.get_by_role("columnheader").nth(3)).to_have_text("to A")
            pick(page, "Difference to", "C Inlet and carburetor")
            expect(table.get_by_role("columnheader").nth(3)).to_have_text("to C")
            pick(page, "Lower chart", "Mixture")
            expect(table.get_by_role("columnheader").nth(3)).to_have_text("lambda")
            page.get_by_role("tab", name="Curves", exact=True).focus()  # a list in focus takes letters
            page.keyboard.press("b")
            expect(page.get_by_role("button", name="Both")).to_have_attribute("aria-pressed", "true")
            page.get_by_role("tab", name="Every 100 rpm").click()
            expect(page.get_by_test_id("curve-table").get_by_role("row").nth(1)).to_contain_text("2400")
            page.get_by_role("tab", name="Step by step").click()
            expect(page.get_by_test_id("steps")).to_contain_text("Carburetor: Carburetor 650")
            page.get_by_role("tab", name="Slot by slot").click()
            expect(page.get_by_test_id("slots")).to_contain_text("changed together with Carburetor")
            self.axe(page, f"/programmes/{self.steps.pk}/sheet", f"/programmes/{self.gasket.pk}/verdict")
        self.assertEqual(self.problems, [])


class Sheets(Case):
    def fetch(self, address: str) -> tuple[int, bytes]:
        try:
            with urllib.request.urlopen(self.base + address, timeout=60) as answer:
                return answer.status, answer.read()
        except HTTPError as refused:
            return refused.code, refused.read()

    def test_a_sheet_is_issued_linked_read_back_and_the_link_taken_back(self):
        person = self.gasket.created_by
        shown = answers.out(person, answers.answer(person, self.gasket, Choice(Standard.ISO_1585_SI)))
        with self.browser() as page:
            sign_in(page)
            self.at(page, self.gasket, "sheet")
            expect(page.get_by_test_id("paper")).to_contain_text("A and B are a wash")
            page.get_by_label("Remark").fill("Bolted on by <b>two</b> people")
            page.get_by_role("button", name="Issue report").click()
            expect(page.get_by_test_id("sheets").get_by_role("listitem")).to_have_count(1)
            page.get_by_label("Recipient of the link").fill("Fenwick")
            page.get_by_role("button", name="Create link").click()
            link = page.get_by_test_id("link")
            expect(link).to_have_text("Fenwick")
            address = link.get_attribute("href")
            # Whoever has the link needs no account.
            status, found = self.fetch(address)
            self.assertEqual(status, 200)
            self.assertIn("Does an insulating gasket pay?", found.decode())
            self.assertIn("&lt;b&gt;two&lt;/b&gt;", found.decode())
            status, pdf = self.fetch(f"{address}/sheet.pdf")
            table = self.fetch(f"{address}/sheet.csv")[1].decode()
            page.get_by_role("button", name="Revoke").click()
            expect(page.get_by_text("revoked, opened")).to_be_visible()
            status, refused = self.fetch(address)
            self.assertEqual(status, 410)
            self.assertIn("This link was taken back.", refused.decode())
            self.assertEqual(self.fetch(f"{address}/sheet.pdf")[0], 410)
            self.assertEqual(self.fetch(address[:-3] + "abc")[0], 410)
            # A correction is another version that says what changed.
            page.get_by_role("button", name="Draft").click()
            page.get_by_role("button", name="Issue report").click()
            expect(page.get_by_text("readers of the earlier one see it")).to_be_visible()
        words = re.sub(r"\s+", " ", " ".join(page.extract_text() for page in PdfReader(io.BytesIO(pdf)).pages))
        for placing in shown.placings:
            told = [figure(placing.score), figure(placing.power)]
            if placing.to_baseline:
                gap = placing.to_baseline
                told += [plus_minus(gap.value, gap.low, gap.high), signed(gap.percent, 2)]
            for number in told:
                self.assertIn(number, words)
        for sentence in shown.headline:
            self.assertIn(re.sub(r"\s+", " ", sentence), words)
        self.assertIn("emergency stop", words)
        self.assertLessEqual(len(PdfReader(io.BytesIO(pdf)).pages), 2)
        self.assertTrue(table.startswith("rpm,A simulated lb-ft,A simulated hp,B simulated lb-ft"))
        self.assertEqual(SheetLink.objects.get(recipient="Fenwick").opened, 3)
        self.assertEqual(self.problems, [])
