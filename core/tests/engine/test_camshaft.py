from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_allclose
from torvix_core.engine import camshaft

from ops.effort import effort


class Events(SimpleTestCase):
    def test_a_cam_card_worked_by_hand(self):
        """Common practice, no source: 230° at 0.050, 112° separation, 4° advance, worked by hand as cards are printed:
        centrelines 108 and 116; opens 7 before, closes 43 after; exhaust 230: opens 51 before, closes 1 before (−1)."""
        intake, exhaust = camshaft.centrelines(112.0, 4.0)
        timing = camshaft.valve_timing(230.0, 230.0, intake, exhaust)
        events = (timing.intake_opening, timing.intake_closing, timing.exhaust_opening, timing.exhaust_closing)
        self.assertEqual([float(event) for event in events], [7.0, 43.0, 51.0, -1.0])
        self.assertEqual(float(timing.overlap), 6.0)

    def test_four_degrees_of_advance_close_a_67_degree_intake_at_63(self):
        """Common practice, no source: said to be 64, which the arithmetic does not give."""
        timing = camshaft.valve_timing(280.0, 280.0, 107.0, 111.0)
        self.assertEqual(float(timing.intake_closing), 67.0)
        self.assertEqual(float(camshaft.advanced(timing, 4.0).intake_closing), 63.0)

    @settings(max_examples=effort(80), deadline=None)
    @given(st.floats(200, 340), st.floats(200, 340), st.floats(95, 120), st.floats(-10, 10))
    def test_advance_moves_every_event_and_leaves_durations_and_overlap(self, intake, exhaust, separation, degrees):
        timing = camshaft.valve_timing(intake, exhaust, *camshaft.centrelines(separation, 0.0))
        moved = camshaft.advanced(timing, degrees)
        assert_allclose(moved.intake_opening + moved.intake_closing + 180, intake, rtol=1e-12)
        assert_allclose(moved.exhaust_opening + moved.exhaust_closing + 180, exhaust, rtol=1e-12)
        assert_allclose(moved.overlap, timing.overlap, rtol=1e-9, atol=1e-9)
        # the same as fitting it advanced in the first place
        fitted = camshaft.valve_timing(intake, exhaust, *camshaft.centrelines(separation, degrees))
        assert_allclose(moved.intake_closing, fitted.intake_closing, rtol=1e-12)
        assert_allclose(moved.exhaust_opening, fitted.exhaust_opening, rtol=1e-12)

    def test_a_duration_that_cannot_be_is_refused_by_name(self):
        with self.assertRaisesMessage(ValueError, "intake_duration must be above zero"):
            camshaft.valve_timing(0.0, 280.0, 107.0, 111.0)
