"""Theories that compete and the limits of a test, in the browser."""

from playwright.sync_api import expect

from browser_tests.case import BrowserCase, sign_in
from programmes.models import Programme


class Theories(BrowserCase):
    def test_rivals_are_separated_by_a_part_on_the_shelf_and_it_goes_into_the_plan(self):
        test = Programme.objects.get(question__startswith="What goes on the sprint car")
        with self.browser() as page:
            sign_in(page)
            page.goto(f"/programmes/{test.pk}/plan?tab=expected", wait_until="domcontentloaded")
            page.get_by_role("button", name="Add theories").click()
            page.get_by_label("Theory 1", exact=True).fill("The runner is too long")
            page.get_by_label("Theory 2", exact=True).fill("The throttle is too small")
            page.get_by_role("combobox", name="Setup or part of line 1").fill("Plenum 290")
            page.get_by_role("option", name="Plenum 290", exact=True).click()
            page.get_by_label("Speeds of line 1").fill("above 9000")
            page.get_by_label("Theory 1 predicts in line 1").fill("3 to 4")
            page.get_by_label("Theory 2 predicts in line 1").fill("0")
            page.get_by_role("button", name="Save theories").click()
            expect(page.get_by_text("this test compares from 4200 to 6900 rpm")).to_be_visible()
            page.get_by_label("Speeds of line 1").fill("above 5500")
            page.get_by_role("button", name="Save theories").click()
            separation = page.get_by_test_id("separation")
            expect(separation).to_contain_text(
                "run Plenum 290 in place of Long-runner manifold and look at average torque above 5500 rpm"
            )
            self.axe(page, page.url)
            separation.get_by_role("link", name="Add the setup").click()
            expect(page.get_by_label("Name of setup H")).to_have_value("Plenum 290")
        self.assertEqual(self.problems, [])


class Limits(BrowserCase):
    def test_a_part_that_the_customer_keeps_is_marked_and_what_changes_it_is_named(self):
        test = Programme.objects.get(question__startswith="What goes on the sprint car")
        with self.browser() as page:
            sign_in(page)
            page.goto(f"/programmes/{test.pk}/plan/change", wait_until="domcontentloaded")
            keeps = page.get_by_test_id("fixed-slots")
            expect(keeps).to_contain_text("Cylinder head")
            keeps.click()
            page.get_by_role("option", name="Header").click()
            page.keyboard.press("Escape")
            page.get_by_role("tab", name="Setups").click()
            expect(page.get_by_text("Changes the header, which the customer keeps.")).to_be_visible()
            page.get_by_role("button", name="Save plan").click()
            expect(page.get_by_text("Changes the header, which the customer keeps.")).to_be_visible()
        self.assertEqual(self.problems, [])
