"""Which column is which: by the factor of 5252, 9549 and 7023 (handbook values), and by heads."""

import numpy as np
from django.test import SimpleTestCase
from torvix_core.paper.printed_columns import PrintedColumns, recognize

SPEED = np.arange(3000.0, 5000, 100)
TORQUE = 420 - ((SPEED - 4100) / 180) ** 2


def powers(constant: float) -> np.ndarray:
    return (TORQUE * SPEED / constant).round(1)


class Recognized(SimpleTestCase):
    def test_by_physics_alone_in_any_order(self):
        for constant, units in ((5252.11, ("lb-ft", "hp")), (9549.30, ("N·m", "kW")), (7023.5, ("N·m", "PS"))):
            with self.subTest(units=units):
                mixture = np.resize([12.5, 12.8, 13.0], len(SPEED))
                found = recognize([mixture, powers(constant), SPEED, TORQUE.round(1)], ["", "", "", ""])
                self.assertEqual(found, PrintedColumns(2, 3, 1, *units))

    def test_a_cell_that_was_read_wrong_does_not_matter(self):
        torque, speed = TORQUE.round(1), SPEED.copy()
        torque[4], speed[7] = 42.0, np.nan
        found = recognize([speed, torque, powers(5252.11)], ["", "", ""])
        self.assertEqual((found.speed, found.torque, found.power), (0, 1, 2))

    def test_one_column_beside_the_speed_goes_by_its_head_and_unit(self):
        for head, torque, power, unit in (("Torque (Ib-ft)", 1, None, "lb-ft"), ("Power kW", None, 1, "kW"),
                                          ("Oil psi", None, None, "")):  # fmt: skip
            found = recognize([SPEED, TORQUE], ["RPM", head])
            self.assertEqual((found.torque, found.power), (torque, power), head)
            self.assertEqual(found.torque_unit or found.power_unit, unit)

    def test_without_a_speed_nothing_is_said(self):
        self.assertEqual(recognize([TORQUE], [""]), PrintedColumns(None, None, None))
