"""Who leads where: crossings, washes, stretches too short to be called."""

from dataclasses import replace

import numpy as np
from django.test import SimpleTestCase
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.effects import History, fit
from torvix_core.judging.lead_strip import WASH, Lead, fit_curves, lead_crossovers, lead_strip, leaders

SPEED = np.arange(3000.0, 6001.0, 100.0)
SURE = History(drift_per_pull=0.0)
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
    def test_the_leader_changes_where_the_curves_cross_with_a_wash_between(self):
        strip = lead_strip(SPEED, day([LOW, HIGH]))
        self.assertEqual([lead.leader for lead in strip], [0, WASH, 1])
        crossing = 3000 + 20 / 0.014
        self.assertLess(strip[1].low_rpm, crossing)
        self.assertGreater(strip[1].high_rpm, crossing)
        self.assertEqual((strip[0].low_rpm, strip[-1].high_rpm), (3000.0, 6000.0))

    def test_the_crossover_covers_the_true_one(self):
        effects = day([LOW, HIGH])
        (cross,) = lead_crossovers(SPEED, effects, lead_strip(SPEED, effects))
        self.assertEqual((cross.before, cross.after), (0, 1))
        self.assertLess(abs(cross.speed_rpm - (3000 + 20 / 0.014)), cross.half_width_rpm)
        self.assertLess(cross.half_width_rpm, 600)

    def test_crossovers_cover_the_true_one_in_95_of_100_days(self):
        dice, hits, days = np.random.default_rng(9), 0, 400
        layout, truth = Layout.of(np.repeat([0, 1], 4)), 3000 + 20 / 0.014
        for _ in range(days):
            noise = dice.normal(0, 0.002, (8, 1)) + dice.normal(0, 0.0005, (8, len(SPEED)))
            effects = fit_curves(
                np.stack([LOW] * 4 + [HIGH] * 4) * np.exp(noise), layout, History(weight=0, drift_per_pull=0)
            )
            (cross,) = lead_crossovers(SPEED, effects, lead_strip(SPEED, effects))
            hits += abs(cross.speed_rpm - truth) < (cross.half_width_rpm or np.inf)
        self.assertGreater(hits / days, 0.92)

    def test_equal_setups_have_no_leader(self):
        self.assertEqual({lead.leader for lead in lead_strip(SPEED, day([LOW, LOW, LOW]))}, {WASH})

    def test_a_lead_over_fewer_than_three_bins_is_not_called(self):
        bump, layout = LOW.copy(), Layout.of([0, 0, 1, 1])
        bump[10:12] *= 1.05
        flat = np.stack([LOW, LOW * 1.0001, bump, bump * 1.0001])
        self.assertEqual(set(leaders(fit(flat, layout, SURE, bent=False)).tolist()), {WASH})
        bump[12] *= 1.05
        flat = np.stack([LOW, LOW * 1.0001, bump, bump * 1.0001])
        self.assertEqual(leaders(fit(flat, layout, SURE, bent=False))[10:13].tolist(), [1, 1, 1])

    def test_a_leader_must_beat_every_other_setup_not_only_the_baseline(self):
        strip = lead_strip(SPEED, day([LOW, LOW * 1.05, LOW * 1.0501]))
        self.assertEqual({lead.leader for lead in strip}, {WASH})

    def test_the_gain_of_a_stretch_is_the_mean_of_its_bins(self):
        effects = day([LOW, LOW * 1.05])
        (lead,) = lead_strip(SPEED, effects)
        found, base = effects.difference(1, 0), effects.mean[0]
        self.assertAlmostEqual(lead.gain, float((found.change * base).mean()))
        self.assertAlmostEqual(lead.half_width, float((found.half_width * base).mean()))

    def test_a_crossing_whose_interval_runs_out_of_what_was_run_has_no_bounds(self):
        """Pulls that scatter by 1 %: the crossing at 4429 rpm may lie far beyond 4600, where the runs end."""
        short = SPEED[:17]
        called = (Lead(3000.0, 4400.0, 0, 1, 5.0, 1.0), Lead(4450.0, 4600.0, 1, 0, 5.0, 1.0))
        sure, unsure = (day([LOW[:17], HIGH[:17]], scatter=scatter) for scatter in (0.0001, 0.01))
        (near,) = lead_crossovers(short, replace(sure, history=SURE, scatter=sure.scatter / 20), called)
        self.assertIsNotNone(near.half_width_rpm)
        self.assertLessEqual(near.speed_rpm + near.half_width_rpm, short[-1])
        (far,) = lead_crossovers(short, unsure, called)
        self.assertIsNone(far.half_width_rpm)
