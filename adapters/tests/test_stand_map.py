"""The map: what it takes, what it refuses and where, and that it reads back what it writes."""

import unittest
from typing import Any

from adapters import stand_map
from adapters.stand_map import MapProblem

MODBUS: dict[str, Any] = {
    "stand": "Cell 2",
    "rate_hz": 50,
    "sources": [{"kind": "modbus", "name": "brake", "host": "192.0.2.10"}],
    "channels": [
        {"name": "rpm", "unit": "rpm", "register": 100},
        {"name": "torque", "unit": "N·m", "register": 102, "type": "int16", "scale": 0.1},
    ],
}


def changed(**more: Any) -> dict[str, Any]:
    return MODBUS | more


def channel(at: int, **more: Any) -> dict[str, Any]:
    rows = [dict(row) for row in MODBUS["channels"]]
    rows[at] |= more
    return changed(channels=rows)


class Maps(unittest.TestCase):
    def errors(self, plain: dict[str, Any]) -> dict[str, str]:
        with self.assertRaises(MapProblem) as caught:
            stand_map.checked(plain)
        return caught.exception.errors

    def test_it_reads_back_what_it_writes(self):
        found = stand_map.checked(channel(1, missing=[-32768], rate_hz=10, words="low first"))
        self.assertEqual(stand_map.read(stand_map.write(found)), found)

    def test_what_is_not_toml_says_so(self):
        with self.assertRaises(MapProblem) as caught:
            stand_map.read("stand = ")
        self.assertIn("not TOML", str(caught.exception))

    def test_errors_are_at_their_row(self):
        cases = {
            "channels.1.unit": channel(1, unit="pounds"),
            "channels.0.unit": channel(0, unit=""),
            "weather.0.unit": changed(weather=[{"name": "barometer", "unit": "°C", "register": 1}]),
            "channels.1.register": {**MODBUS, "channels": [MODBUS["channels"][0], {"name": "torque", "unit": "N·m"}]},
            "channels.1.type": channel(1, type="int24"),
            "channels.1.scale": channel(1, scale=0),
            "channels.1.source": channel(1, source="engine computer"),
            "channels.1.name": channel(1, name="rpm"),
            "channels.0.register": channel(0, register=70_000),
            "channels.0.color": channel(0, color="red"),
            "weather.0.name": changed(weather=[{"name": "wind", "unit": "1", "register": 1}]),
            "sources.0": changed(sources=[{"kind": "modbus"}]),
            "sources": changed(sources=[*MODBUS["sources"], *MODBUS["sources"]]),
            "rate_hz": changed(rate_hz=0),
            "stand": {key: value for key, value in MODBUS.items() if key != "stand"},
        }
        for place, plain in cases.items():
            with self.subTest(place=place):
                found = self.errors(plain)
                self.assertTrue(any(at == place or at.startswith(f"{place}.") for at in found), found)

    def test_without_speed_and_torque_there_is_no_stand(self):
        self.assertIn("torque", self.errors(changed(channels=MODBUS["channels"][:1]))["channels"])

    def test_a_row_is_of_the_source_that_it_names(self):
        ecu = {"kind": "mqtt", "name": "engine computer", "host": "192.0.2.11"}
        rows = [*MODBUS["channels"], {"name": "lambda", "unit": "lambda", "source": "engine computer", "topic": "ecu"}]
        found = stand_map.checked(changed(sources=[*MODBUS["sources"], ecu], channels=rows))
        self.assertEqual([list(found.rows_of(at)) for at in (0, 1)], [[0, 1], [2]])
