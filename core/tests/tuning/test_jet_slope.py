"""Slopes of the mixture over jet area: by hand, against a regression of statsmodels, and on hidden carburetors."""

import numpy as np
import statsmodels.api as sm
from django.test import SimpleTestCase
from torvix_core.tuning import jet_slope
from torvix_core.tuning.jet_slope import CARBURETOR_SD, POSITION_SD, USUAL_SLOPE, JetChange, area_shares, learn

BOTH = ("primary", "secondary")
STOICHIOMETRIC = 14.7  # [prac], gasoline
COVERED = (0.90, 0.98)


def areas(primary: float, secondary: float) -> dict[str, float]:
    return {"primary": primary**2, "secondary": secondary**2}


def hidden(dice: np.random.Generator) -> np.ndarray:
    """Slopes of a carburetor that nobody knows: round half of the area rule, now and then the rule itself."""
    own = 1.0 if dice.random() < 0.1 else dice.normal(0.5, 0.15)
    return own + dice.normal(0, 0.1, 2)


class ByHand(SimpleTestCase):
    def test_the_area_rule_of_a_known_change(self):
        """Common practice, no source: 87 and 77 to 82 and 72, read about 11.65 before, by area 13.2 to 13.4 after."""
        shares = area_shares(areas(77, 87), areas(72, 82), BOTH)
        self.assertAlmostEqual(11.65 * float(np.exp(-shares.sum())), 13.2, delta=0.1)

    def test_half_to_two_thirds_of_it_come_before_anything_was_learned(self):
        """Common practice, no source: 11.6 became 12.6 to 12.7 where the rule said 13.1 to 13.3."""
        shift = learn([], "new", BOTH).shift(areas(77.5, 87), areas(71, 82))
        low, high = shift.bounds()
        self.assertTrue(low < np.log(12.65 / 11.6) < high)
        self.assertAlmostEqual(11.6 * float(np.exp(shift.expected)), 12.65, delta=0.15)

    def test_one_number_is_about_a_fifth_of_a_point(self):
        """Common practice, no source: 0.2 of an air-fuel ratio a number; two numbers richer 0.3 to 0.5."""
        slope = learn([], "new", BOTH)
        one = 12.6 * (np.exp(slope.shift(areas(80, 80), areas(79, 79)).expected) - 1)
        two = 12.6 * (1 - np.exp(slope.shift(areas(80, 80), areas(82, 82)).expected))
        self.assertAlmostEqual(one, 0.2, delta=0.05)
        self.assertTrue(0.3 <= two <= 0.5)

    def test_what_cannot_be_used_is_named(self):
        with self.assertRaisesRegex(ValueError, "secondary: not in both"):
            area_shares({"primary": 1.0}, areas(72, 82), BOTH)
        with self.assertRaisesRegex(ValueError, "primary"):
            area_shares(areas(0, 82), areas(72, 82), BOTH)


class AgainstStatsmodels(SimpleTestCase):
    def test_with_one_shop_slope_and_light_tails_it_is_mixed_estimation(self):
        """Theil and Goldberger 1961 [mem]: the prior as further observations of a weighted least squares."""
        dice = np.random.default_rng(7)
        steps = [(77, 87, 75, 87), (75, 87, 75, 84), (75, 84, 72, 82), (72, 82, 74, 82)]
        changes = [JetChange("c", areas(a, b), areas(c, d), float(dice.normal(0.03, 0.02)), 0.004)
                   for a, b, c, d in steps]  # fmt: skip
        mean, covariance = (found[0, 0] for found in jet_slope._fitted(
            changes, BOTH, np.array([USUAL_SLOPE]), np.ones(1))[1:])  # fmt: skip
        prior = CARBURETOR_SD**2 * np.ones((2, 2)) + POSITION_SD**2 * np.eye(2)
        root = np.linalg.inv(np.linalg.cholesky(prior))
        shares = np.array([area_shares(one.before, one.after, BOTH) for one in changes])
        rows = np.vstack([-shares / 0.004, root])
        seen = np.concatenate([[one.moved / 0.004 for one in changes], root @ np.full(2, USUAL_SLOPE)])
        reference = sm.OLS(seen, rows).fit(cov_type="fixed scale")
        np.testing.assert_allclose(mean, reference.params, rtol=1e-9)
        np.testing.assert_allclose(covariance, reference.normalized_cov_params, rtol=1e-9)


class Learning(SimpleTestCase):
    def test_positions_that_always_moved_together_are_said_to_be_not_separable(self):
        both = JetChange("c", areas(77, 87), areas(72, 82), 0.08, 0.004)
        one = JetChange("c", areas(77, 87), areas(72, 87), 0.03, 0.004)
        self.assertEqual(learn([both, both], "c", BOTH).together, BOTH)
        self.assertEqual(learn([both, one], "c", BOTH).together, ())
        self.assertEqual(learn([one], "c", BOTH).together, ())

    def test_other_carburetors_of_the_shop_teach_what_is_usual_and_one_odd_one_does_not_spoil_it(self):
        def by(name: str, slope: float) -> JetChange:
            moved = -slope * float(area_shares(areas(77, 87), areas(72, 82), BOTH).sum())
            return JetChange(name, areas(77, 87), areas(72, 82), moved, 0.003)

        shop = learn([by(f"c{number}", 0.7) for number in range(8)], "new", BOTH)
        self.assertTrue(0.6 < shop.slope("primary")[0] < 0.7)
        self.assertEqual((shop.own_cases, shop.shop_cases), (0, 8))
        odd = learn([*(by(f"c{number}", 0.5) for number in range(8)), by("odd", 1.6)], "new", BOTH)
        self.assertAlmostEqual(odd.slope("primary")[0], 0.52, delta=0.05)

    def test_twenty_hidden_carburetors_after_three_jet_changes(self):
        """Within 0.15 of an air-fuel ratio in 90 % of cases; intervals hold 90 to 98 %; the prior alone beside it."""
        dice, noise, off, alone, inside = np.random.default_rng(11), 0.003, [], [], []
        for shop in range(10):
            changes: list[JetChange] = []
            for name in (f"{shop}/{number}" for number in range(20)):
                true, jets, ratio = hidden(dice), np.array([80.0, 86.0]), 12.0
                for case in range(4):
                    after = jets + dice.integers(-4, 5, 2)
                    before_areas, after_areas = areas(*jets), areas(*after)
                    moved = -float(area_shares(before_areas, after_areas, BOTH) @ true)
                    read = moved + dice.normal(0, noise * 2**0.5)
                    if case == 3:
                        shift = learn(changes, name, BOTH).shift(before_areas, after_areas, noise * 2**0.5)
                        off.append(abs(ratio * (np.exp(shift.expected) - np.exp(read))))
                        prior = learn([], name, BOTH).shift(before_areas, after_areas)
                        alone.append(abs(ratio * (np.exp(prior.expected) - np.exp(read))))
                        low, high = shift.bounds()
                        inside.append(low <= read <= high)
                    else:
                        changes.append(JetChange(name, before_areas, after_areas, read, noise * 2**0.5))
                        jets = after
        near, prior_near = (float(np.mean(np.array(each) <= 0.15)) for each in (off, alone))
        self.assertGreaterEqual(near, 0.90)
        self.assertLess(prior_near, near)
        self.assertTrue(COVERED[0] <= np.mean(inside) <= COVERED[1], np.mean(inside))
