"""A map is tried before it is whole: what each row reads, what else there is, and why a source cannot be read."""

import asyncio
import json
import sys
import unittest
from typing import Any

from adapters.tests.over import Link, free_port
from adapters.trial import try_map
from ops.machine import ROOT
from standin.over.can import CanPublisher
from standin.over.modbus import ModbusPublisher
from standin.over.opcua import OpcUaPublisher
from standin.over.publisher import Publisher, map_of
from standin.over.text import TextPublisher

HOST = "127.0.0.1"


class Trials(unittest.IsolatedAsyncioTestCase):
    async def tried(self, publisher: Publisher, *names: str, **changed: Any) -> dict[str, Any]:
        """With the rows of some channels alone; of the whole map where none is named."""
        async with Link(publisher) as link:
            document = map_of(link.said, publisher) | {"rate_hz": 20}
            if names:
                document["channels"] = [row for row in document["channels"] if row["name"] in names]
                document["weather"] = []
            document["sources"][0] |= changed
            return await try_map(document, seconds=1.5)

    def by_name(self, found: dict[str, Any]) -> list[Any]:
        return [(row["part"], row["row"], row["why"]) for row in found["rows"]]

    async def test_every_row_shows_what_it_reads_and_how_often(self):
        found = await self.tried(ModbusPublisher(HOST, free_port()), "rpm", "oil_temperature")
        self.assertEqual(self.by_name(found), [("channels", 0, ""), ("channels", 1, "")])
        self.assertAlmostEqual(found["rows"][0]["value"], 1100, delta=100)
        self.assertGreater(found["rows"][0]["rate_hz"], 3)
        self.assertEqual(found["sources"], [{"why": "", "offers": []}])

    async def test_a_register_that_is_not_there_is_said(self):
        async with Link(ModbusPublisher(HOST, free_port())) as link:
            document = map_of(link.said, link.publisher)
            document["channels"] = [{**document["channels"][0], "register": 9000}]
            found = await try_map(document, seconds=1.5)
        self.assertIn("9000", found["sources"][0]["why"])
        self.assertEqual(found["rows"][0]["why"], "nothing came")

    async def test_nodes_of_a_server_are_offered_with_what_they_read(self):
        publisher = OpcUaPublisher(HOST, free_port())
        found = await self.tried(publisher, "rpm")
        offers = {one["place"]: one["about"] for one in found["sources"][0]["offers"]}
        self.assertRegex(offers[publisher.place(0, "torque")["node"]], r"^Stand\.torque, \d")

    async def test_signals_and_fields_are_offered(self):
        found = await self.tried(CanPublisher(free_port()), "rpm")
        self.assertIn("Frame0.torque", [one["place"] for one in found["sources"][0]["offers"]])
        found = await self.tried(TextPublisher(HOST, free_port()), "rpm")
        self.assertEqual([one["place"] for one in found["sources"][0]["offers"]][:3], ["time", "rpm", "torque"])

    async def test_what_is_not_written_yet_is_passed_over_and_what_cannot_be_reached_is_said(self):
        document = {"sources": [{"kind": "modbus", "host": HOST, "port": free_port()}, {"kind": "opcua"}],
                    "channels": [{"name": "", "register": 100}, {"name": "torque", "register": None}]}  # fmt: skip
        found = await try_map(document, seconds=1)
        self.assertRegex(found["sources"][0]["why"], "nothing answers at|does not answer")
        self.assertTrue(found["sources"][1]["why"])
        self.assertEqual(self.by_name(found), [("channels", 0, "nothing came")])

    async def test_as_a_program_it_reads_a_map_and_prints_what_it_found(self):
        tried = await asyncio.create_subprocess_exec(
            sys.executable, "-m", "adapters.trial", "--seconds", "0.2", cwd=ROOT, stdin=asyncio.subprocess.PIPE,
            stdout=asyncio.subprocess.PIPE, env={"PYTHONPATH": f"{ROOT / 'core'}:{ROOT}"},
        )  # fmt: skip
        out, _ = await tried.communicate(b'{"sources": [], "channels": []}')
        self.assertEqual(json.loads(out), {"sources": [], "rows": []})
