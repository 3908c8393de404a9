"""A check pass: go and no go by figures of the trade, and what was not measured is no reason either way."""

import numpy as np
from django.test import SimpleTestCase
from torvix_core.pull.check_pass import CheckPass, read_check_pass

SPEED = np.linspace(2500, 3550, 60)
GOOD = {
    "lambda": np.full(60, 0.87), "oil_pressure": np.full(60, 380_000.0), "knock": np.zeros(60),
    "oil_temperature": np.full(60, 360.0), "coolant_temperature": np.full(60, 355.0),
}  # fmt: skip


def wrong(found: CheckPass) -> list[str]:
    return [line.key for line in found.lines if line.right is False]


class GoOrNoGo(SimpleTestCase):
    def test_a_healthy_engine_goes(self):
        self.assertTrue(read_check_pass(SPEED, GOOD, 0.865).go)

    def test_each_fault_is_a_no_go_by_name(self):
        """Common practice, no source: 10 psi for each 1000 rpm; lean under load; knock."""
        for key, value in (("lambda", 0.94), ("lambda", 0.65), ("oil_pressure", 150_000.0), ("knock", 1.0),
                           ("oil_temperature", 410.0), ("coolant_temperature", 390.0)):  # fmt: skip
            with self.subTest(key=key, value=value):
                found = read_check_pass(SPEED, {**GOOD, key: np.full(60, value)}, 0.865)
                self.assertEqual((wrong(found), found.go), ([key], False))

    def test_the_mixture_is_judged_where_it_has_settled_and_oil_where_it_is_worst(self):
        settling = np.where(np.arange(60) < 20, 1.1, 0.87)
        self.assertTrue(read_check_pass(SPEED, {**GOOD, "lambda": settling}, 0.865).go)
        dip = np.where(np.arange(60) == 30, 100_000.0, 380_000.0)
        self.assertEqual(wrong(read_check_pass(SPEED, {**GOOD, "oil_pressure": dip})), ["oil_pressure"])

    def test_the_closed_throttle_before_and_after_is_not_judged(self):
        speed = np.concatenate([np.full(20, 2500.0), SPEED, np.linspace(3550, 2000, 40)])
        closed = np.concatenate([np.full(20, 5.0), np.full(60, 100.0), np.full(40, 5.0)])
        mixture = np.where(closed > 50, 0.87, 1.05)
        found = read_check_pass(speed, {"lambda": mixture, "throttle": closed}, 0.865)
        self.assertAlmostEqual(found.lines[0].value, 0.87)
        self.assertTrue(found.go)

    def test_each_bank_that_is_read_is_judged(self):
        both = {"lambda_left": np.full(60, 0.94), "lambda_right": np.full(60, 0.86)}
        self.assertEqual(wrong(read_check_pass(SPEED, {**GOOD, **both}, 0.865)), ["lambda_left"])
        alone = {key: value for key, value in GOOD.items() if key != "lambda"} | both
        self.assertNotIn("lambda", [line.key for line in read_check_pass(SPEED, alone, 0.865).lines])
        one = {**GOOD, "lambda_right": both["lambda_right"]}
        self.assertTrue(read_check_pass(SPEED, one, 0.865).go)

    def test_what_was_not_measured_is_said_and_stops_nothing(self):
        found = read_check_pass(SPEED, {"lambda": np.full(60, np.nan)})
        self.assertTrue(found.go)
        self.assertEqual({line.right for line in found.lines}, {None})

    def test_without_a_speed_nothing_is_said(self):
        self.assertEqual(read_check_pass(np.full(5, np.nan), {"lambda": np.ones(5)}).lines, ())
        self.assertEqual(read_check_pass(np.zeros(0), {}).lines, ())

    def test_a_channel_of_another_length_is_refused(self):
        with self.assertRaises(ValueError):
            read_check_pass(SPEED, {"lambda": np.ones(3)})
