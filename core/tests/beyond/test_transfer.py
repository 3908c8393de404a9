"""A gain carried to another engine: by air demand, with a band that holds the truth of engines that differ."""

import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from torvix_core.beyond.transfer import (
    LEVEL_SD,
    SHARE_SD,
    SPEED_SD,
    Demand,
    EngineSize,
    demand_of,
    learned_spread,
    speed_scale,
    transfer,
)

BINS = np.arange(2500.0, 6501, 100)
LARGE, SMALL = EngineSize(5.7e-3, 8), EngineSize(5.0e-3, 8)


def crossing(speed: np.ndarray, change: np.ndarray) -> float:
    return float(np.interp(0.0, change, speed))


class Rule(SimpleTestCase):
    def test_crossovers_rise_as_displacement_falls(self):
        """Common practice, no source: a smaller engine pushes the trade-off upward in engine speed."""
        larger_cam = 0.03 * (BINS - 4400) / 1000
        for small in (4.9e-3, 4.3e-3, 3.5e-3):
            scale = speed_scale(LARGE, EngineSize(small, 8), Demand.CYLINDER)
            found = transfer(BINS, larger_cam, np.full(len(BINS), 0.003), scale)
            self.assertAlmostEqual(crossing(found.speed_rpm, found.change), 4400 * 5.7e-3 / small, delta=1)

    def test_the_same_engine_moves_nothing_and_keeps_its_percentages(self):
        change = 0.02 * np.sin(BINS / 900)
        found = transfer(BINS, change, np.full(len(BINS), 0.004), speed_scale(LARGE, LARGE, Demand.ENGINE))
        assert_allclose(found.speed_rpm, BINS)
        assert_allclose(found.change, change)

    def test_a_cylinder_more_counts_where_the_part_is_one_for_all_and_not_where_each_has_its_own(self):
        """Eight cylinders of one size against six: a carburetor sees 8/6 of the air, a port the same."""
        eight, six = EngineSize(4.0e-3, 8), EngineSize(3.0e-3, 6)
        self.assertAlmostEqual(speed_scale(eight, six, Demand.ENGINE), 8 / 6)
        self.assertAlmostEqual(speed_scale(eight, six, Demand.CYLINDER), 1.0)

    def test_a_larger_port_moves_it_up_further(self):
        small_port, large_port = (EngineSize(5.7e-3, 8, port_area=area) for area in (14e-4, 16e-4))
        self.assertAlmostEqual(speed_scale(small_port, large_port, Demand.CYLINDER), 16 / 14)

    def test_whose_air_a_part_sees(self):
        self.assertEqual(demand_of(["carburetor", "spacer"]), Demand.ENGINE)
        self.assertEqual(demand_of(["intake_manifold"]), Demand.CYLINDER)
        self.assertIsNone(demand_of(["carburetor", "intake_manifold"]))

    def test_what_is_not_an_engine_is_refused_by_name(self):
        with self.assertRaisesRegex(ValueError, "displacement"):
            speed_scale(EngineSize(0.0, 8), LARGE, Demand.ENGINE)


class Band(SimpleTestCase):
    def test_it_is_never_narrower_than_what_was_measured(self):
        change, width = 0.02 * np.sin(BINS / 900), np.full(len(BINS), 0.004)
        found = transfer(BINS, change, width, 1.1)
        self.assertTrue((found.high - found.low > 2 * width).all())

    def test_it_holds_the_truth_of_engine_pairs_in_nine_of_ten(self):
        """300 pairs: a gain that follows the air, engines that differ by the spreads named, pulls that scatter."""
        dice, held = np.random.default_rng(11), []
        for _ in range(300):
            size, slope = dice.normal(0.0, 0.02), dice.normal(0.0, 0.02)
            bump, at = dice.normal(0.0, 0.015), dice.uniform(3200, 5800)

            def gain(speed: np.ndarray, size=size, slope=slope, bump=bump, at=at) -> np.ndarray:
                return np.asarray(size + slope * (speed - 4500) / 1000 + bump * np.exp(-(((speed - at) / 600) ** 2)))

            sigma, scale = 0.002, dice.uniform(0.8, 1.3)
            measured = np.expm1(gain(BINS) + dice.normal(0, sigma))
            found = transfer(BINS, measured, np.full(len(BINS), 1.96 * sigma), scale)
            there = found.speed_rpm / scale * (1 + dice.normal(0, SPEED_SD))
            truth = np.expm1(gain(there) * (1 + dice.normal(0, SHARE_SD)) + dice.normal(0, LEVEL_SD))
            held.append(float(((found.low <= truth) & (truth <= found.high)).mean()))
        self.assertGreaterEqual(float(np.mean(held)), 0.90)
        self.assertLessEqual(float(np.mean(held)), 0.985)

    def test_what_the_shop_learned_replaces_the_default_and_few_tests_are_not_trusted_much(self):
        three, twenty = (learned_spread(np.full(count, 0.01)) for count in (3, 20))
        assert three is not None
        assert twenty is not None
        self.assertEqual((three.share, three.learned_from), (0.0, 3))
        self.assertAlmostEqual(three.level, 0.01 * 3.182 / 1.960, places=4)  # Student's t for 3, 95 %, any table
        self.assertLess(twenty.level, 0.0107)
        self.assertIsNone(learned_spread(np.full(2, 0.01)))
