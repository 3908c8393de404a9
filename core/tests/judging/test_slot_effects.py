"""Main effects of slots against a reference package, and what cannot be separated."""

import numpy as np
import statsmodels.api as sm
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from torvix_core.judging.design import AnswerQuality
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.drift import NO_DRIFT
from torvix_core.judging.effects import History, fit
from torvix_core.judging.slot_effects import slot_effects

PLAIN = History(0.001, 20.0, NO_DRIFT, known=True)
FACTORIAL = [{"manifold": m, "header": h} for m in ("long", "short") for h in ("old", "new")]


def worth(values: list[float], seed: int = 1):
    layout = Layout.of(np.repeat(np.arange(len(values)), 3))
    noise = np.random.default_rng(seed).normal(0, 0.001, len(layout.setup))
    return fit(200 * np.exp(np.array(values)[layout.setup] + noise), layout, PLAIN)


class MainEffects(SimpleTestCase):
    def test_a_factorial_against_statsmodels(self):
        effects = worth([0.0, 0.02, 0.03, 0.05])
        found = {one.answer.question.slot: one for one in slot_effects(effects, FACTORIAL)}
        design = np.array([[1, s["manifold"] == "short", s["header"] == "new"] for s in FACTORIAL], dtype=float)
        wanted = sm.OLS(effects.log_mean, design).fit()
        for slot, at in (("manifold", 1), ("header", 2)):
            assert_allclose(np.log1p(found[slot].change), wanted.params[at], rtol=1e-9)
            self.assertFalse(found[slot].interacts)
            self.assertEqual(len(found[slot].pairs), 2)

    def test_a_part_that_helps_with_one_partner_alone_interacts(self):
        found = slot_effects(worth([0.0, 0.0, 0.0, 0.04]), FACTORIAL)
        self.assertTrue(all(one.interacts for one in found))

    def test_slots_that_changed_together_are_not_separated(self):
        setups = [{"manifold": "long", "header": "old"}, {"manifold": "short", "header": "new"}]
        for one in slot_effects(worth([0.0, 0.05]), setups):
            self.assertEqual((one.answer.standing, one.change), (AnswerQuality.TOGETHER, None))
            self.assertEqual(len(one.answer.together), 1)

    def test_intervals_hold_for_all_questions_together(self):
        """Three headers ask three questions: wider than one question alone, by Bonferroni."""
        few = slot_effects(worth([0.0, 0.02]), [{"header": "1"}, {"header": "2"}])[0]
        many = slot_effects(worth([0.0, 0.02, 0.04]), [{"header": one} for one in "123"])[0]
        self.assertGreater(many.high - many.low, few.high - few.low)

    def test_days_that_nothing_links_do_not_add_up(self):
        effects = fit(np.array([100.0, 101, 105, 106]), Layout.of([0, 0, 1, 1], [0, 0, 1, 1]), PLAIN)
        self.assertEqual(slot_effects(effects, [{"cam": "1"}, {"cam": "2"}]), ())
