"""Without any one pull, from the fit of all of them: what a fit of the others says."""

import unittest
from dataclasses import replace

import numpy as np
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.drift import DriftPrior
from torvix_core.judging.effects import USUAL, History, NotEnoughPulls, fit
from torvix_core.judging.leave_one_out import leaders_without_each, without_each
from torvix_core.judging.verdict import leaders

# A fit of the others alone takes a setup that stood on either side of the excluded pull for one visit: its parts were
# off in between, which this knows and that does not. Without an effect of a change both are the same model.
NO_SETTLING = History(drift=replace(DriftPrior(), settling_sd=0.0))


def days(dice: np.random.Generator) -> tuple[np.ndarray, Layout]:
    """Two days of some setups, with a return on the first; a drift, and a difference that is hard to see."""
    setups, pulls = int(dice.integers(3, 6)), int(dice.integers(2, 5))
    setup = [*np.repeat(np.arange(setups), pulls), 0, 0, *np.repeat(np.arange(setups - 1), 2)]
    layout = Layout.of(setup, [0] * (setups * pulls + 2) + [1] * (2 * (setups - 1)))
    worth = 0.01 * dice.normal(size=setups)
    logs = 5 + worth[layout.setup] + dice.normal(0, 0.004, len(setup)) - 0.001 * layout.place
    return np.exp(logs), layout


class WithoutEachTest(unittest.TestCase):
    def test_it_is_the_fit_of_the_others(self):
        dice = np.random.default_rng(6)
        for history in (NO_SETTLING, replace(NO_SETTLING, known=True, weight=12.0), replace(NO_SETTLING, weight=0.0)):
            scores, layout = days(dice)
            fitted = fit(scores, layout, history)
            found = without_each(fitted, scores, range(layout.setups))
            self.assertTrue(found.known.all())
            for pull in range(len(scores)):
                others = fit(np.delete(scores, pull), layout.without(pull), history)
                gaps = found.log_mean[:, pull] - found.log_mean[0, pull]
                np.testing.assert_allclose(gaps, others.log_mean - others.log_mean[0], atol=1e-10)
                best = int(others.log_mean.argmax())
                self.assertEqual(found.best[pull], best)
                above = others.chances(np.full(layout.setups, best), np.arange(layout.setups))
                rest = np.arange(layout.setups) != best
                np.testing.assert_allclose(found.above[rest, pull], above[rest], atol=1e-8)

    def test_a_pull_that_scatters_beyond_the_history_brings_it_back_once_it_is_excluded(self):
        scores = np.array([100.0, 100.1, 100.05, 104.0, 100.2, 100.25, 100.15, 100.22])
        layout = Layout.of([0, 0, 0, 0, 1, 1, 1, 1])
        fitted = fit(scores, layout, NO_SETTLING)
        self.assertFalse(fitted.trusts_history)
        found = without_each(fitted, scores, [0, 1])
        others = fit(np.delete(scores, 3), layout.without(3), NO_SETTLING)
        self.assertTrue(others.trusts_history)
        self.assertAlmostEqual(found.above[0, 3], float(others.chances(np.array([1]), np.array([0]))[0]), 8)

    def test_leaders_are_those_of_the_others(self):
        dice = np.random.default_rng(7)
        called = 0
        for _ in range(6):
            scores, layout = days(dice)
            fitted = fit(scores, layout, NO_SETTLING)
            for out in ((), (1,)):
                for pull, found in enumerate(leaders_without_each(fitted, scores, 0, 0.003, out)):
                    others = fit(np.delete(scores, pull), layout.without(pull), NO_SETTLING)
                    best, level = leaders(others, 0, 0.003, out)
                    self.assertEqual(found, (best, tuple(sorted(level))))
                    called += len(level) == 1
        self.assertGreater(called, 10)

    def test_parts_that_were_off_between_two_pulls_stay_so_without_the_pull_between(self):
        """A, B, A: without B the last pull still is the first after a change."""
        layout = Layout.of([0, 0, 1, 0, 1, 1])
        scores = np.array([100.0, 100.1, 101.0, 100.6, 101.1, 101.2])
        settling = History(drift=replace(DriftPrior(), settling_sd=0.02))
        found = without_each(fit(scores, layout, settling), scores, [0, 1])
        merged = fit(np.delete(scores, 2), layout.without(2), settling)
        self.assertEqual(layout.without(2).since_change()[2], 3)
        self.assertGreater(
            abs(found.log_mean[0, 2] - found.log_mean[1, 2] - merged.log_mean[0] + merged.log_mean[1]), 1e-4
        )

    def test_what_the_others_do_not_say_is_said_to_be_unknown(self):
        """The last pull of A is the only link between two days, and D has a single pull."""
        layout = Layout.of([0, 0, 1, 0, 2, 2, 3], [0, 0, 0, 1, 1, 1, 1])
        scores = np.array([100.0, 100.1, 101.0, 100.2, 102.0, 102.1, 99.0])
        found = without_each(fit(scores, layout), scores, range(4))
        self.assertEqual(found.known.tolist(), [True, True, False, False, True, True, False])
        self.assertTrue(np.isfinite(found.above[:, found.known]).all())
        self.assertIsNone(list(leaders_without_each(fit(scores, layout), scores, 0))[3])

    def test_one_repeat_and_nothing_known_before_says_nothing_without_it(self):
        layout = Layout.of([0, 0, 1])
        scores = np.array([100.0, 100.1, 101.0])
        self.assertFalse(without_each(fit(scores, layout, NO_SETTLING), scores, [0, 1]).known.any())
        with self.assertRaises(NotEnoughPulls):
            fit(scores[1:], layout.without(0), NO_SETTLING)

    def test_curves_and_readings_are_refused(self):
        layout = Layout.of([0, 0, 1, 1])
        with self.assertRaises(ValueError):
            without_each(fit(np.ones((4, 3)), layout, USUAL), np.ones((4, 3)), [0])
        dice = np.random.default_rng(8)
        accounted = replace(Layout.of([0] * 6 + [1] * 6), covariates=dice.normal(size=(12, 1)))
        scores = np.exp(dice.normal(0, 0.01, 12))
        with self.assertRaises(ValueError):
            without_each(fit(scores, accounted), scores, [0])
