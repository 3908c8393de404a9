from django.test import SimpleTestCase
from torvix_core.engine.dimensions import Dimension, Slot
from torvix_core.engine.stack import Limits, StackLevel, StackPart, changes, check_fairness, check_fit, difference

HEAD = StackPart(Slot.CYLINDER_HEAD, "Head", {"port_width": 0.030, "port_height": 0.050, "finish": "as_cast"})
LONG = StackPart(Slot.INTAKE_MANIFOLD, "Long", {
    "runner_length": 0.42, "port_width": 0.030, "port_height": 0.050, "height": 0.180, "upper_flange": "oval 80",
    "throttle_bore": 0.060, "throttles": 1, "finish": "as_cast", "fuel_hardware": "440 cm³ injectors"})  # fmt: skip
SHORT = StackPart(Slot.INTAKE_MANIFOLD, "Short", {**LONG.values, "runner_length": 0.24}, made_from="Long",
                  modification="runners cut by 180 mm")  # fmt: skip
THROTTLE = StackPart(Slot.THROTTLE_BODY, "Throttle", {"throttle_bore": 0.068, "height": 0.050,
                                                      "lower_flange": "oval 80"})  # fmt: skip


def millimetres(dimension: Dimension, value: float | str) -> str:
    return value if isinstance(value, str) else f"{value * 1000:.0f} mm"


def told(checks) -> list[tuple[StackLevel, str]]:
    return [(check.level, check.text) for check in checks]


class InWords(SimpleTestCase):
    def test_a_modified_part_is_told_as_such_both_ways(self):
        self.assertEqual(
            difference([HEAD, LONG], [HEAD, SHORT], millimetres),
            ["Intake manifold: Long gives way to Short (the same part with: runners cut by 180 mm; "
             "runner length 420 mm to 240 mm)."])  # fmt: skip
        self.assertIn("the same part without: runners cut", difference([SHORT], [LONG], millimetres)[0])

    def test_what_comes_and_goes_is_told_from_the_cam_outwards(self):
        spacer = StackPart(Slot.SPACER, "Open spacer")
        self.assertEqual(difference([LONG, spacer], [HEAD, LONG], millimetres),
                         ["Cylinder head: Head goes on.", "Spacer: Open spacer comes off."])  # fmt: skip

    def test_equal_stacks_do_not_differ(self):
        self.assertEqual(difference([HEAD, LONG], [LONG, HEAD], millimetres), [])
        self.assertEqual(changes([HEAD, LONG], [LONG, HEAD]), 0)

    def test_two_slots_are_a_package(self):
        self.assertEqual(changes([HEAD, LONG], [SHORT, THROTTLE, HEAD]), 2)


class Fit(SimpleTestCase):
    def test_a_stack_that_goes_together_has_nothing_to_say_but_the_step_at_the_throttle(self):
        found = told(check_fit([THROTTLE, HEAD, LONG], Limits(0.3), millimetres))
        self.assertEqual(found, [(StackLevel.NOTE, "Long is 22 % smaller than Throttle above it: 68 mm on 60 mm.")])

    def test_too_high_by_how_much(self):
        found = told(check_fit([LONG, THROTTLE], Limits(0.2), millimetres))
        self.assertIn((StackLevel.MISFIT, "230 mm high, 30 mm over the limit of 200 mm."), found)

    def test_a_height_that_is_not_known_is_not_taken_for_nothing(self):
        plain = StackPart(Slot.AIR_CLEANER, "Cleaner")
        self.assertIn(
            (StackLevel.UNKNOWN, "Height not known of Cleaner."),
            told(check_fit([LONG, plain], Limits(0.2), millimetres)),
        )

    def test_what_must_look_stock_and_does_not_is_no_fit(self):
        odd = StackPart(Slot.INTAKE_MANIFOLD, "Odd", {"looks_stock": "no"})
        self.assertEqual(told(check_fit([odd], Limits(must_look_stock=True), millimetres)),
                         [(StackLevel.MISFIT, "Must look stock, and does not: Odd.")])  # fmt: skip
        self.assertEqual(told(check_fit([odd], Limits(), millimetres)), [])

    def test_ports_and_gasket_are_compared_as_areas(self):
        gasket = StackPart(Slot.GASKET, "Gasket", {"port_width": 0.032, "port_height": 0.054})
        found = told(check_fit([HEAD, gasket, LONG], Limits(), millimetres))
        self.assertIn(
            (
                StackLevel.NOTE,
                "The opening of Gasket is 15 % larger than that of Head: 32 mm × 54 mm on 30 mm × 50 mm.",
            ),
            found,
        )
        blank = StackPart(Slot.GASKET, "Gasket")
        self.assertIn((StackLevel.UNKNOWN, "Port outline not known of Gasket."),
                      told(check_fit([HEAD, blank], Limits(), millimetres)))  # fmt: skip

    def test_flanges_that_differ_want_an_adapter_and_an_adapter_settles_it(self):
        other = StackPart(Slot.THROTTLE_BODY, "Slide", {"lower_flange": "square 75"})
        found = told(check_fit([LONG, other], Limits(), millimetres))
        self.assertEqual(
            found, [(StackLevel.MISFIT, "Long offers oval 80, Slide wants square 75: an adapter is needed.")]
        )
        adapter = StackPart(Slot.ADAPTER, "Plate", {"lower_flange": "Oval 80", "upper_flange": "square 75"})
        self.assertEqual(told(check_fit([LONG, adapter, other], Limits(), millimetres)), [])


class Fairness(SimpleTestCase):
    def test_the_same_stack_is_fair_to_itself(self):
        self.assertEqual(check_fairness([HEAD, LONG], [HEAD, LONG], millimetres), [])

    def test_reworked_against_as_cast(self):
        ported = StackPart(Slot.INTAKE_MANIFOLD, "Ported", {**LONG.values, "finish": "ported"})
        self.assertIn("Long is as cast, Ported is ported", check_fairness([LONG], [ported], millimetres)[0].text)

    def test_matched_to_another_head(self):
        matched = StackPart(Slot.INTAKE_MANIFOLD, "Matched", LONG.values, matched_to="Big-port head")
        found = [check.text for check in check_fairness([HEAD, LONG], [HEAD, matched], millimetres)]
        self.assertEqual(found, ["Matched was matched to Big-port head, not to the Head it is tested on."])

    def test_smaller_throttle_and_other_fuel_hardware(self):
        small = StackPart(Slot.INTAKE_MANIFOLD, "Small", {**LONG.values, "throttle_bore": 0.05,
                                                          "fuel_hardware": "330 cm³ injectors"})  # fmt: skip
        found = [check.text for check in check_fairness([LONG], [small], millimetres)]
        self.assertEqual(found, [
            "Different fuel hardware: Long has 440 cm³ injectors, Small has 330 cm³ injectors.",
            "The second setup breathes through an opening that is 31 % smaller."])  # fmt: skip
