"""What a map says of a DBC file that does not fit it: at the row, before anything is read or sent."""

import unittest
from typing import Any

from adapters import stand_map
from adapters.dbc import check_fit
from standin.over.can import ORDERS, dbc_of

DBC = dbc_of([["rpm", "torque"], ["state"]]) + ORDERS


def document(dbc: str = DBC, **signals: str) -> dict[str, Any]:
    """A map over CAN with its commands; signals of channels and of control by name."""
    said = {"rpm": "Frame0.rpm", "torque": "torque", "state": "state", "start": "Orders.start", "abort": "Orders.abort",
            "watchdog": "Orders.watchdog"} | signals  # fmt: skip
    return {
        "stand": "Cell",
        "rate_hz": 20,
        "sources": [{"kind": "can", "name": "bus", "channel": "can0", "dbc": dbc}],
        "channels": [
            {"name": "rpm", "unit": "rpm", "signal": said["rpm"]},
            {"name": "torque", "unit": "N·m", "signal": said["torque"]},
        ],
        "control": {
            "watchdog_s": 1,
            "state": {"signal": said["state"], "idle": [0], "sweeping": [2]},
            **{name: {"signal": said[name]} for name in ("start", "abort", "watchdog")},
        },
    }


class Fit(unittest.TestCase):
    def errors(self, found: dict[str, Any]) -> dict[str, str]:
        with self.assertRaises(stand_map.MapProblem) as raised:
            check_fit(stand_map.checked(found))
        return raised.exception.errors

    def test_a_map_whose_signals_are_all_there_fits(self):
        check_fit(stand_map.checked(document()))

    def test_a_signal_that_is_not_there_is_said_at_its_row_and_at_its_command(self):
        self.assertEqual(
            self.errors(document(torque="Frame0.moment", state="Frame9.state", abort="Orders.stop")),
            {"channels.1.signal": "the DBC file has no signal Frame0.moment",
             "control.state.signal": "the DBC file has no signal Frame9.state",
             "control.abort.signal": "the DBC file has no signal Orders.stop"},
        )  # fmt: skip

    def test_one_that_two_messages_have_is_not_guessed(self):
        found = self.errors(document(dbc_of([["rpm", "torque"], ["state", "rpm"]]) + ORDERS, rpm="rpm"))
        self.assertEqual(found, {"channels.0.signal": "several messages have rpm: name one of Frame0.rpm, Frame1.rpm"})

    def test_a_file_that_is_none_is_said_at_the_file(self):
        found = self.errors(document("BO_ what"))
        self.assertEqual(list(found), ["sources.0.dbc"])
        self.assertRegex(found["sources.0.dbc"], "^cannot be read: ")
