from django.test import SimpleTestCase
from torvix_core.units.speed_region import SpeedRegion, take_region


class Regions(SimpleTestCase):
    def test_as_people_say_them(self):
        for text, rest, low, high in (
            ("2 % above 5500", "2 %", 5500, None),
            ("soft below 4000 rpm", "soft", None, 4000),
            ("1 to 3 % from 3000 to 4500", "1 to 3 %", 3000, 4500),
            ("+2 % 5500-6500 rpm", "+2 %", 5500, 6500),
            ("between 3000 and 4500 rpm 2 %", "2 %", 3000, 4500),
            ("430 at 5800", "430", 5800, 5800),
            ("430 hp @ 5,800 rpm", "430 hp", 5800, 5800),
            ("9 hp from 6000 up", "9 hp", 6000, None),
            ("up to 3500 it loses 2 %", "it loses 2 %", None, 3500),
        ):
            with self.subTest(text=text):
                self.assertEqual(take_region(text), (rest, SpeedRegion(low, high)))

    def test_a_torque_is_no_speed(self):
        for text in ("430 over 410", "from 410 to 430 hp", "12 hp from the spacer", "1 to 3 %", "2 %"):
            with self.subTest(text=text):
                self.assertEqual(take_region(text), (text, None))

    def test_what_is_not_one_region_is_refused(self):
        for text, message in (
            ("2 % from 5000 to 4000", "lower speed first"),
            ("2 % above 5000 below 4000", "name one"),
        ):
            with self.subTest(text=text), self.assertRaisesMessage(ValueError, message):
                take_region(text)

    def test_in_words_again(self):
        self.assertEqual(
            [SpeedRegion(*ends).words for ends in ((5800, 5800), (5500, None), (None, 4000), (3000, 4500), ())],
            ["at 5800 rpm", "above 5500 rpm", "below 4000 rpm", "from 3000 to 4500 rpm", ""],
        )
