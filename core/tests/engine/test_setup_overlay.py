"""A setup on the build sheet: by hand, and nothing of a part that came off is taken over."""

import math

import numpy as np
from django.test import SimpleTestCase
from torvix_core.engine.dimensions import Slot
from torvix_core.engine.evidence import Evidence, Origin, settle
from torvix_core.engine.figures import work_out
from torvix_core.engine.findings import find
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


class Pulleys(SimpleTestCase):
    """3.6 to 3.4 in: drive 1.059 times as fast, 6.8 psi to about 8.1 by pressure ratio, 8.8 seen. Common practice."""

    def pulley(self, inches: float) -> list[StackPart]:
        return [StackPart(Slot.PULLEY, f"{inches}", {"crank_pulley": 0.18, "blower_pulley": inches * 0.0254})]

    def boosted(self, **more: float) -> BuildSheet:
        own = {"crank_pulley": 0.18, "blower_pulley": 3.6 * 0.0254, "boost_target": 6.8 * 6894.757}
        given = {**GIVEN, **own, **more}
        return BuildSheet({key: settle([Evidence(Origin.MEASURED, value)]) for key, value in given.items()})

    def test_speed_and_boost_follow_the_drive_and_the_charge_gets_hotter(self):
        before, after = (overlay(self.boosted(), self.pulley(3.6), self.pulley(size)).sheet for size in (3.6, 3.4))
        self.assertAlmostEqual((figure(after, "blower_speed") or 0) / (figure(before, "blower_speed") or 1), 3.6 / 3.4)
        psi = (after.maybe("boost_target") or 0) / 6894.757
        self.assertAlmostEqual(psi, 8.07, delta=0.02)
        self.assertTrue(8.0 < psi < 8.8)
        temperatures = [
            next(one.amount for one in work_out(of) if one.rule.key == "charge_temperature") for of in (before, after)
        ]
        self.assertLess(temperatures[0].low, temperatures[1].low)
        self.assertLess(temperatures[1].low, temperatures[1].high)

    def test_a_pulley_that_turns_the_blower_beyond_its_limit_is_a_caution(self):
        for limit, wanted in ((20_000.0, 0), (12_500.0, 1)):
            of = overlay(self.boosted(blower_limit=limit), self.pulley(3.6), self.pulley(3.4)).sheet
            said = [one for one in find(of, work_out(of)) if "blower turns faster" in one.text]
            self.assertEqual(len(said), wanted)
            self.assertTrue(all(one.caution for one in said))

    def test_boost_that_cannot_be_worked_out_is_asked_for_again(self):
        unmarked = [StackPart(Slot.PULLEY, "no sizes", {})]
        found = overlay(self.boosted(), self.pulley(3.6), unmarked)
        self.assertIn("boost_target", found.unknown)
        self.assertIsNone(found.sheet.maybe("boost_target"))


class Carburetors(SimpleTestCase):
    def words(self, cfm: float) -> str:
        of = BuildSheet({**sheet().dimensions, "carburetor_rating": settle([Evidence(Origin.CATALOG, cfm * CFM)])})
        return " ".join(one.text for one in find(of, work_out(of)) if one.group == "intake")

    def test_one_that_is_far_from_the_demand_is_named(self):
        """440 cu in at 7400 want about 942 CFM: the formula; 4000 CFM is about four times that. Common practice."""
        demand = (figure(sheet(), "airflow_demand") or 0) / CFM
        self.assertEqual(self.words(demand * 1.2), "")
        self.assertIn("1.6 times what the engine can swallow: hardly any power more", self.words(demand * 1.6))
        self.assertIn("rated for 4.2 times", self.words(demand * 4.2))
        self.assertIn("rated for 60 % of what the engine can swallow", self.words(demand * 0.6))
