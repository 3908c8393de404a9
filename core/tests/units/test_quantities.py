from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_allclose
from torvix_core.units import quantities

from ops.effort import effort


class Factors(SimpleTestCase):
    # NIST Special Publication 811, appendix B.8, factors as printed [std, mem].
    NIST = (
        ("lb-ft", 1.355818),
        ("hp", 745.6999),
        ("PS", 735.4988),
        ("psi", 6894.757),
        ("inHg", 3386.389),
        ("in³", 1.638706e-5),
        ("CFM", 4.719474e-4),
        ("lb/h", 1.259979e-4),
    )

    def test_agree_with_nist(self):
        for unit, factor in self.NIST:
            with self.subTest(unit=unit):
                assert_allclose(quantities.to_si(1.0, unit), factor, rtol=5e-7)

    def test_temperatures_have_their_offset(self):
        assert_allclose(quantities.to_si([0.0, 100.0], "°C"), [273.15, 373.15])
        assert_allclose(quantities.to_si([32.0, 212.0], "°F"), [273.15, 373.15], rtol=1e-12)
        assert_allclose(quantities.difference_from_si(10.0, "°C"), 10.0, rtol=1e-12)

    def test_every_unit_has_an_si_unit_that_leaves_it_alone(self):
        for kind, unit in quantities.SI.items():
            with self.subTest(kind=kind):
                assert_allclose(quantities.to_si(7.25, unit), 7.25, rtol=1e-15)

    @settings(max_examples=effort(60), deadline=None)
    @given(st.floats(-1e6, 1e6), st.sampled_from(sorted(quantities.UNITS)))
    def test_there_and_back_is_the_same(self, value, unit):
        assert_allclose(quantities.from_si(quantities.to_si(value, unit), unit), value, rtol=1e-9, atol=1e-6)

    def test_an_unknown_unit_is_refused_with_those_known(self):
        with self.assertRaisesMessage(ValueError, "unit 'furlong' is not known; known are rpm, N·m"):
            quantities.to_si(1.0, "furlong")

    def test_other_spellings_of_stands_are_understood(self):
        self.assertEqual(quantities.canonical("Nm"), "N·m")
        self.assertEqual(quantities.measures("degF"), "temperature")
