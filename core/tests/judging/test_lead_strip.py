"""Who leads where: crossings, setups that lead together, stretches too short to be called."""

import numpy as np
from django.test import SimpleTestCase
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.difference import DifferenceState
from torvix_core.judging.drift import NO_DRIFT
from torvix_core.judging.effects import History, fit
from torvix_core.judging.lead_strip import fit_curves, lead_crossovers, lead_strip, leading

SPEED = np.arange(3000.0, 6001.0, 100.0)
SURE = History(drift=NO_DRIFT)
LOW = 260 - (SPEED - 3000) * 0.010
HIGH = 240 + (SPEED - 3000) * 0.004


def day(curves: list[np.ndarray], pulls: int = 3, scatter: float = 0.002):
    """Effects of pulls of each curve, with scatter of the whole pull and of each bin."""
    generator = np.random.default_rng(4)
    rows = [
        curve * np.exp(generator.normal(0, scatter) + generator.normal(0, scatter / 2, len(curve)))
        for curve in curves
        for _ in range(pulls)
    ]
    return fit_curves(np.stack(rows), Layout.of(np.repeat(np.arange(len(curves)), pulls)), SURE)


class LeadStrip(SimpleTestCase):
    def test_the_leader_changes_where_the_curves_cross_with_both_in_the_lead_between(self):
        strip = lead_strip(SPEED, day([LOW, HIGH]))
        self.assertEqual([set(lead.leaders) for lead in strip], [{0}, {0, 1}, {1}])
        crossing = 3000 + 20 / 0.014
        self.assertLess(strip[1].low_rpm, crossing)
        self.assertGreater(strip[1].high_rpm, crossing)
        self.assertEqual((strip[0].low_rpm, strip[-1].high_rpm), (3000.0, 6000.0))

    def test_the_crossover_covers_the_true_one(self):
        (cross,) = lead_crossovers(SPEED, day([LOW, HIGH]))
        self.assertEqual((cross.before, cross.after), (0, 1))
        self.assertLess(abs(cross.speed_rpm - (3000 + 20 / 0.014)), cross.half_width_rpm)
        self.assertLess(cross.half_width_rpm, 600)

    def test_crossovers_cover_the_true_one_in_95_of_100_days(self):
        dice, hits, days = np.random.default_rng(9), 0, 400
        layout, truth = Layout.of(np.repeat([0, 1], 4)), 3000 + 20 / 0.014
        for _ in range(days):
            noise = dice.normal(0, 0.002, (8, 1)) + dice.normal(0, 0.0005, (8, len(SPEED)))
            effects = fit_curves(
                np.stack([LOW] * 4 + [HIGH] * 4) * np.exp(noise), layout, History(weight=0, drift=NO_DRIFT)
            )
            (cross,) = lead_crossovers(SPEED, effects)
            hits += abs(cross.speed_rpm - truth) < (cross.half_width_rpm or np.inf)
        self.assertGreater(hits / days, 0.92)

    def test_crossovers_are_those_of_any_two_setups_not_only_of_the_leaders(self):
        """B and C cross at 4429 rpm, both of them behind A everywhere."""
        crosses = lead_crossovers(SPEED, day([LOW * 1.3, LOW, HIGH]))
        self.assertEqual([(cross.before, cross.after) for cross in crosses], [(1, 2)])

    def test_equal_setups_lead_together(self):
        strip = lead_strip(SPEED, day([LOW, LOW, LOW]))
        self.assertEqual({lead.leaders for lead in strip if lead.alone}, set())

    def test_a_lead_over_fewer_than_three_bins_is_not_called(self):
        bump, layout = LOW.copy(), Layout.of([0, 0, 1, 1])
        bump[10:12] *= 1.05
        flat = np.stack([LOW, LOW * 1.0001, bump, bump * 1.0001])
        found, _ = leading(fit(flat, layout, SURE))
        self.assertTrue(found.all())
        bump[12] *= 1.05
        flat = np.stack([LOW, LOW * 1.0001, bump, bump * 1.0001])
        found, _ = leading(fit(flat, layout, SURE))
        self.assertEqual(found[:, 10:13].astype(int).tolist(), [[0, 0, 0], [1, 1, 1]])

    def test_two_that_are_alike_lead_together_over_a_third_that_is_behind(self):
        """No single setup beats every other, and still A is behind at every speed: the leading set is B and C."""
        strip = lead_strip(SPEED, day([LOW, LOW * 1.05, LOW * 1.0501]))
        self.assertEqual({frozenset(lead.leaders) for lead in strip}, {frozenset({1, 2})})
        self.assertGreater(strip[0].at_most, 0.0)
        self.assertNotEqual(strip[0].state, DifferenceState.AHEAD)

    def test_a_subset_of_setups_has_its_own_leaders(self):
        effects = day([LOW, HIGH, LOW * 1.2])
        self.assertEqual({lead.leaders for lead in lead_strip(SPEED, effects)}, {(2,)})
        among = lead_strip(SPEED, effects, among=(0, 1))
        self.assertEqual([set(lead.leaders) for lead in among], [{0}, {0, 1}, {1}])

    def test_the_gain_of_a_stretch_is_the_mean_of_its_bins(self):
        effects = day([LOW, LOW * 1.05])
        (lead,) = lead_strip(SPEED, effects)
        found, base = effects.difference(1, 0), effects.mean[0]
        self.assertAlmostEqual(lead.gain, float((found.change * base).mean()))
        self.assertAlmostEqual(lead.half_width, float((found.half_width * base).mean()))

    def test_a_crossing_whose_interval_runs_out_of_what_was_run_has_no_bounds(self):
        """B is behind low and ahead high; between them the curves lie on each other but for a hair."""
        (near,) = lead_crossovers(SPEED, day([LOW, HIGH], scatter=0.0001))
        self.assertIsNotNone(near.half_width_rpm)
        self.assertLessEqual(near.speed_rpm + near.half_width_rpm, SPEED[-1])
        hair = (SPEED - 4450) * 1e-8 + 0.03 * ((SPEED > 5600).astype(float) - (SPEED < 3300))
        (flat,) = lead_crossovers(SPEED, fit_curves(np.stack([LOW] * 3 + [LOW * (1 + hair)] * 3),
                                                    Layout.of([0, 0, 0, 1, 1, 1]), SURE))  # fmt: skip
        self.assertIsNone(flat.half_width_rpm)
