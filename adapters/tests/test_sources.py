"""What each standard says, read: registers in every order, lines with gaps, payloads, frames; wrong maps by name."""

import math
import unittest
from typing import Any

from adapters import stand_map
from adapters.sources.text import TextLines
from adapters.stand_map import Channel, TextSource


def row(**facts: Any) -> Channel:
    return Channel.model_validate({"name": "torque", "unit": "N·m", **facts})


class Lines(unittest.TestCase):
    def lines(self, *fields: str, **facts: Any) -> TextLines:
        of = TextSource.model_validate({"host": "192.0.2.1", "port": 7000, **facts})
        return TextLines(of, {at: row(name=f"c{at}", field=field) for at, field in enumerate(fields)})

    def test_by_place_and_what_is_no_number_is_missing(self):
        found = self.lines("1", "3").read("3000; x;  --\r\n".replace(";", ","), 5.0)
        assert found
        self.assertEqual((found[0][0], math.isnan(found[0][1]), found[1]), (3000.0, True, 5.0))

    def test_under_names_in_whatever_order_and_again_when_they_change(self):
        lines = self.lines("RPM", "Torque")
        self.assertIsNone(lines.read("1,2,3", 1.0), "no names were heard yet")
        self.assertIsNone(lines.read("Torque,Oil,RPM", 1.0))
        self.assertEqual(lines.read("305,90,3000", 1.0), ({0: 3000.0, 1: 305.0}, 1.0))
        lines.read("RPM,Torque", 2.0)
        self.assertEqual(lines.read("3010,306", 2.0), ({0: 3010.0, 1: 306.0}, 2.0))

    def test_a_decimal_comma_and_any_white_space(self):
        lines = self.lines("1", "2", separator="", decimal=",")
        self.assertEqual(lines.read("  3000,5\t 305,25 ", 1.0), ({0: 3000.5, 1: 305.25}, 1.0))

    def test_half_a_line_is_passed_over_as_its_last_number_may_be_half_too(self):
        self.assertIsNone(self.lines("1", "2", "3").read("3000,30", 1.0))
        lines = self.lines("RPM")
        lines.read("Torque,Oil,RPM", 1.0)
        self.assertIsNone(lines.read("305,90", 1.0))
        self.assertIsNone(self.lines("1").read("", 1.0))

    def test_its_own_time_is_brought_to_ours(self):
        lines = self.lines("2", time="1")
        times = [lines.read(f"{sent},3000", arrived) for sent, arrived in ((100.0, 7.0), (100.01, 7.3), (100.02, 7.02))]
        self.assertEqual([round(one[1], 3) for one in times if one], [7.0, 7.01, 7.02])


class WhatCannotBe(unittest.TestCase):
    def test_a_float_over_the_range_of_the_map_is_refused_where_it_stands(self):
        with self.assertRaises(stand_map.MapProblem):
            stand_map.read('stand = "S"\nrate_hz = inf\nsources = []\nchannels = []\n')
