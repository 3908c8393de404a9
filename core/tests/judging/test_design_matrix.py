"""What a layout of pulls can tell: links between days, returns, and what drift may hide."""

import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from torvix_core.judging.design_matrix import Layout, groups, model_of


class Links(SimpleTestCase):
    def test_setups_are_linked_through_others(self):
        layout = Layout.of([0, 1, 1, 2, 2, 3, 4], [0, 0, 1, 1, 2, 2, 3])
        self.assertEqual(groups(layout).tolist(), [0, 0, 0, 0, 1])

    def test_every_comparison_inside_a_group_is_free_of_days_and_drift(self):
        """Weights that add up to nought over each session and, where it returns, over the places in it."""
        layout = Layout.of([0, 1, 0, 0, 2, 0, 2, 1, 3, 1, 1], [0, 0, 0, 0, 1, 1, 1, 2, 2, 2, 2])
        model = model_of(layout)
        self.assertEqual(model.drifting, (0, 1, 2))
        for setup in (1, 2, 3):
            contrast = model.weights[setup] - model.weights[0]
            for session in range(3):
                inside = layout.session == session
                assert_allclose(contrast[inside].sum(), 0.0, atol=1e-12)
                assert_allclose((contrast * layout.place)[inside].sum(), 0.0, atol=1e-12)
            assert_allclose(model.hidden_places(setup, 0), 0.0, atol=1e-12)


class Returns(SimpleTestCase):
    def test_a_return_comes_back_after_another_setup(self):
        self.assertTrue(Layout.of([0, 1, 0]).returns(0))
        self.assertFalse(Layout.of([0, 0, 1, 1]).returns(0))
        self.assertFalse(Layout.of([0, 0, 0]).returns(0))

    def test_order_is_that_of_the_places_not_of_the_rows(self):
        self.assertTrue(Layout.of([0, 0, 1], place=[0, 5, 2]).returns(0))

    def test_a_return_that_leaves_no_degree_of_freedom_is_not_spent_on_drift(self):
        model = model_of(Layout.of([0, 1, 0]))
        self.assertEqual((model.drifting, model.degrees_of_freedom), ((), 1))
        self.assertEqual(model_of(Layout.of([0, 1, 0, 0])).drifting, (0,))

    def test_pulls_that_do_not_count_still_move_the_clock(self):
        near, far = (model_of(Layout.of([0, 0, 1, 1], place=place)) for place in ([0, 1, 2, 3], [0, 1, 5, 6]))
        assert_allclose((near.hidden_places(1, 0), far.hidden_places(1, 0)), (2.0, 5.0))


class Readings(SimpleTestCase):
    def test_too_few_pulls_leave_readings_alone(self):
        few = Layout.of(np.repeat([0, 1], 3))
        oil = np.array([[1.0], [2], [4], [3], [1], [2]])
        self.assertEqual(len(model_of(Layout(few.setup, few.session, few.place, oil)).influence), 0)

    def test_leaving_a_pull_out_keeps_the_places_of_the_others(self):
        left = Layout.of([0, 0, 1]).without(1)
        self.assertEqual((left.setup.tolist(), left.place.tolist()), ([0, 1], [0.0, 2.0]))
