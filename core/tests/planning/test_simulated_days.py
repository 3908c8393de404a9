"""Simulated days against theory where there is theory: the t test's error rate and power, and a drift by hand."""

import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from torvix_core.judging import repeats
from torvix_core.judging.drift import NO_DRIFT
from torvix_core.judging.effects import History, NotEnoughPulls
from torvix_core.planning import simulated_days
from torvix_core.planning.simulated_days import Habits, Tally, lay_out

from standin.stand import PULL_DRIFT, PULL_SCATTER, WARM, Stand

QUIET = Habits(scatter=0.004, drift_per_pull=0.0, cold_part=0.0)
DAYS = 20_000
ALONE = History(weight=0.0, drift=NO_DRIFT)  # these pulls alone, as theory has it


def run(plan, effects, habits=QUIET, days=DAYS, smallest=0.0, seed=7) -> Tally:
    read = simulated_days.scores(plan, np.array(effects), habits, days, np.random.default_rng(seed))
    return simulated_days.judge(plan, read, smallest, ALONE)


class AgainstTheory(SimpleTestCase):
    def test_two_equal_setups_are_called_different_in_one_of_twenty_days(self):
        """A two-sided 95 % t test; four standard errors of a share of 20 000 days."""
        for pulls in (2, 3, 5):
            with self.subTest(pulls=pulls):
                tally = run(lay_out([(0, 0, pulls), (1, 0, pulls)], 240.0, 0), [0.0, 0.0])
                assert_allclose(tally.winner.sum() / DAYS, 0.05, atol=4 * np.sqrt(0.05 * 0.95 / DAYS))

    def test_a_difference_is_found_as_often_as_the_noncentral_t_says(self):
        """`repeats.power` is itself checked against a reference library."""
        for pulls, gain in ((2, 0.01), (3, 0.01), (4, 0.006)):
            with self.subTest(pulls=pulls, gain=gain):
                tally = run(lay_out([(0, 0, pulls), (1, 0, pulls)], 240.0, 0), [0.0, gain])
                expected = float(repeats.power(repeats.there_and_back(pulls, 0), gain, ALONE))
                # The chance of calling the wrong way is below a thousandth here.
                assert_allclose(tally.winner[1] / DAYS, expected, atol=0.001 + 4 * np.sqrt(0.25 / DAYS))

    def test_scatter_of_refitting_is_named_a_difference_that_is_not_there(self):
        """One fitting each: pulls agree among themselves, the fittings do not. No number of pulls shows it."""
        tally = run(lay_out([(0, 0, 6), (1, 0, 6)], 240.0, 0), [0.0, 0.0],
                    Habits(scatter=0.001, drift_per_pull=0, cold_part=0, refit_scatter=0.004))  # fmt: skip
        self.assertGreater(tally.winner.sum() / DAYS, 0.5)


class TheEnginesHabits(SimpleTestCase):
    def test_drift_by_hand(self):
        """A is pulled at 0, 1 and 4, B at 2 and 3: with the return both stand at 5/3 and 5/2 pulls of drift."""
        plan = lay_out([(0, 0, 2), (1, 0, 2), (0, 0, 1)], 240.0, 0)
        habits = Habits(scatter=0.0, drift_per_pull=-0.001, cold_part=0.0)
        read = simulated_days.scores(plan, np.zeros(2), habits, 1, np.random.default_rng(1))[:, 0]
        assert_allclose(read, 1 - 0.001 * np.arange(5), rtol=1e-12)
        gap = read[plan.setup == 1].mean() - read[plan.setup == 0].mean()
        assert_allclose(gap, -0.001 * (5 / 2 - 5 / 3), rtol=1e-9)

    def test_returns_to_the_baseline_make_fewer_wrong_calls_when_the_engine_drifts(self):
        order = [(0, 0, 2), (1, 0, 3), (2, 0, 3), (0, 0, 2)]
        habits = Habits(scatter=0.002, drift_per_pull=-0.0008, cold_part=0.0)
        shares = []
        for returns in (True, False):
            tally = run(lay_out(order, 240.0, 1, returns=returns), [0.0, 0.0, 0.0], habits, smallest=0.003)
            shares.append(simulated_days.odds(tally, np.zeros(3)).wrong)
        self.assertLess(shares[0], shares[1])

    def test_a_part_from_the_cold_bench_flatters_unless_a_pull_is_spent_on_it(self):
        habits = Habits(scatter=0.0, drift_per_pull=0.0)
        first, conditioned = (
            simulated_days.scores(lay_out([(0, 0, 1)], 240.0, spent), np.zeros(1), habits, 1, np.random.default_rng(1))
            for spent in (0, 1)
        )
        assert_allclose(first[0, 0], 1.009)
        assert_allclose(conditioned[0, 0], 1 + 0.009 * np.exp(-240 / 190), rtol=1e-12)

    def test_drift_begins_anew_with_a_session(self):
        plan = lay_out([(0, 0, 2), (0, 1, 2)], 240.0, 0)
        habits = Habits(scatter=0.0, drift_per_pull=-0.001, cold_part=0.0)
        read = simulated_days.scores(plan, np.zeros(1), habits, 1, np.random.default_rng(1))[:, 0]
        assert_allclose(read, [1, 0.999, 1, 0.999])


class TheSimulatedStand(SimpleTestCase):
    """Days simulated before they are paid for have the habits of the stand that ships with the application."""

    def test_the_habits_are_those_of_the_stand(self):
        habits = Habits()
        self.assertEqual((habits.scatter, habits.drift_per_pull, habits.soak_s),
                         (PULL_SCATTER, PULL_DRIFT, WARM["manifold"][1]))  # fmt: skip
        self.assertEqual(habits.refit_scatter, 0.0)  # that stand fits a part the same way every time
        cold, soaked = (Stand().truth([4200], skin=skin)[0] for skin in (21, WARM["manifold"][0]))
        # Torque at the flywheel moves a little more than the charge, as friction does not shrink with it.
        self.assertAlmostEqual(cold / soaked - 1, habits.cold_part, delta=0.0025)


class Judging(SimpleTestCase):
    def test_without_a_repeated_pull_there_is_no_verdict(self):
        plan = lay_out([(0, 0, 1), (1, 0, 1)], 240.0, 0)
        with self.assertRaises(NotEnoughPulls):
            simulated_days.judge(plan, np.ones((2, 5)))

    def test_outcomes_against_the_truth(self):
        tally = Tally(100, np.array([5, 60, 10]), 25, np.zeros(3, int), np.zeros(3, int))
        clear = simulated_days.odds(tally, np.array([0.0, 0.02, 0.01]))
        assert_allclose((clear.right, clear.nobody, clear.wrong), (0.6, 0.25, 0.15))
        self.assertFalse(clear.truth_is_equal)
        close = simulated_days.odds(tally, np.array([0.0, 0.02, 0.019]))
        assert_allclose((close.right, close.nobody, close.wrong), (0.25, 0.25, 0.75))
        self.assertTrue(close.truth_is_equal)

    def test_tallies_of_pieces_add_up(self):
        plan = lay_out([(0, 0, 2), (1, 0, 2)], 240.0, 0)
        whole = run(plan, [0, 0.01], days=500) + run(plan, [0, 0.01], days=300, seed=8)
        self.assertEqual(whole.days, 800)
        self.assertEqual(whole.winner.sum() + whole.nobody, 800)

    def test_effects_of_too_few_setups_are_refused(self):
        with self.assertRaisesMessage(ValueError, "effects are of 1 setups, the plan has 2"):
            run(lay_out([(0, 0, 2), (1, 0, 2)], 240.0, 0), [0.0], days=1)
        with self.assertRaisesMessage(ValueError, "no pull"):
            lay_out([], 240.0, 0)
