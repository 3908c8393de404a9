"""A verdict in words: with its figures, never surer than they are."""

from dataclasses import replace

import numpy as np
from django.test import SimpleTestCase
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.difference import DifferenceState
from torvix_core.judging.drift import NO_DRIFT
from torvix_core.judging.effects import History, fit
from torvix_core.judging.lead_strip import Crossover, Lead
from torvix_core.judging.sentences import (
    Wording,
    choice_sentence,
    crossover_sentences,
    stretch_sentences,
    strip_sentence,
    sureness,
)
from torvix_core.judging.verdict import rank
from torvix_core.judging.win_probability import chances

NAMES = Wording(("A", "B", "C"), "N·m", 1.0)
SURE = History(drift=NO_DRIFT)


def headline(
    scores: list[float], setup: list[int], session: list[int] | None = None, out=(), wording: Wording = NAMES
) -> str:
    fitted = fit(np.array(scores), Layout.of(setup, session), SURE)
    sure = chances(fitted, 0, np.random.default_rng(1), out=out)
    return choice_sentence(rank(fitted, 0, sure=sure, out=out), 0, "For the hill climb", wording, out)


class Choosing(SimpleTestCase):
    def test_a_clear_winner_is_named_with_figure_and_certainty(self):
        sentence = headline([100, 100.2, 110, 110.2, 105, 105.2], [0, 0, 1, 1, 2, 2])
        self.assertRegex(
            sentence, r"^For the hill climb choose B: it makes 110\.1 N·m on average, 5\.0 ± \d\.\d more than C "
        )
        self.assertRegex(
            sentence,
            r"and 10\.0 ± \d\.\d more than A\. By these pulls it is more than 99 % sure to be the best of "
            r"A, B and C; fitting it anew is not counted\.$",
        )

    def test_setups_that_are_not_separated_and_may_differ_are_undecided(self):
        sentence = headline([100, 101, 110, 111, 110.5, 111.5], [0, 0, 1, 1, 2, 2])
        self.assertRegex(
            sentence,
            r"^For the hill climb it is undecided between B and C: C is probably the best "
            r"\(\d\d % sure\), it makes 0\.5 ± \d\.\d N·m more than B\. A is behind C\.$",
        )

    def test_equal_setups_are_no_reason_to_change(self):
        level = [100.0, 100.02] * 20
        self.assertEqual(
            headline(level, list(np.repeat([0, 1], 20))),
            "For the hill climb A and B are equal: they differ by less than 0.3 %, which does not matter. Nothing here "
            "is a reason to change from A.",
        )

    def test_a_wash_is_said_with_its_bound(self):
        self.assertRegex(
            headline([100, 100.4, 100.1, 100.5, 100.2, 100.3], [0, 0, 0, 1, 1, 1]),
            r"^For the hill climb A and B are a wash: they are not separated, and differ by at most 0\.\d %\.$",
        )

    def test_a_baseline_that_wins_is_left_alone(self):
        self.assertRegex(
            headline([110, 110.2, 100, 100.2], [0, 0, 1, 1]), "^For the hill climb leave it at A: it makes 110"
        )

    def test_one_setup_alone_is_not_a_comparison(self):
        self.assertIn("A makes 100.5 N·m on average; nothing to compare.", headline([100, 101], [0, 0]))

    def test_a_setup_of_another_day_is_told_not_ranked(self):
        sentence = headline([100, 100.2, 110, 110.2, 150, 150.2], [0, 0, 1, 1, 2, 2], [0, 0, 0, 0, 1, 1])
        self.assertIn("choose B", sentence)
        self.assertIn("C and A are not comparable: they were never run on one day", sentence)

    def test_what_may_not_be_chosen_is_not_chosen(self):
        sentence = headline([100, 100.2, 105, 105.2, 110, 110.2], [0, 0, 1, 1, 2, 2], out={2})
        self.assertRegex(
            sentence, "^For the hill climb choose B: it makes 105.1 N·m on average, 5.0 ± ... more than A. "
        )
        self.assertIn("the best of A and B;", sentence)

    def test_figures_are_told_in_the_unit_asked_for(self):
        pounds = Wording(("A", "B"), "lb-ft", 1.3558179483)
        self.assertIn(
            "it makes 81.2 lb-ft on average", headline([100, 100.2, 110, 110.2], [0, 0, 1, 1], wording=pounds)
        )
        peak = replace(pounds, kind="")
        self.assertIn("it makes 81.2 lb-ft,", headline([100, 100.2, 110, 110.2], [0, 0, 1, 1], wording=peak))

    def test_nothing_is_surer_than_99(self):
        self.assertEqual([sureness(chance) for chance in (0.5, 0.985, 0.9999)],
                         ["50 % sure", "98 % sure", "more than 99 % sure"])  # fmt: skip


class AlongTheSpeeds(SimpleTestCase):
    TOGETHER = Lead(4600, 5400, (1, 2), state=DifferenceState.SMALL, at_most=0.007)
    LEADS = (Lead(3000, 4600, (1,), 0, 11.0, 3.0), TOGETHER, Lead(5400, 6500, (2,), 1, 6.2, 2.0))

    def test_the_strip_in_one_sentence(self):
        self.assertEqual(
            strip_sentence(self.LEADS, NAMES),
            "B leads by 11.0 ± 3.0 N·m from 3000 to 4600 rpm, B and C together to 5400 rpm, C by 6.2 ± 2.0 N·m to "
            "6500 rpm.",
        )

    def test_one_stretch_says_how_its_leaders_stand(self):
        whole = Lead(3000, 6000, (0, 1), state=DifferenceState.EQUAL, at_most=0.002)
        self.assertEqual(strip_sentence((whole,), NAMES), "A and B lead together at every speed that was run: equal.")
        self.assertEqual(strip_sentence((), NAMES), "")

    def test_stretches_cover_the_whole_range_in_order(self):
        found = stretch_sentences(self.LEADS, NAMES)
        self.assertEqual(found[1], "From 4600 to 5400 rpm B and C lead: a wash within 0.7 %.")
        self.assertEqual(found[2], "From 5400 to 6500 rpm C leads B by 6.2 ± 2.0 N·m.")

    def test_a_threshold_has_bounds_or_says_that_it_has_none(self):
        found = crossover_sentences((Crossover(4650, 80, 0, 1), Crossover(6400, None, 1, 2)), NAMES, 2400, 6500)
        self.assertEqual(found[0], "Below 4650 ± 80 rpm A makes more than B, above it B; seen from 2400 to 6500 rpm.")
        self.assertIn("give or take more than was run", found[1])
