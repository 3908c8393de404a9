from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from torvix_core.judging import design
from torvix_core.judging.design import AnswerQuality, Question

from ops.effort import effort


def stack(manifold: str, spacer: str = "", cam: str = "mild") -> dict[str, str]:
    return {"manifold": manifold, "spacer": spacer, "cam": cam}


MANIFOLD, SPACER, CAM = Question("manifold", "A", "B"), Question("spacer", "", "open"), Question("cam", "mild", "hot")


def standing(setups, question) -> AnswerQuality:
    return design.answer(setups, question).standing


class HandWorked(SimpleTestCase):
    """Small designs worked by hand; that a contrast is estimable when it lies in the row space is any textbook's."""

    def test_one_change_at_a_time_answers_each_question_directly(self):
        setups = [stack("A"), stack("B"), stack("A", "open")]
        self.assertEqual(design.answer(setups, MANIFOLD).pairs, ((0, 1),))
        self.assertEqual(design.answer(setups, SPACER).pairs, ((0, 2),))

    def test_two_things_changed_at_once_are_answered_together_only(self):
        found = design.answer([stack("A"), stack("B", "open")], MANIFOLD)
        self.assertEqual((found.standing, found.together), (AnswerQuality.TOGETHER, ("spacer",)))

    def test_a_half_fraction_of_three_slots_answers_each_by_adding_up(self):
        """The 2^(3-1) fraction with I = ABC: main effects are estimable, no two setups differ in one slot alone."""
        setups = [stack("A", "", "hot"), stack("B", "", "mild"), stack("A", "open", "mild"), stack("B", "open", "hot")]
        for question in (MANIFOLD, SPACER, CAM):
            with self.subTest(question=question):
                self.assertEqual(standing(setups, question), AnswerQuality.ADDING_UP)

    def test_a_stepwise_build_answers_each_step_and_not_what_it_would_be_worth_alone_elsewhere(self):
        setups = [stack("A"), stack("B"), stack("B", "open"), stack("B", "open", "hot")]
        self.assertEqual([standing(setups, each) for each in (MANIFOLD, SPACER, CAM)], [AnswerQuality.DIRECT] * 3)
        self.assertEqual(design.answer(setups, SPACER).pairs, ((1, 2),))

    def test_a_part_that_no_setup_has_is_not_answered(self):
        self.assertEqual(standing([stack("A"), stack("B")], Question("manifold", "A", "C")), AnswerQuality.NO)

    def test_three_slots_that_move_together_are_named(self):
        found = design.answer([stack("A"), stack("B", "open", "hot")], CAM)
        self.assertEqual(found.together, ("manifold", "spacer"))


class OneMore(SimpleTestCase):
    def test_the_setup_that_splits_the_package_is_found(self):
        found = design.best_addition([stack("A"), stack("B", "open")])
        self.assertEqual(found.setup, stack("A", "open"))
        self.assertEqual(set(found.answers), {MANIFOLD, SPACER})

    def test_nothing_is_proposed_where_all_is_answered(self):
        self.assertIsNone(design.best_addition([stack("A"), stack("B")]))

    def test_too_many_combinations_are_refused(self):
        setups = [{f"slot {number}": level for number in range(13)} for level in ("a", "b")]
        with self.assertRaisesMessage(ValueError, "8192 combinations"):
            design.best_addition(setups)


SETUPS = st.lists(
    st.fixed_dictionaries({slot: st.sampled_from(["a", "b", "c"]) for slot in ("one", "two", "three")}), min_size=2,
    max_size=7,
)  # fmt: skip


class AnyDesign(SimpleTestCase):
    @settings(max_examples=effort(80), deadline=None)
    @given(SETUPS, SETUPS)
    def test_more_setups_never_take_an_answer_away(self, setups, more):
        order = [AnswerQuality.NO, AnswerQuality.TOGETHER, AnswerQuality.ADDING_UP, AnswerQuality.DIRECT]
        for question in design.questions(setups):
            before, after = standing(setups, question), standing([*setups, *more], question)
            self.assertGreaterEqual(order.index(after), order.index(before))

    @settings(max_examples=effort(60), deadline=None)
    @given(SETUPS)
    def test_what_is_proposed_answers_what_it_says(self, setups):
        found = design.best_addition(setups)
        if found:
            for question in found.answers:
                self.assertIn(
                    standing([*setups, found.setup], question), (AnswerQuality.DIRECT, AnswerQuality.ADDING_UP)
                )
