import numpy as np
from django.test import SimpleTestCase
from torvix_core import effects, verdict
from torvix_core.verdict import WASH, Wording

SPEED = np.arange(3000.0, 6001.0, 100.0)
NAMES = Wording(("A", "B", "C"), "N·m", 1.0)


def day(curves: list[np.ndarray], pulls: int = 3, scatter: float = 0.002) -> tuple[np.ndarray, np.ndarray]:
    """Pulls of each curve with scatter of the whole pull and of each bin; scores and setup index."""
    generator = np.random.default_rng(4)
    rows = [
        curve * np.exp(generator.normal(0, scatter) + generator.normal(0, scatter / 2, len(curve)))
        for curve in curves
        for _ in range(pulls)
    ]
    return np.stack(rows), np.repeat(np.arange(len(curves)), pulls)


LOW = 260 - (SPEED - 3000) * 0.010
HIGH = 240 + (SPEED - 3000) * 0.004


class LeadStrip(SimpleTestCase):
    def test_the_leader_changes_where_the_curves_cross_with_a_wash_between(self):
        scores, setup = day([LOW, HIGH])
        strip = verdict.lead_strip(SPEED, scores, setup, 2)
        self.assertEqual([lead.leader for lead in strip], [0, WASH, 1])
        crossing = 3000 + 20 / 0.014
        self.assertLess(strip[1].low_rpm, crossing)
        self.assertGreater(strip[1].high_rpm, crossing)
        self.assertEqual((strip[0].low_rpm, strip[-1].high_rpm), (3000.0, 6000.0))

    def test_the_crossover_covers_the_true_one(self):
        scores, setup = day([LOW, HIGH])
        strip = verdict.lead_strip(SPEED, scores, setup, 2)
        (cross,) = verdict.lead_crossovers(SPEED, effects.fit(scores, setup, 2), strip)
        self.assertEqual((cross.before, cross.after), (0, 1))
        self.assertLess(abs(cross.speed_rpm - (3000 + 20 / 0.014)), cross.half_width_rpm)
        self.assertLess(cross.half_width_rpm, 600)

    def test_equal_setups_have_no_leader(self):
        scores, setup = day([LOW, LOW, LOW])
        strip = verdict.lead_strip(SPEED, scores, setup, 3)
        self.assertEqual({lead.leader for lead in strip}, {WASH})

    def test_a_lead_over_fewer_than_three_bins_is_not_called(self):
        bump = LOW.copy()
        bump[10:12] *= 1.05
        flat = np.stack([LOW, LOW * 1.0001, bump, bump * 1.0001])
        self.assertEqual(set(verdict.leaders(effects.fit(flat, np.array([0, 0, 1, 1]), 2)).tolist()), {WASH})
        bump[12] *= 1.05
        flat = np.stack([LOW, LOW * 1.0001, bump, bump * 1.0001])
        self.assertEqual(verdict.leaders(effects.fit(flat, np.array([0, 0, 1, 1]), 2))[10:13].tolist(), [1, 1, 1])

    def test_a_leader_must_beat_every_other_setup_not_only_the_baseline(self):
        scores, setup = day([LOW, LOW * 1.05, LOW * 1.0501])
        strip = verdict.lead_strip(SPEED, scores, setup, 3)
        self.assertEqual({lead.leader for lead in strip}, {WASH})

    def test_sentences_cover_the_whole_range_in_order(self):
        scores, setup = day([LOW, HIGH])
        strip = verdict.lead_strip(SPEED, scores, setup, 2)
        told = verdict.strip_sentences(strip, NAMES)
        self.assertEqual(len(told), 3)
        self.assertRegex(told[0], r"^From 3000 to \d+ rpm A leads B by \d+\.\d ± \d+\.\d N·m\.$")
        self.assertRegex(told[1], r"rpm it is a wash\.$")


class Ranking(SimpleTestCase):
    def told(self, scores: list[float], setup: list[int], baseline: int = 0) -> str:
        fitted = effects.fit(np.array(scores), np.array(setup), max(setup) + 1)
        return verdict.range_sentence(verdict.rank(fitted, baseline), baseline, 3000, 6000, NAMES)

    def test_a_clear_winner_is_named_with_figure_and_certainty(self):
        told = self.told([100, 100.2, 110, 110.2, 105, 105.2], [0, 0, 1, 1, 2, 2])
        self.assertRegex(told, r"^From 3000 to 6000 rpm B makes 110\.1 N·m on average, 5\.0 ± 0\.\d more than C and ")
        self.assertRegex(told, r"and 10\.0 ± 0\.\d more than A\.$")

    def test_setups_that_cannot_be_told_apart_are_not_ranked(self):
        told = self.told([100, 101, 110, 111, 110.5, 111.5], [0, 0, 1, 1, 2, 2])
        self.assertIn("B and C are a wash", told.replace("C and B", "B and C"))
        self.assertIn("A is behind C.", told)

    def test_a_wash_of_all_recommends_nothing_but_cost_and_fit(self):
        told = self.told([100, 101, 100.5, 101.5], [0, 0, 1, 1])
        self.assertEqual(
            told, "From 3000 to 6000 rpm B and A are a wash: choose on cost, height or fit, or pull them again."
        )

    def test_one_setup_alone_is_not_a_comparison(self):
        self.assertIn("nothing to compare", self.told([100, 101], [0, 0]))

    def test_figures_are_told_in_the_unit_asked_for(self):
        fitted = effects.fit(np.array([100.0, 100.2, 110, 110.2]), np.array([0, 0, 1, 1]), 2)
        pounds = Wording(("A", "B"), "lb-ft", 1.3558179483)
        self.assertIn("B makes 81.2 lb-ft", verdict.range_sentence(verdict.rank(fitted, 0), 0, 3000, 6000, pounds))
