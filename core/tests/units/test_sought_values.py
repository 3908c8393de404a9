"""What is understood of a search by figures, and what is left to be looked for as words."""

import unittest

from torvix_core.units.sought_values import SoughtFigure, take_values

FIGURES = [
    SoughtFigure("runner_length", "Runner length", "length", "mm"),
    SoughtFigure("boost_target", "Boost target", "pressure", "psi"),
    SoughtFigure("intake_duration_050", "Intake duration at 0.050 in", "angle", "°"),
    SoughtFigure("exhaust_duration_050", "Exhaust duration at 0.050 in", "angle", "°"),
]


class TakeValuesTest(unittest.TestCase):
    def taken(self, text: str) -> tuple[str, list[tuple[str, dict]]]:
        rest, found = take_values(text, FIGURES)
        return rest, [(one.words, dict(one.bounds)) for one in found]

    def test_a_range_in_inches_is_what_it_is_by_definition_of_the_inch(self):
        """25.4 mm exactly (international yard and pound agreement, 1959)."""
        for written in (
            "runner length 10–14 in",
            "Runner length 10 to 14 in",
            "runner length 10 in - 14 in",
            "runner length 254-355.6",
        ):
            rest, ((_, bounds),) = self.taken(written)
            self.assertEqual(rest, "")
            self.assertAlmostEqual(bounds["runner_length"][0], 0.254)
            self.assertAlmostEqual(bounds["runner_length"][1], 0.3556)

    def test_a_bound_leaves_the_other_end_open(self):
        self.assertEqual(
            self.taken("six boost > 1 bar"), ("six", [("boost above 1 bar", {"boost_target": (1e5, None)})])
        )
        self.assertEqual(self.taken("boost at most 1 bar")[1], [("boost below 1 bar", {"boost_target": (None, 1e5)})])

    def test_a_single_value_finds_what_is_near(self):
        _, ((words, bounds),) = self.taken("runner length 300 mm")
        self.assertEqual(words, "runner length about 300 mm")
        self.assertLess(bounds["runner_length"][0], 0.3)
        self.assertGreater(bounds["runner_length"][1], 0.3)

    def test_a_word_of_several_labels_seeks_all_of_them(self):
        rest, ((_, bounds),) = self.taken("duration 224 - 236 by mats")
        self.assertEqual((rest, sorted(bounds)), ("by mats", ["exhaust_duration_050", "intake_duration_050"]))

    def test_a_unit_of_something_else_is_not_that_figure(self):
        self.assertEqual(self.taken("runner length 14 bar"), ("runner length 14 bar", []))

    def test_names_with_numbers_stay_words(self):
        for plain in ("cam 235", "manifold 3-4", "Cam 228 in", "1500 rpm", "rev 2", "duration 228", "", "  "):
            self.assertEqual(self.taken(plain), (" ".join(plain.split()), []))

    def test_several_figures_and_words_around_them(self):
        rest, found = self.taken("tall runner length at least 10 in boost below 0.8 bar six")
        self.assertEqual(rest, "tall six")
        self.assertEqual([words for words, _ in found], ["runner length above 10 in", "boost below 0.8 bar"])

    def test_a_range_that_falls_is_refused_in_words(self):
        with self.assertRaisesRegex(ValueError, "lower value first"):
            take_values("runner length 14-10 in", FIGURES)
