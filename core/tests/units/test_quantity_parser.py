from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_allclose
from torvix_core.units import quantities
from torvix_core.units.quantity_parser import NotUnderstood, TypedQuantity, read_count, read_quantity

from ops.effort import effort

BORE = ("length", "mm", 0.020, 0.300)
BAROMETER = ("pressure", "kPa", 50_000.0, 110_000.0)


class Understood(SimpleTestCase):
    def test_a_number_alone_is_in_the_persons_unit(self):
        self.assertEqual(read_quantity("86.6", *BORE), TypedQuantity(0.0866, "86.6", "mm"))

    def test_a_unit_may_be_written_in_the_ways_of_the_trade(self):
        """Exact by definition: 1 in = 25.4 mm; inHg by NIST SP 811 [std, mem]."""
        for text, metres in (("1.5 in", 0.0381), ('1.5"', 0.0381), ("1.5inch", 0.0381), ("38.1MM", 0.0381),
                             ("65 thou", 0.001651), ("3.81 cm", 0.0381)):  # fmt: skip
            with self.subTest(text=text):
                assert_allclose(read_quantity(text, "length", "mm").value, metres, rtol=1e-12)
        assert_allclose(read_quantity("29.92 in Hg", *BAROMETER).value, 29.92 * 3386.389, rtol=2e-7)
        assert_allclose(read_quantity("62 cc", "volume", "in³").value, 62e-6, rtol=1e-12)
        assert_allclose(read_quantity("75 deg F", "temperature", "°C").value, 297.0389, rtol=1e-6)
        assert_allclose(read_quantity("−3 °C", "temperature", "°C").value, 270.15, rtol=1e-12)

    def test_what_was_understood_is_told_as_it_was_typed(self):
        self.assertEqual(read_quantity("0.0650 in", "length", "mm").understood, "0.0650 in")

    @settings(max_examples=effort(80), deadline=None)
    @given(st.floats(0.001, 5000), st.sampled_from([unit for unit in quantities.UNITS if unit not in ("1", "lambda")]))
    def test_there_and_back_is_what_was_typed(self, number, unit):
        typed = read_quantity(f"{number!r} {unit}", quantities.measures(unit), unit)
        assert_allclose(quantities.from_si(typed.value, unit), number, rtol=1e-9)
        self.assertEqual((float(typed.text), typed.unit), (number, unit))


class Refused(SimpleTestCase):
    def test_each_slip_says_what_was_understood_and_what_to_write(self):
        cases = (
            ("", *BORE, "Type a number."),
            ("abc", *BORE, "“abc” is not a number. Write it like 38.1"),
            ("86,6", *BORE, "has a comma, which can mean two things. Write a point: 86.6."),
            ("1,250 mm", *BORE, "has a comma"),
            ("4", *BORE, "Understood 4 mm; it lies between 20 and 300 mm. If you meant 4 cm or 4 in, write the unit."),
            ("4 mm", *BORE, "Understood 4 mm; it lies between 20 and 300 mm."),
            ("0", *BORE, "Understood 0 mm"),
            ("-86.6", *BORE, "Understood -86.6 mm"),
            ("29.92", *BAROMETER, "If you meant 29.92 inHg, write the unit."),
            ("98 psi", *BAROMETER, "Understood 98 psi; it lies between 7.252 and 15.95 psi."),
            ("38 kPa", *BORE, "38 kPa is a pressure; a length is wanted here"),
            ("3 furlong", *BORE, "“furlong” is not a unit known here. Write m, cm, mm, in, thou or ft."),
            ("130 %", "fraction", "%", 0.0, 1.0, "Understood 130 %; it lies between 0 and 100 %."),
            ("1e999", *BORE, "too large to be meant"),
            ("nan", *BORE, "not a number"),
            ("inf", *BORE, "not a number"),
            ("1/2 in", *BORE, "is not a unit known here"),
            ("9" * 10_000, *BORE, "10000 characters are too long"),
        )
        for text, *rest, message in cases:
            with self.subTest(text=text[:20]), self.assertRaises(NotUnderstood) as refused:
                read_quantity(text, *rest)  # type: ignore[arg-type]
            self.assertIn(message, str(refused.exception))

    def test_a_guess_is_offered_only_where_no_unit_was_written(self):
        with self.assertRaises(NotUnderstood) as refused:
            read_quantity("4 mm", *BORE)
        self.assertNotIn("If you meant", str(refused.exception))

    def test_a_count_is_a_whole_number_in_its_range(self):
        for text, message in (("6.5", "not a whole number"), ("6 mm", "not a whole number"), ("0", "between 1 and 24")):
            with self.subTest(text=text), self.assertRaisesRegex(NotUnderstood, message):
                read_count(text, 1, 24)

    @settings(max_examples=effort(150), deadline=None)
    @given(st.text(max_size=60))
    def test_no_text_does_anything_but_be_read_or_be_refused(self, text):
        try:
            self.assertTrue(0.020 <= read_quantity(text, *BORE).value <= 0.300)
        except NotUnderstood as refused:
            self.assertTrue(str(refused))
