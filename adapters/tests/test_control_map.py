"""Control in a map: all or nothing of it, in one source, and only as it passed a conformance run."""

import unittest
from typing import Any

from adapters import stand_map
from adapters.control_map import SWEEP
from adapters.stand_map import MapProblem, digest
from adapters.tests.test_stand_map import MODBUS

CONTROL: dict[str, Any] = {
    "watchdog_s": 1.0,
    "state": {"register": 110, "idle": [0], "armed": [1], "sweeping": [2], "rolling_off": [3]},
    "arm": {"register": 11},
    "start": {"register": 12, "release": 0},
    "abort": {"register": 0, "table": "coil"},
    "watchdog": {"register": 14},
    "start_rpm": {"register": 15},
    "end_rpm": {"register": 16},
    "rate_rpm_s": {"register": 17, "scale": 10},
}
UDP = {"kind": "text", "name": "logger", "over": "udp", "port": 7000}


def without(*keys: str) -> dict[str, Any]:
    return {key: value for key, value in CONTROL.items() if key not in keys}


class ControlMaps(unittest.TestCase):
    def checked(self, control: dict[str, Any], **more: Any) -> stand_map.StandMap:
        return stand_map.checked({**MODBUS, **more, "control": control})

    def errors(self, control: dict[str, Any], **more: Any) -> dict[str, str]:
        with self.assertRaises(MapProblem) as caught:
            self.checked(control, **more)
        return caught.exception.errors

    def test_it_reads_back_what_it_writes(self):
        found = self.checked(CONTROL)
        self.assertEqual(stand_map.read(stand_map.write(found)), found)

    def test_start_abort_watchdog_and_state_are_needed(self):
        for name in ("start", "abort", "watchdog", "state", "watchdog_s"):
            with self.subTest(name=name):
                self.assertEqual(self.errors(without(name)), {f"control.{name}": "is needed"})

    def test_an_arming_of_its_own_and_the_set_points_need_not_be_there(self):
        found = self.checked(without("arm", *SWEEP))
        assert found.control is not None
        self.assertEqual([name for name, _ in found.control.writes()], ["start", "abort", "watchdog"])

    def test_what_is_wrong_is_said_at_its_place(self):
        state = CONTROL["state"]
        ecu = {"kind": "mqtt", "name": "engine computer", "host": "192.0.2.11"}
        both = [*MODBUS["sources"], ecu]
        cases: list[tuple[str, dict[str, Any], dict[str, Any]]] = [
            ("control.start.register", CONTROL | {"start": {"value": 1}}, {}),
            ("control.start.scale", CONTROL | {"start": {"register": 1, "scale": 0}}, {}),
            ("control.start.color", CONTROL | {"start": {"register": 1, "color": 1}}, {}),
            ("control.start.source", CONTROL | {"start": {"topic": "start", "source": "engine computer"}},
             {"sources": both}),
            ("control.abort.source", CONTROL | {"abort": {"register": 1, "source": "nobody"}}, {}),
            ("control.watchdog_s", CONTROL | {"watchdog_s": 30}, {}),
            ("control.watchdog_s", CONTROL, {"sources": [*MODBUS["sources"], ecu | {"delay_s": 1.0}]}),
            ("control.state.idle", CONTROL | {"state": {"register": 1, "sweeping": [2]}}, {}),
            ("control.state", CONTROL | {"state": state | {"armed": [2]}}, {}),
            ("control", CONTROL | {"state": state | {"armed": []}}, {}),
            ("control", without("end_rpm"), {}),
            ("control.state.source", CONTROL | {
                name: {"text": name, "source": "logger"} for name in ("arm", "start", "abort", "watchdog", *SWEEP)
            } | {"state": state | {"field": "9", "source": "logger"}}, {"sources": [*MODBUS["sources"], UDP]}),
        ]  # fmt: skip
        for place, control, more in cases:
            with self.subTest(place=place, control=control):
                self.assertEqual(list(self.errors(control, **more)), [place])

    def test_only_the_map_that_passed_is_the_map_that_passed(self):
        found = self.checked(CONTROL)
        self.assertFalse(found.has_conformed)
        passed = CONTROL | {"conformed": digest(found)}
        self.assertTrue(self.checked(passed).has_conformed)
        self.assertTrue(self.checked(passed, stand="Cell 3").has_conformed, "it has another name, and is the same")
        self.assertTrue(stand_map.read(stand_map.write(self.checked(passed))).has_conformed)
        self.assertFalse(self.checked(passed, rate_hz=20).has_conformed)
        self.assertFalse(self.checked(passed | {"abort": {"register": 13}}).has_conformed)
        other = [MODBUS["sources"][0] | {"host": "192.0.2.99"}]
        self.assertFalse(self.checked(passed, sources=other).has_conformed)

    def test_what_passed_is_written_into_the_file_and_its_comments_stay(self):
        found = self.checked(CONTROL)
        text = "# our brake\n" + stand_map.write(found)
        for before in (text, stand_map.with_conformed(text, "of another map")):
            written = stand_map.with_conformed(before, digest(found))
            self.assertTrue(written.startswith("# our brake\n"))
            self.assertTrue(stand_map.read(written).has_conformed)
        inline = (
            "control = {watchdog_s = 1, state = {register = 9, idle = [0], sweeping = [2]}, start = {register = 1}, "
        )
        inline += "abort = {register = 2}, watchdog = {register = 3}}\n" + stand_map.write(stand_map.checked(MODBUS))
        written = stand_map.with_conformed(inline, digest(stand_map.read(inline)))
        self.assertTrue(stand_map.read(written).has_conformed)

    def test_a_set_point_is_written_as_the_stand_takes_it(self):
        control = self.checked(CONTROL).control
        assert control is not None
        assert control.rate_rpm_s is not None
        self.assertEqual(control.rate_rpm_s.raw(350), 35)
        self.assertEqual([control.state.state_of(number) for number in (0, 2, 7)], ["idle", "sweeping", None])
