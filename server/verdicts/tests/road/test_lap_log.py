"""A log of the car as the duty of a verdict, and what of it cannot be used."""

from typing import Any

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile

from verdicts.tests.road.test_road import Scene as RoadScene

TIME = np.arange(0, 60, 0.1)
PLACE = TIME % 10
RPM = np.where(PLACE < 7, 3500 + 2500 * PLACE / 7, 6000 - 2500 * (PLACE - 7) / 3)
OPEN = np.where(PLACE < 7, 98.0, 3.0)
GEAR = np.full(len(TIME), 3)
KMH = RPM / 60 * 2 * np.pi * 0.3 / (1.45 * 3.7) * 3.6


def csv(heads: str, *columns: np.ndarray) -> str:
    rows = [",".join(f"{value:.3f}" for value in row) for row in np.stack(columns, axis=1)]
    return "\n".join([heads, *rows]) + "\n"


class LapLog(RoadScene):
    def post(self, text: str, **more: Any):
        given = {"file": SimpleUploadedFile("lap.csv", text.encode()), **more}
        return self.client.post(f"/api/programmes/{self.programme.pk}/duty-of-log", given)

    def test_engine_speed_and_throttle(self):
        found = self.post(csv("time (s),rpm,throttle (%)", TIME, RPM, OPEN)).json()
        self.assertIn("42 s of full load in a log of 60 s, by the throttle.", found["sentence"])
        speeds = [point[0] for point in found["points"] if point[1] > 0.3]
        self.assertTrue(min(speeds) >= 3400 and max(speeds) <= 6100, speeds)
        points = ",".join(f"{speed}:{weight}" for speed, weight in found["points"])
        verdict = self.client.get(f"/api/programmes/{self.programme.pk}/verdict", {"points": points})
        self.assertEqual(verdict.json()["duty"], "drawn")

    def test_road_speed_and_gear_by_the_car_of_the_build_sheet(self):
        found = self.post(csv("time (s),speed (km/h),gear", TIME, KMH, GEAR)).json()
        self.assertIn("as no throttle was logged, engine speed from road speed and gear", found["sentence"])
        by_rpm = self.post(csv("time (s),rpm", TIME, RPM)).json()
        middle = [sum(weight for speed, weight in one["points"] if 4000 < speed < 5500) for one in (found, by_rpm)]
        self.assertAlmostEqual(*middle, delta=0.3)

    def test_what_cannot_be_used_says_why_at_its_field(self):
        for text, more, field, words in (
            ("nothing at all", {}, "file", ""), (csv("t (s),rpm", TIME[:9], RPM[:9]), {}, "file", "full load"),
            (csv("lambda,rpm", TIME, RPM), {}, "file", "no column of it is called time"),
            (csv("time (s),speed (km/h)", TIME, KMH), {}, "file", "road speed and gear"),
            (csv("time (s),speed,gear", TIME, KMH, GEAR), {}, "speed_unit", "km/h, mph, m/s"),
            (csv("time (s),speed,gear", TIME, KMH, GEAR), {"speed_unit": "m/s"}, "file", "check the unit of the road"),
            (csv("time (s),speed (km/h),gear", TIME, KMH, GEAR + 3), {}, "file", "gear 6 is logged, the car has 4"),
            (csv("time (s),rpm", TIME[::-1], RPM), {}, "file", "time must rise"),
        ):  # fmt: skip
            with self.subTest(words=words):
                answer = self.post(text, **more)
                self.assertEqual(answer.status_code, 422, answer.content)
                self.assertIn(words, answer.json()["fields"][field])
