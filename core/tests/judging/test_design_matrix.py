"""What a layout of pulls can tell: links between days, returns, and what drift may hide."""

from dataclasses import replace

import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from torvix_core.judging.design_matrix import Layout, groups, model_of
from torvix_core.judging.drift import NO_DRIFT, SETTLING_PULLS, DriftPrior
from torvix_core.judging.effects import History, fit
from torvix_core.judging.repeats import variance_of_gap

USUAL = DriftPrior()


class Links(SimpleTestCase):
    def test_setups_are_linked_through_others(self):
        layout = Layout.of([0, 1, 1, 2, 2, 3, 4], [0, 0, 1, 1, 2, 2, 3])
        self.assertEqual(groups(layout).tolist(), [0, 0, 0, 0, 1])

    def test_every_comparison_inside_a_group_is_free_of_days(self):
        """Weights that add up to nought over each session."""
        layout = Layout.of([0, 1, 0, 0, 2, 0, 2, 1, 3, 1, 1], [0, 0, 0, 0, 1, 1, 1, 2, 2, 2, 2])
        model = model_of(layout, USUAL)
        for setup in (1, 2, 3):
            contrast = model.weights[setup] - model.weights[0]
            for session in range(3):
                assert_allclose(contrast[layout.session == session].sum(), 0.0, atol=1e-12)


class Turned(SimpleTestCase):
    """The turned form against the covariance matrix of the pulls written out, by Searle, Casella and McCulloch."""

    LAYOUT = Layout.of([0, 0, 1, 1, 0, 2, 2, 0, 1], [0, 0, 0, 0, 0, 1, 1, 1, 1], [1, 2, 4, 5, 7, 0, 1, 3, 5])

    def test_means_and_variances_are_those_of_generalized_least_squares(self):
        layout, sigma = self.LAYOUT, 0.003
        for bent in (False, True):
            model = model_of(layout, USUAL, bent)
            day = layout.session == 1
            columns = np.column_stack([*(layout.setup == setup for setup in range(3)), day]).astype(float)
            covariance = np.eye(9) * sigma**2 + np.outer(model.clock, model.clock) * USUAL.engine_sd**2
            settling = np.exp(-layout.since_change() / SETTLING_PULLS)
            covariance += np.outer(settling, settling) * USUAL.settling_sd**2
            for inside in (~day, day):
                line = np.where(inside, model.clock, 0.0)
                covariance += np.outer(line, line) * USUAL.day_sd**2
                if bent:
                    warmed = np.log(layout.place + 1)
                    curve = np.where(inside, warmed - warmed[inside].mean(), 0.0)
                    covariance += np.outer(curve, curve) * USUAL.curve_sd**2
            precision = np.linalg.inv(covariance)
            known = np.linalg.inv(columns.T @ precision @ columns)
            logs = np.random.default_rng(1).normal(0, 0.01, 9)
            wanted = known @ columns.T @ precision @ logs
            seen = (model.directions @ logs) / (sigma**2 + model.spread)
            found = model.weights @ logs - model.shift @ seen
            assert_allclose(found[1] - found[0], wanted[1] - wanted[0], rtol=1e-9)
            assert_allclose(found[2] - found[0], wanted[2] - wanted[0], rtol=1e-9)
            gap = np.array([-1.0, 1.0, 0.0, 0.0])
            assert_allclose(variance_of_gap(model, 1, 0, sigma), gap @ known @ gap, rtol=1e-9)

    def test_what_is_scatter_alone_knows_no_drift(self):
        model = model_of(self.LAYOUT, replace(USUAL, settling_sd=0.0))
        drift = 0.002 * self.LAYOUT.place + np.where(self.LAYOUT.session == 1, 0.03, 0.0)
        assert_allclose(model.rest @ drift, 0.0, atol=1e-12)
        self.assertEqual(len(model.rest) + len(model.spread), 9 - 4)


class WhatDriftMayHide(SimpleTestCase):
    def gap(self, setups: list[int], place: list[float] | None = None, prior: DriftPrior = USUAL) -> float:
        return float(variance_of_gap(model_of(Layout.of(setups, place=place), prior), 1, 0, 0.003)) ** 0.5

    def test_pulls_that_do_not_count_still_move_the_clock(self):
        self.assertLess(self.gap([0, 0, 1, 1]), self.gap([0, 0, 1, 1], [0, 1, 5, 6]))

    def test_a_return_shows_it_and_turns_are_best(self):
        there, back, turns = self.gap([0, 0, 0, 1, 1, 1]), self.gap([0, 0, 1, 1, 1, 0]), self.gap([0, 1, 0, 1, 0, 1])
        self.assertGreater(there, 1.5 * back)
        self.assertGreater(there, 1.5 * turns)

    def test_without_drift_only_the_numbers_count(self):
        plain = [self.gap(setups, prior=NO_DRIFT) for setups in ([0, 0, 1, 1], [0, 1, 0, 1])]
        assert_allclose(plain, 0.003)

    def test_where_no_pull_repeats_another_nothing_tells_the_scatter(self):
        self.assertEqual(model_of(Layout.of([0, 1, 2]), USUAL).degrees_of_freedom, 0)


class Settling(SimpleTestCase):
    def test_pulls_since_the_parts_were_fitted_count_those_that_do_not_count(self):
        layout = Layout.of([0, 0, 1, 1, 0, 1], [0, 0, 0, 0, 0, 1], [1, 2, 4, 5, 7, 0])
        self.assertEqual(layout.since_change().tolist(), [1, 2, 1, 2, 1, 0])

    def test_what_a_change_leaves_in_the_first_pulls_is_no_drift(self):
        """Each setup reads 0.5 % high at first and settles; taken for drift, B would look 0.8 % better than it is."""
        layout = Layout.of([0, 0, 0, 1, 1, 1])
        logs = 0.005 * np.exp(-layout.since_change() / SETTLING_PULLS)
        with_it, without = (fit(np.exp(logs), layout, History(scatter=0.001, drift=replace(USUAL, settling_sd=sd)))
                            for sd in (0.004, 0.0))  # fmt: skip
        self.assertLess(abs(float(with_it.difference(1, 0).change)), 0.5 * abs(float(without.difference(1, 0).change)))


class Readings(SimpleTestCase):
    def test_too_few_pulls_leave_readings_alone(self):
        few = Layout.of(np.repeat([0, 1], 3))
        oil = np.array([[1.0], [2], [4], [3], [1], [2]])
        model = model_of(Layout(few.setup, few.session, few.place, oil), NO_DRIFT)
        self.assertEqual(len(model.influence), 0)

    def test_leaving_a_pull_out_keeps_the_places_of_the_others(self):
        left = Layout.of([0, 0, 1]).without(1)
        self.assertEqual((left.setup.tolist(), left.place.tolist()), ([0, 1], [0.0, 2.0]))
