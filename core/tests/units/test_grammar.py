"""Numbers and their words: 0, 1, 2 and 5 of each."""

import unittest

from torvix_core.units.grammar import counted, listed, numbered, plural

COUNTS = (0, 1, 2, 5)


class Grammar(unittest.TestCase):
    def test_a_count_takes_the_form_of_its_noun(self):
        found = [counted(count, "setup") for count in COUNTS]
        self.assertEqual(found, ["no setups", "1 setup", "2 setups", "5 setups"])

    def test_nouns_that_do_not_just_take_an_s(self):
        for word, many in (("inch", "inches"), ("box", "boxes"), ("delivery", "deliveries"), ("day", "days"),
                           ("loss", "losses"), ("dyno", "dynos"), ("setup", "setups")):  # fmt: skip
            with self.subTest(word):
                self.assertEqual([plural(word, count) for count in COUNTS], [many, word, many, many])

    def test_a_verb_agrees(self):
        for word, many in (("is", "are"), ("was", "were"), ("does", "do"), ("has", "have"), ("it", "they")):
            with self.subTest(word):
                self.assertEqual([plural(word, count) for count in COUNTS], [many, word, many, many])

    def test_a_list_has_one_conjunction(self):
        names = ["A", "B", "C", "D", "E"]
        found = [listed(names[:count]) for count in COUNTS]
        self.assertEqual(found, ["", "A", "A and B", "A, B, C, D and E"])
        self.assertEqual(listed(names[:3], last="or"), "A, B or C")

    def test_numbers_follow_their_noun(self):
        found = [numbered("pull", range(1, count + 1)) for count in COUNTS[1:]]
        self.assertEqual(found, ["pull 1", "pulls 1 and 2", "pulls 1, 2, 3, 4 and 5"])
