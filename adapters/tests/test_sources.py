"""What each standard says, read: registers in every order, lines with gaps, payloads, frames; wrong maps by name."""

import itertools
import math
import struct
import unittest
from typing import Any, Literal

import can
from pymodbus.client.mixin import ModbusClientMixin

from adapters import stand_map
from adapters.places import REGISTER_TYPES
from adapters.source_map import CanSource, MqttSource, TextSource
from adapters.sources.can import Frames
from adapters.sources.modbus import blocks_of, number
from adapters.sources.mqtt import Payloads
from adapters.sources.source import SourceLost
from adapters.sources.text import TextLines
from adapters.stand_map import Channel
from standin.over.can import dbc_of


def row(**facts: Any) -> Channel:
    return Channel.model_validate({"name": "torque", "unit": "N·m", **facts})


class Registers(unittest.TestCase):
    def test_they_are_read_as_the_library_of_the_standard_reads_them(self):
        """pymodbus, which knows the order of words; that of bytes is none of the standard's (its V1.1b3, 4.2)."""
        values = {"int16": -1234, "uint16": 61_234, "int32": -123_456_789, "uint32": 3_123_456_789,
                  "float32": 123.456, "int64": -(2**40), "uint64": 2**50, "float64": 123.456}  # fmt: skip
        for kind, words in itertools.product(REGISTER_TYPES, ("high first", "low first")):
            with self.subTest(kind=kind, words=words):
                theirs = ModbusClientMixin.DATATYPE[kind.upper()]
                order: Literal["big", "little"] = "big" if words == "high first" else "little"
                registers = ModbusClientMixin.convert_to_registers(values[kind], theirs, word_order=order)
                read = number(row(register=1, type=kind, words=words), registers)
                self.assertAlmostEqual(read, values[kind], delta=abs(values[kind]) * 1e-6)

    def test_bytes_that_are_exchanged_are_put_right(self):
        """IEEE 754: 123.456 as binary32 is 42F6E979."""
        for first, second, words, order in ((0x42F6, 0xE979, "high first", "high first"),
                                            (0xE979, 0x42F6, "low first", "high first"),
                                            (0xF642, 0x79E9, "high first", "low first"),
                                            (0x79E9, 0xF642, "low first", "low first")):  # fmt: skip
            found = number(row(register=1, type="float32", words=words, bytes=order), [first, second])
            self.assertAlmostEqual(found, 123.456, places=4)

    def test_close_ones_are_asked_for_together_and_slow_ones_seldom(self):
        rows = {0: row(register=100), 1: row(register=104, type="float32"), 2: row(register=300),
                3: row(register=101, rate_hz=5), 4: row(register=100, table="input")}  # fmt: skip
        found = [(one.table, one.first, one.count, one.every, sorted(one.rows)) for one in blocks_of(rows, 50)]
        self.assertEqual(found, [("holding", 100, 6, 1, [0, 1]), ("holding", 300, 1, 1, [2]),
                                 ("input", 100, 1, 1, [4]), ("holding", 101, 1, 10, [3])])  # fmt: skip

    def test_no_request_is_longer_than_the_standard_allows(self):
        rows = {at: row(register=2 * at, type="float32") for at in range(100)}
        self.assertEqual([one.count for one in blocks_of(rows, 50)], [124, 76])


class Lines(unittest.TestCase):
    def lines(self, *fields: str, **facts: Any) -> TextLines:
        of = TextSource.model_validate({"host": "192.0.2.1", "port": 7000, **facts})
        return TextLines(of, {at: row(name=f"c{at}", field=field) for at, field in enumerate(fields)})

    def test_by_place_and_what_is_no_number_is_missing(self):
        found = self.lines("1", "3").read("3000; x;  --\r\n".replace(";", ","), 5.0)
        assert found
        self.assertEqual((found[0][0], math.isnan(found[0][1]), found[1]), (3000.0, True, 5.0))

    def test_under_names_in_whatever_order_and_again_when_they_change(self):
        lines = self.lines("RPM", "Torque")
        self.assertIsNone(lines.read("1,2,3", 1.0), "no names were heard yet")
        self.assertIsNone(lines.read("Torque,Oil,RPM", 1.0))
        self.assertEqual(lines.read("305,90,3000", 1.0), ({0: 3000.0, 1: 305.0}, 1.0))
        lines.read("RPM,Torque", 2.0)
        self.assertEqual(lines.read("3010,306", 2.0), ({0: 3010.0, 1: 306.0}, 2.0))

    def test_a_decimal_comma_and_any_white_space(self):
        lines = self.lines("1", "2", separator="", decimal=",")
        self.assertEqual(lines.read("  3000,5\t 305,25 ", 1.0), ({0: 3000.5, 1: 305.25}, 1.0))

    def test_half_a_line_is_passed_over_as_its_last_number_may_be_half_too(self):
        self.assertIsNone(self.lines("1", "2", "3").read("3000,30", 1.0))
        lines = self.lines("RPM")
        lines.read("Torque,Oil,RPM", 1.0)
        self.assertIsNone(lines.read("305,90", 1.0))
        self.assertIsNone(self.lines("1").read("", 1.0))

    def test_its_own_time_is_brought_to_ours(self):
        lines = self.lines("2", time="1")
        times = [lines.read(f"{sent},3000", arrived) for sent, arrived in ((100.0, 7.0), (100.01, 7.3), (100.02, 7.02))]
        self.assertEqual([round(one[1], 3) for one in times if one], [7.0, 7.01, 7.02])


class Messages(unittest.TestCase):
    def payloads(self, *rows: tuple[str, str], time: str = "") -> Payloads:
        of = MqttSource(host="192.0.2.1", time=time)
        return Payloads(of, {at: row(topic=topic, path=path) for at, (topic, path) in enumerate(rows)})

    def test_a_plain_number_and_paths_into_json(self):
        payloads = self.payloads(("rpm", ""), ("ecu", "engine.lambda.1"), ("ecu", "engine.knock"))
        self.assertEqual(payloads.read("rpm", b"3000.5", 1.0), ({0: 3000.5}, 1.0))
        found = payloads.read("ecu", b'{"engine": {"lambda": [0.9, 0.88], "knock": true}}', 1.0)
        assert found
        self.assertEqual((found[0][1], math.isnan(found[0][2])), (0.88, True), "true is no number")

    def test_what_is_not_json_is_missing_and_other_topics_are_passed_over(self):
        payloads = self.payloads(("rpm", "value"))
        found = payloads.read("rpm", b"\xff{", 1.0)
        assert found
        self.assertTrue(math.isnan(found[0][0]))
        self.assertIsNone(payloads.read("other", b"1", 1.0))


class CanFrames(unittest.TestCase):
    DBC = dbc_of([["rpm", "torque"], ["oil_temperature"]])

    def frames(self, *signals: str, dbc: str = DBC) -> Frames:
        of = CanSource(channel="can0", dbc=dbc)
        return Frames(of, {at: row(name=f"c{at}", signal=signal) for at, signal in enumerate(signals)})

    def test_a_frame_is_decoded_as_the_dbc_says(self):
        """Packed here by hand: signed thousandths, low byte first."""
        data = struct.pack("<ii", 3_000_500, -305_250)
        frame = can.Message(arbitration_id=0x200, data=data, is_extended_id=False)
        self.assertEqual(self.frames("Frame0.rpm", "torque").read(frame, 1.0), ({0: 3000.5, 1: -305.25}, 1.0))

    def test_a_short_frame_is_missing_and_others_are_passed_over(self):
        short = can.Message(arbitration_id=0x200, data=b"\x01", is_extended_id=False)
        found = self.frames("rpm").read(short, 1.0)
        assert found
        self.assertTrue(math.isnan(found[0][0]))
        self.assertIsNone(self.frames("rpm").read(can.Message(arbitration_id=0x7FF, is_extended_id=False), 1.0))

    def test_a_dbc_that_does_not_fit_is_named(self):
        for signal, dbc, said in (("speed", self.DBC, "no signal speed"), ("rpm", "BO_ what", "cannot be read"),
                                  ("rpm", dbc_of([["rpm"], ["rpm"]]), "several messages have rpm")):  # fmt: skip
            with self.subTest(said=said), self.assertRaisesRegex(SourceLost, said):
                self.frames(signal, dbc=dbc)


class WhatCannotBe(unittest.TestCase):
    def test_a_float_over_the_range_of_the_map_is_refused_where_it_stands(self):
        with self.assertRaises(stand_map.MapProblem):
            stand_map.read('stand = "S"\nrate_hz = inf\nsources = []\nchannels = []\n')
