"""The road in the browser: shift speeds, a car that is tried, slips at their fields, a run as a duty."""

import re

from playwright.sync_api import expect

from browser_tests.at_the_stand import HILL_CLIMB
from browser_tests.case import BrowserCase, sign_in
from programmes.models import Programme


def climb() -> str:
    """A log of a hill: engine speed up and down between 3200 and 6400, the throttle open on the way up."""
    rows = []
    for sample in range(600):
        place = sample % 100
        speed = 3200 + 32 * place * 1.4 if place < 70 else 6336 - 104 * (place - 70)
        rows.append(f"{sample / 10:.1f},{speed:.0f},{100 if place < 70 else 0}")
    return "\n".join(["time (s),rpm,throttle (%)", *rows]) + "\n"


class Road(BrowserCase):
    def test_shift_speeds_a_tried_car_and_time_at_each_speed_as_duty(self):
        test = Programme.objects.get(question=HILL_CLIMB)
        with self.browser() as page:
            sign_in(page)
            page.goto(f"/programmes/{test.pk}/verdict?tab=road", wait_until="domcontentloaded")
            road = page.get_by_test_id("road")
            expect(road).to_contain_text(re.compile(r"Quarter mile: B is quickest, 0\.\d\d s \(.+\) before A"))
            expect(page.get_by_test_id("shifts").get_by_role("row").nth(1)).to_contain_text(
                re.compile(r"\d{4} to \d{4} rpm")
            )
            expect(page.get_by_test_id("road-times").get_by_role("row").nth(3)).to_contain_text("ruled out")
            time = page.get_by_test_id("road-times").get_by_role("row").nth(1)
            before = time.inner_text()
            page.get_by_role("button", name="The car, and by which rules").click()
            page.get_by_label("Mass, ready to run").fill("12 kg")
            page.get_by_role("button", name="Run it").click()
            expect(page.get_by_test_id("car")).to_contain_text("between 50")
            page.get_by_label("Mass, ready to run").fill("900 kg")
            page.get_by_role("button", name="Run it").click()
            expect(time).not_to_have_text(before)
            expect(page).to_have_url(re.compile("vehicle_mass=900"))
            self.axe(page, page.url)
            page.get_by_label("Judge by the time at each speed of the run of C").click()
            expect(page.get_by_test_id("sentence")).to_contain_text("For the duty as drawn")
            points = re.compile("points=")
            expect(page).to_have_url(points)
            of_run = page.url
            page.get_by_role("button", name="Duty from a log of the car").click()
            page.get_by_label("Log of the car").set_input_files(
                {"name": "climb.csv", "mimeType": "text/csv", "buffer": climb().encode()}
            )
            expect(page.get_by_test_id("lap-log")).to_contain_text("of full load in a log of")
            expect(page).not_to_have_url(of_run)
        self.assertEqual(self.problems, [])
