"""Claims in words. A horsepower is 745.69987 W and a pound-foot 1.355818 N·m: NIST SP 811, appendix B.8 [std, mem]."""

from django.test import SimpleTestCase
from torvix_core.planning.claim import ClaimedThing, ClaimState, ClaimUnclear, check_claim, read_claim
from torvix_core.units.speed_region import SpeedRegion

HP, LB_FT = 745.69987, 1.355818
POWER, TORQUE = ClaimedThing.POWER, ClaimedThing.TORQUE


class Reading(SimpleTestCase):
    def test_gains_and_readings_as_people_say_them(self):
        for text, value, thing, is_gain, region in (
            ("12 hp from the spacer", 12 * HP, POWER, True, None),
            ("picked up 12 horsepower", 12 * HP, POWER, True, None),
            ("+7 lb-ft above 5500", 7 * LB_FT, TORQUE, True, SpeedRegion(5500, None)),
            ("lost 3 % below 3500", -0.03, None, True, SpeedRegion(None, 3500)),
            ("5 % more power", 0.05, POWER, True, None),
            ("−4 hp at 3000", -4 * HP, POWER, True, SpeedRegion(3000, 3000)),
            ("made 430 hp from the short runner", 430 * HP, POWER, False, None),
            ("B makes 12 hp more", 12 * HP, POWER, True, None),
            ("430 hp at 5800", 430 * HP, POWER, False, SpeedRegion(5800, 5800)),
            ("made 401.5 pound-feet", 401.5 * LB_FT, TORQUE, False, None),
            ("made 1,050 hp", 1050 * HP, POWER, False, None),
            ("B averages 380,5 N·m from 3000 to 5000", 380.5, TORQUE, False, SpeedRegion(3000, 5000)),
        ):
            with self.subTest(text=text):
                found = read_claim(text)
                self.assertAlmostEqual(found.value, value, places=1 if abs(value) > 10 else 6)
                self.assertEqual((found.thing, found.is_gain, found.region), (thing, is_gain, region))

    def test_a_figure_without_a_unit_waits_for_one(self):
        found = read_claim("430 at 5800")
        self.assertEqual((found.value, found.unit, found.thing), (430, "", None))
        as_power = found.as_thing(POWER, "hp")
        self.assertAlmostEqual(as_power.value, 430 * HP, places=1)
        self.assertAlmostEqual(as_power.half_step, 0.5 * HP, places=2)

    def test_whose_it_is_stays_in_the_rest(self):
        self.assertEqual(read_claim("12 hp at 5800 from the spacer").rest, "from the spacer")

    def test_a_decimal_says_how_finely_it_was_read(self):
        for text, half_step in (("12 hp up", 0.5), ("12.4 hp up", 0.05), ("12,45 hp up", 0.005)):
            self.assertAlmostEqual(read_claim(text).half_step / HP, half_step)

    def test_a_number_in_a_name_is_none_of_the_claim(self):
        for text, rest in (
            ("20 hp from manifold 1", "from manifold 1"),
            ("the 20 mm spacer adds 12 hp", "the 20 mm spacer adds"),
        ):
            with self.subTest(text=text):
                found = read_claim(text)
                self.assertEqual((found.unit, found.rest), ("hp", rest))

    def test_what_is_not_one_figure_is_refused(self):
        for text, message in (("it runs better", "a figure, such as"), ("12 hp and 15 lb-ft", "one figure at a time"),
                              ("12 hp from 6000 to 5000", "lower speed first")):  # fmt: skip
            with self.subTest(text=text), self.assertRaisesMessage(ClaimUnclear, message):
                read_claim(text)


class Checking(SimpleTestCase):
    def test_a_gain_against_its_interval(self):
        for text, low, high, expected in (
            ("12 hp more", 4, 20, ClaimState.AGREES),
            ("12 hp more", 1, 9, ClaimState.TOO_HIGH),
            ("12 hp more", 15, 22, ClaimState.TOO_LOW),
            ("12 hp more", -5, 20, ClaimState.NOT_SHOWN),  # agrees with no gain as well
            ("12 hp more", -9, 8, ClaimState.TOO_HIGH),
            ("0 hp more", -2, 3, ClaimState.AGREES),
            ("lost 5 hp", -8, -3, ClaimState.AGREES),
            ("12 hp more", 12.4, 20, ClaimState.AGREES),  # 12 stands for 11.5 to 12.5
            ("12.0 hp more", 12.4, 20, ClaimState.TOO_LOW),
        ):
            with self.subTest(text=text, low=low):
                self.assertEqual(check_claim(read_claim(text), low * HP, high * HP), expected)

    def test_a_reading_need_not_be_apart_from_nought(self):
        self.assertEqual(check_claim(read_claim("430 hp"), 425 * HP, 433 * HP), ClaimState.AGREES)

    def test_an_interval_that_falls_is_refused(self):
        with self.assertRaisesMessage(ValueError, "must rise"):
            check_claim(read_claim("430 hp"), 2.0, 1.0)
