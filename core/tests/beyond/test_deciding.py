"""What decides for a kind of part, and what has to go along with it."""

from django.test import SimpleTestCase
from torvix_core.beyond.deciding import DECIDING, goes_along, second_causes, variables
from torvix_core.engine.dimensions import Slot, part_dimensions

DURATION = "intake_duration_050"
CAMS: list[dict[str, float | str]] = [
    {"exhaust_duration_050": 212.0, "intake_lift": 9.5e-3, "lobe_separation": 110.0},
    {"exhaust_duration_050": 224.0, "intake_lift": 10.2e-3, "lobe_separation": 110.0},
    {"exhaust_duration_050": 238.0, "intake_lift": 10.9e-3, "lobe_separation": 110.0},
]
AT = [216.0, 228.0, 242.0]


class Deciding(SimpleTestCase):
    def test_every_variable_is_one_of_its_kind_of_part(self):
        for slot, keys in DECIDING.items():
            self.assertLessEqual(set(keys), set(part_dimensions(slot)))

    def test_duration_at_a_lift_decides_for_camshafts_and_words_decide_nothing(self):
        self.assertEqual(variables(Slot.CAMSHAFT)[0].key, DURATION)
        self.assertEqual(variables(Slot.OTHER), ())
        self.assertNotIn("jets", [each.key for each in goes_along(Slot.CARBURETOR, "carburetor_rating")])

    def test_what_rises_with_it_goes_along(self):
        between: dict[str, float | str] = {"exhaust_duration_050": 231.0, "intake_lift": 10.5e-3}
        self.assertEqual(second_causes(Slot.CAMSHAFT, DURATION, AT, CAMS, 235.0, between), [])

    def test_a_second_cause_is_found_in_the_part_and_in_a_tested_one(self):
        other: dict[str, float | str] = {"exhaust_duration_050": 231.0, "lobe_separation": 106.0}
        self.assertEqual(
            [(cause.dimension.key, cause.part) for cause in
             second_causes(Slot.CAMSHAFT, DURATION, AT, CAMS, 235.0, other)],
            [("lobe_separation", None)],
        )  # fmt: skip
        odd = [CAMS[0], {**CAMS[1], "intake_lift": 13e-3}, CAMS[2]]
        found = second_causes(Slot.CAMSHAFT, DURATION, AT, odd, 222.0, {})
        self.assertEqual([(cause.dimension.key, cause.part) for cause in found], [("intake_lift", 1)])

    def test_how_a_carburetor_is_rated_and_its_openings_must_be_the_same(self):
        rated: list[dict[str, float | str]] = [{"carburetor_kind": "four_barrel", "throttles": 4.0}] * 3
        other: dict[str, float | str] = {"carburetor_kind": "two_barrel", "throttles": 2.0}
        found = second_causes(Slot.CARBURETOR, "carburetor_rating", [0.28, 0.31, 0.35], rated, 0.3, other)
        self.assertEqual({cause.dimension.key for cause in found}, {"carburetor_kind", "throttles"})

    def test_what_is_not_written_down_is_held_against_nobody(self):
        self.assertEqual(second_causes(Slot.CAMSHAFT, DURATION, AT, [{}, {}, {}], 235.0, {"intake_lift": 0.02}), [])
