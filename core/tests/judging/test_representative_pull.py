"""The pull that stands for a setup: by hand, and its variance against a published table."""

import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.drift import NO_DRIFT, DriftPrior
from torvix_core.judging.effects import History, fit
from torvix_core.judging.representative_pull import School, stand_for, standing_rows, variance_of

LAYOUT = Layout.of([0, 0, 0, 1, 1, 1])
PLAIN = History(drift=NO_DRIFT)
SCORES = np.array([100.0, 103, 101, 110, 104, 107])


class OrderStatistics(SimpleTestCase):
    # Variances of normal order statistics: Teichroew, Ann. Math. Statist. 27 (1956), tables II [mem]
    LARGEST = ((2, 0.6817), (3, 0.5595), (4, 0.4917), (5, 0.4475), (10, 0.3443))
    MEDIAN = ((2, 0.5), (3, 0.4487), (4, 0.2982), (5, 0.2868))

    def test_the_published_tables(self):
        for school, table in ((School.BEST, self.LARGEST), (School.MEDIAN, self.MEDIAN)):
            for pulls, printed in table:
                with self.subTest(school=school, pulls=pulls):
                    assert_allclose(variance_of(school, pulls), printed, rtol=0, atol=0.00006)

    def test_mean_and_last(self):
        self.assertEqual((variance_of(School.MEAN, 4), variance_of(School.LAST, 4)), (0.25, 1.0))


class Standing(SimpleTestCase):
    def test_by_hand(self):
        fitted = fit(SCORES, LAYOUT, PLAIN)
        for school, wanted in ((School.MEDIAN, [101, 107]), (School.BEST, [103, 110]), (School.LAST, [101, 107])):
            with self.subTest(school=school):
                assert_allclose(stand_for(fitted, school).mean, wanted)
        self.assertIs(stand_for(fitted, School.MEAN), fitted)

    def test_a_single_pull_is_less_sure_than_the_mean(self):
        fitted = fit(SCORES, LAYOUT, PLAIN)
        widths = [
            float(stand_for(fitted, school).difference(1, 0).half_width)
            for school in (School.MEAN, School.MEDIAN, School.LAST)
        ]
        self.assertEqual(widths, sorted(widths))

    def test_of_a_curve_the_best_pull_is_one_pull_not_the_best_of_every_bin(self):
        curves = np.array([[100.0, 110], [104, 104], [100, 100], [100, 100]])
        layout = Layout.of([0, 0, 1, 1])
        by = fit(curves.mean(axis=1), layout, PLAIN)
        self.assertEqual(standing_rows(by, School.BEST).tolist()[0], 0)
        assert_allclose(stand_for(fit(curves, layout, PLAIN), School.BEST, by).mean[0], [100, 110])

    def test_drift_is_out_before_the_best_is_looked_for(self):
        """Each pull costs 1 %: the first pull of A is the highest reading and nothing better than the others."""
        layout = Layout.of([0, 0, 1, 1, 0])
        astray = History(drift=DriftPrior(day_sd=0.02))
        scores = 100 * np.exp(-0.01 * layout.place + [0, 0.002, 0, 0, 0])
        self.assertEqual(standing_rows(fit(scores, layout, astray), School.BEST).tolist()[0], 1)
