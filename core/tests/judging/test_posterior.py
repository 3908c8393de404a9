"""The mixture against an independent mixed-model fit, against a dense grid worked out by hand, and against dice."""

import numpy as np
import pandas as pd
import statsmodels.formula.api as smf
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from scipy import stats
from torvix_core.judging.design_matrix import Layout, model_of
from torvix_core.judging.drift import NO_DRIFT, SIZES, DriftPrior
from torvix_core.judging.effects import USUAL, History, fit
from torvix_core.judging.posterior import chance_below, quantile


class AgainstAMixedModel(SimpleTestCase):
    def test_setups_as_statsmodels_has_them(self):
        """statsmodels 0.15.0, MixedLM with a random slope for each of 24 sessions, fitted by REML. Its variances are
        put into ours: setups, their errors and the slopes of the sessions must come out the same."""
        dice = np.random.default_rng(3)
        setup = np.tile([0, 0, 1, 1, 2, 2, 0], 24)
        session, place = np.repeat(np.arange(24), 7), np.tile(np.arange(7.0), 24)
        slopes = dice.normal(0, 0.003, 24)
        logs = 0.004 * setup + slopes[session] * (place - 3) + 0.01 * (session % 3) + dice.normal(0, 0.003, len(setup))
        table = pd.DataFrame({"logs": 100 * logs, "setup": setup, "session": session, "clock": place - 3})
        model = smf.mixedlm("logs ~ C(setup) + C(session)", table, groups="session", re_formula="0 + clock")
        theirs = model.fit(reml=True)
        sigma, tau = np.sqrt(theirs.scale) / 100, np.sqrt(float(theirs.cov_re.iloc[0, 0])) / 100
        layout = Layout.of(setup, session, place)
        ours = model_of(layout, DriftPrior(engine_sd=0.0, day_sd=tau, curve_sd=0.0, settling_sd=0.0))
        seen = (ours.directions @ logs) / (sigma**2 + ours.spread)
        found = ours.weights @ logs - ours.shift @ seen
        for other in (1, 2):
            name = f"C(setup)[T.{other}]"
            assert_allclose(100 * (found[other] - found[0]), theirs.fe_params[name], rtol=2e-4)
        wanted = [float(theirs.random_effects[one].iloc[0]) for one in range(24)]
        assert_allclose(100 * (ours.slopes @ seen), wanted, atol=2e-3 * np.abs(wanted).max())


class AgainstADenseGrid(SimpleTestCase):
    def test_interval_and_chance_as_written_out(self):
        """AAABBB: the restricted likelihood of every scatter and size of drift on a fine grid, matrix by matrix."""
        layout, prior = Layout.of([0, 0, 0, 1, 1, 1]), DriftPrior(bent=0.0, settling_sd=0.0)
        logs = np.array([0.0, 0.004, -0.002, 0.012, 0.018, 0.011])
        columns = np.column_stack([layout.setup == 0, layout.setup == 1]).astype(float)
        clock, gap = layout.place - layout.place.mean(), np.array([-1.0, 1.0])
        weights, means, errors = [], [], []
        for sigma in np.exp(np.linspace(np.log(0.0004), np.log(0.08), 500)):
            belief = -3 * np.log(sigma) - 3 * 0.004**2 / (2 * sigma**2)  # scaled inverse chi square, by log(sigma)
            for size, often in SIZES:
                covariance = np.eye(6) * sigma**2 + np.outer(clock, clock) * size * 0.0035**2
                precision = np.linalg.inv(covariance)
                inside = columns.T @ precision @ columns
                known = np.linalg.inv(inside)
                worth = known @ columns.T @ precision @ logs
                rest = logs - columns @ worth
                likelihood = -0.5 * (np.linalg.slogdet(covariance)[1] + np.linalg.slogdet(inside)[1]
                                     + rest @ precision @ rest)  # fmt: skip
                weights.append(belief + likelihood + np.log(often))
                means.append(gap @ worth)
                errors.append(np.sqrt(gap @ known @ gap))
        weight = np.exp(np.array(weights) - max(weights))
        weight /= weight.sum()

        def below(value: float) -> float:
            return float(weight @ stats.norm.cdf(value, means, errors))

        found = fit(np.exp(logs), layout, History(drift=prior)).difference(1, 0)
        assert_allclose(below(float(np.log1p(found.low))), 0.025, atol=2e-4)
        assert_allclose(below(float(np.log1p(found.high))), 0.975, atol=2e-4)
        assert_allclose(1 - below(0.0), found.chance, atol=2e-4)
        assert_allclose(np.log1p(found.change), weight @ np.array(means), atol=2e-6)


class Mixtures(SimpleTestCase):
    def test_quantile_and_chance_undo_each_other(self):
        dice = np.random.default_rng(4)
        weight = dice.dirichlet(np.ones(6), 40).T
        mean, deviation = dice.normal(0, 1, (6, 40)), dice.uniform(0.01, 3, (6, 40))
        for share in (1e-5, 0.025, 0.5, 0.9, 0.99999):
            assert_allclose(chance_below(weight, mean, deviation, quantile(weight, mean, deviation, share)), share,
                            rtol=1e-6)  # fmt: skip

    def test_more_nodes_of_the_scatter_move_no_interval(self):
        """Twenty nodes against Student's t, which the mixture is where there is no drift: 4 to 40 degrees."""
        for pulls in (3, 6, 21):
            layout = Layout.of(np.repeat([0, 1], pulls))
            scores = np.exp(np.random.default_rng(pulls).normal(0, 0.004, 2 * pulls))
            plain = NO_DRIFT
            found = fit(scores, layout, History(weight=0.0, drift=plain))
            gap, free = found.log_mean[1] - found.log_mean[0], 2 * pulls - 2
            half = stats.t.ppf(0.975, free) * found.own_scatter * np.sqrt(2 / pulls)
            assert_allclose(np.log1p(found.difference(1, 0).high), gap + half, atol=1e-3 * half)

    def test_slopes_as_far_off_as_they_say(self):
        """4000 days whose slope is thrown by the prior: error over stated error has a variance of about one."""
        layout, dice = Layout.of([0, 0, 0, 1, 1, 1, 0, 0]), np.random.default_rng(6)
        true = dice.normal(0, USUAL.drift.sd, 4000)
        logs = layout.place[:, None] * true + dice.normal(0, 0.004, (8, 4000))
        found = fit(np.exp(logs), layout)
        off = (found.slopes[0] - true) / found.slope_errors[0]
        self.assertAlmostEqual(float((np.abs(off) < 1.96).mean()), 0.95, delta=0.025)
