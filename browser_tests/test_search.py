"""One line over everything: from any screen by a key, by a figure, by another spelling, and page by page."""

import re

from playwright.sync_api import expect

from browser_tests.case import BrowserCase, sign_in


class Search(BrowserCase):
    def test_it_opens_from_a_test_and_leads_to_a_part(self):
        with self.browser() as page:
            sign_in(page)
            page.goto("/programmes/1/verdict", wait_until="domcontentloaded")
            expect(page.get_by_role("button", name="Find G")).to_be_visible()
            page.keyboard.press("g")
            line = page.get_by_role("searchbox", name="Find anything")
            expect(line).to_be_focused()
            page.keyboard.type("touring mani")
            box = page.get_by_role("dialog", name="Find anything")
            found = box.get_by_role("list", name="Parts").get_by_role("link", name="Long-runner manifold")
            expect(found).to_be_visible()
            expect(box.get_by_role("list", name="Parts")).to_contain_text("also The long one, Touring manifold")
            page.keyboard.press("ArrowDown")
            expect(box.get_by_role("link").first).to_be_focused()
            page.keyboard.press("ArrowUp")
            expect(line).to_be_focused()
            found.click()
            expect(page).to_have_url(re.compile(r"/parts/\d+$"))
            expect(page.get_by_role("heading", name="Long-runner manifold")).to_be_visible()
            expect(box).to_have_count(0)
        self.assertEqual(self.problems, [])

    def test_a_figure_a_kind_and_the_address_that_holds_them(self):
        with self.browser() as page:
            sign_in(page)
            page.goto("/search", wait_until="domcontentloaded")
            line = page.get_by_role("searchbox", name="Find anything")
            line.fill("runner length 10–14 in")
            expect(page.get_by_text("Understood: runner length from 10 to 14 in")).to_be_visible()
            page.get_by_role("button", name=re.compile(r"^Parts \d+$")).click()
            expect(page).to_have_url(re.compile("kind=part"))
            expect(page.get_by_role("list", name="Tests")).to_have_count(0)
            rows = page.get_by_role("list", name="Parts").get_by_role("listitem")
            expect(rows.filter(has_text="Middle-runner manifold").first).to_be_visible()
            self.axe(page, page.url)
            page.reload(wait_until="domcontentloaded")
            expect(line).to_have_value("runner length 10–14 in")
            expect(rows.first).to_be_visible()
            line.fill("runner length 14-10 in")
            expect(page.get_by_text("write the lower value first")).to_be_visible()
        self.assertEqual(self.problems, [])

    def test_another_spelling_is_offered(self):
        with self.browser() as page:
            sign_in(page)
            page.goto("/search?q=long-runer+manifolt", wait_until="domcontentloaded")
            expect(page.get_by_text("Nothing holds all of this.")).to_be_visible()
            expect(page.get_by_role("list", name="Spelled like it")).to_contain_text("Long-runner manifold")
        self.assertEqual(self.problems, [])

    def test_a_customer_finds_no_more_than_the_own_test(self):
        with self.browser() as page:
            sign_in(page, "rena")
            page.goto("/search?q=manifold", wait_until="domcontentloaded")
            tests = page.get_by_role("list", name="Tests").get_by_role("listitem")
            expect(tests).to_have_count(1)
        self.assertEqual(self.problems, [])

    def test_two_parts_of_one_alias_are_pointed_out_and_said_to_be_two(self):
        with self.browser() as page:
            sign_in(page)
            page.goto("/parts", wait_until="domcontentloaded")
            page.get_by_role("button", name="Two records may be one part").click()
            pair = page.get_by_role("list", name="Parts that look like one").get_by_role("listitem")
            expect(pair).to_contain_text("Plenum spacer 20 mm and Open spacer 25 mm")
            expect(pair).to_contain_text("Both are called “The spacer”")
            self.assertEqual(self.violations(page), [])
            pair.get_by_role("button", name="Keep as two parts").click()
            expect(pair).to_have_count(0)
            page.goto("/search?q=the+spacer", wait_until="domcontentloaded")
            expect(page.get_by_role("list", name="Parts").get_by_role("listitem")).to_have_count(2)
        self.assertEqual(self.problems, [])
