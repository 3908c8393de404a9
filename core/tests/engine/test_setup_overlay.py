"""A setup on the build sheet: by hand, and nothing of a part that came off is taken over."""

import math

import numpy as np
from django.test import SimpleTestCase
from torvix_core.engine.dimensions import Slot
from torvix_core.engine.evidence import Evidence, Origin, settle
from torvix_core.engine.figures import work_out
from torvix_core.engine.setup_overlay import overlay
from torvix_core.engine.sheet import BuildSheet, FlowTable
from torvix_core.engine.stack import StackPart

CC, CFM = 1e-6, 4.719474e-4
GIVEN: dict[str, float | str] = {
    "cycle": "4", "cylinders": 8.0, "bore": 0.1016, "stroke": 0.0884, "rod_length": 0.1524, "gasket_bore": 0.103,
    "gasket_thickness": 0.001, "deck_clearance": 0.0, "chamber_volume": 58 * CC, "redline": 6200.0,
    "intake_duration": 270.0, "intake_centreline": 108.0, "intake_clearance": 0.0021, "cranking_pressure": 12e5,
    "runner_length": 0.40, "carburetor_rating": 650 * CFM, "carburetor_kind": "four_barrel",
    "crank_pulley": 0.15, "blower_pulley": 0.085,
}  # fmt: skip


def sheet() -> BuildSheet:
    table = FlowTable(np.array([0.005, 0.010]), np.array([0.08, 0.11]))
    return BuildSheet({key: settle([Evidence(Origin.MEASURED, value)]) for key, value in GIVEN.items()},
                      {"intake": table})  # fmt: skip


def figure(of: BuildSheet, key: str) -> float | None:
    found = next(one for one in work_out(of) if one.rule.key == key)
    return found.amount.value if found.amount else None


class OverTheSheet(SimpleTestCase):
    def test_a_smaller_chamber_raises_the_ratio_as_worked_by_hand(self):
        heads = [StackPart(Slot.CYLINDER_HEAD, name, {"chamber_volume": volume * CC})
                 for name, volume in (("as cast", 58.0), ("milled", 50.0))]  # fmt: skip
        swept, gasket = math.pi / 4 * 0.1016**2 * 0.0884, math.pi / 4 * 0.103**2 * 0.001
        after = overlay(sheet(), heads[:1], heads[1:])
        for of, chamber in ((overlay(sheet(), heads[:1], heads[:1]).sheet, 58 * CC), (after.sheet, 50 * CC)):
            self.assertAlmostEqual(figure(of, "static_ratio") or 0, 1 + swept / (chamber + gasket), places=6)
        self.assertEqual(after.unknown, ("intake_clearance", "cranking_pressure", "intake_flow_table"))
        self.assertNotIn("intake", after.sheet.flow)  # it was the flow of the heads that came off

    def test_the_same_parts_change_nothing(self):
        parts = [StackPart(Slot.CYLINDER_HEAD, "as cast", {"chamber_volume": 50 * CC})]
        found = overlay(sheet(), parts, parts)
        self.assertEqual((dict(found.sheet.dimensions), found.unknown), (dict(sheet().dimensions), ()))

    def test_what_the_library_knows_of_a_part_fills_what_the_sheet_leaves_open(self):
        open_sheet = BuildSheet({key: value for key, value in sheet().dimensions.items() if "carburetor" not in key})
        kind = {"carburetor_kind": "four_barrel"}
        parts = [
            StackPart(Slot.CARBURETOR, str(size), {"carburetor_rating": size * CFM, **kind}) for size in (390, 650)
        ]
        before, after = (overlay(open_sheet, parts[:1], [part]) for part in parts)
        vacuums = [figure(one.sheet, "depression") or 0 for one in (before, after)]
        self.assertAlmostEqual(vacuums[0] / vacuums[1], (650 / 390) ** 2, places=6)  # by the square of the rating
        self.assertEqual(after.unknown, ())

    def test_a_head_without_a_chamber_written_down_leaves_the_ratio_not_known(self):
        found = overlay(sheet(), [StackPart(Slot.CYLINDER_HEAD, "a")], [StackPart(Slot.CYLINDER_HEAD, "b")])
        self.assertIsNone(figure(found.sheet, "static_ratio"))
        self.assertIn("chamber_volume", found.unknown)

    def test_another_camshaft_brings_its_own_and_takes_the_measured_clearance_with_it(self):
        before = [StackPart(Slot.CAMSHAFT, "270")]
        after = [StackPart(Slot.CAMSHAFT, "280", {"intake_duration": 280.0, "intake_lift": 0.0125})]
        found = overlay(sheet(), before, after)
        self.assertEqual(found.sheet.maybe("intake_duration"), 280.0)
        self.assertIsNone(found.sheet.maybe("intake_clearance"))
        self.assertEqual(found.unknown, ("intake_centreline", "intake_clearance", "cranking_pressure"))

    def test_a_runner_is_longer_by_what_the_manifolds_differ(self):
        long, short, nobody = (StackPart(Slot.INTAKE_MANIFOLD, name, values) for name, values in (
            ("long", {"runner_length": 0.30}), ("short", {"runner_length": 0.18}), ("not measured", {})))  # fmt: skip
        self.assertAlmostEqual(overlay(sheet(), [long], [short]).sheet.number("runner_length"), 0.28)
        self.assertEqual(overlay(sheet(), [long], [nobody]).unknown, ("runner_length",))

    def test_a_smaller_pulley_turns_the_blower_faster(self):
        of = [
            StackPart(Slot.PULLEY, str(size), {"crank_pulley": 0.15, "blower_pulley": size}) for size in (0.085, 0.07)
        ]
        before, after = overlay(sheet(), of[:1], of[:1]).sheet, overlay(sheet(), of[:1], of[1:]).sheet
        self.assertAlmostEqual(
            (figure(after, "blower_speed") or 0) / (figure(before, "blower_speed") or 1), 0.085 / 0.07
        )

    def test_settings_of_the_setup_count_and_others_of_it_do_not(self):
        found = overlay(sheet(), [], [], {"boost_target": 8e4, "fuel": "e85", "idle_speed": 900.0})
        self.assertEqual((found.sheet.maybe("boost_target"), found.sheet.words("fuel")), (8e4, "e85"))
        self.assertNotIn("idle_speed", found.sheet.dimensions)
