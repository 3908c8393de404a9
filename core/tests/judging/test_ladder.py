"""Stepwise builds by hand."""

import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.drift import NO_DRIFT
from torvix_core.judging.effects import History, fit
from torvix_core.judging.ladder import climb

QUIET = History(0.0005, 20.0, NO_DRIFT, known=True)


def build(worth: list[float]):
    layout = Layout.of(np.repeat(np.arange(len(worth)), 3))
    noise = np.tile([0.0004, -0.0004, 0.0], len(worth))
    return fit(100 * np.exp(np.array(worth)[layout.setup] + noise), layout, QUIET)


class Climbing(SimpleTestCase):
    def test_gains_add_up_to_what_all_steps_bring_together(self):
        rungs = climb(build([0.0, 0.03, 0.05, 0.051]), [(1, 0), (2, 1), (3, 2)], 0)
        assert_allclose([np.log1p(rung.gain.change) for rung in rungs], [0.03, 0.02, 0.001], atol=1e-12)
        assert_allclose([np.log1p(rung.cumulative.change) for rung in rungs], [0.03, 0.05, 0.051], atol=1e-12)

    def test_a_step_that_brings_less_than_the_one_before_is_marked_where_it_is_sure(self):
        rungs = climb(build([0.0, 0.03, 0.04, 0.0501]), [(1, 0), (2, 1), (3, 2)], 0)
        self.assertEqual([rung.smaller for rung in rungs], [False, True, False])

    def test_a_build_may_branch(self):
        rungs = climb(build([0.0, 0.03, 0.05]), [(1, 0), (2, 0)], 0)
        assert_allclose(np.log1p(rungs[1].gain.change), 0.05, atol=1e-12)
        self.assertFalse(rungs[1].smaller)

    def test_steps_of_days_that_nothing_links_have_no_gain(self):
        effects = fit(np.array([100.0, 100.1, 105, 105.1]), Layout.of([0, 0, 1, 1], [0, 0, 1, 1]), QUIET)
        (rung,) = climb(effects, [(1, 0)], 0)
        self.assertEqual((rung.gain, rung.cumulative), (None, None))
