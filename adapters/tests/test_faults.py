"""What goes wrong at a stand is said in words at the line, nothing that arrived is lost, and nothing is stuck."""

import asyncio
import json
import os
import subprocess
import sys
import unittest
from typing import Any

from adapters import stand_map
from adapters.adapter import Adapter
from adapters.tests.over import WAIT_S, Link, Peer, free_port
from standin.over.modbus import ModbusPublisher, ModbusRtuPublisher
from standin.over.opcua import OpcUaPublisher
from standin.over.publisher import map_of
from standin.over.text import SerialPublisher, TextPublisher

HOST = "127.0.0.1"
NOBODY = 65534


class Faults(unittest.IsolatedAsyncioTestCase):
    async def says(self, document: dict[str, Any]) -> str:
        """Why an adapter of this map does not serve: the first reason that is of its source."""
        adapter = Adapter(stand_map.checked(document))
        port: asyncio.Future[int] = asyncio.get_running_loop().create_future()
        running = asyncio.create_task(adapter.run(HOST, 0, port.set_result))
        try:
            async with asyncio.timeout(WAIT_S):
                while True:
                    peer = Peer(*await asyncio.open_connection(HOST, await port))
                    why = await peer.hear_end()
                    peer.writer.close()
                    if "yet" not in why:
                        return why
                    await asyncio.sleep(0.1)
        finally:
            running.cancel()
            await asyncio.gather(running, return_exceptions=True)

    async def test_registers_that_are_not_there_are_named_with_their_channels(self):
        async with Link(ModbusPublisher(HOST, free_port())) as link:
            document = map_of(link.said, link.publisher)
            document["channels"][1]["register"] = 5000
            self.assertRegex(
                await self.says(document), r"has no such register: holding registers 5000 to 5001 \(torque\)"
            )

    async def test_registers_that_are_missing_between_two_that_are_there_cost_neither(self):
        """The device has 100 to 133; a row far enough behind them is asked for with what lies between."""
        publisher = ModbusPublisher(HOST, free_port())
        publisher.apart_by = 6
        async with Link(publisher) as link:
            peer = await link.peer()
            await peer.hear(10)
        self.assertNotIn(None, peer.column("rpm")[-5:])
        self.assertNotIn(None, peer.column("fuel_pressure")[-5:])

    async def test_a_device_of_another_id_is_said(self):
        async with Link(ModbusPublisher(HOST, free_port())) as link:
            document = map_of(link.said, link.publisher)
            document["sources"][0]["device_id"] = 9
            self.assertRegex(await self.says(document), r"127.0.0.1:\d+ (does not answer|failed).*and 14 more")

    async def test_a_node_that_goes_is_named_and_found_again(self):
        async with Link(publisher := OpcUaPublisher(HOST, free_port())) as link:
            document = map_of(link.said, publisher)
            document["channels"][1]["node"] = "ns=2;s=stand.gone"
            self.assertRegex(await self.says(document), "torque: the server has no node ns=2;s=stand.gone")

    async def test_a_line_that_is_open_and_says_nothing_is_lost_after_its_time(self):
        async def says_nothing(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
            await reader.read()
            writer.close()

        silent = await asyncio.start_server(says_nothing, HOST, 0)
        self.addCleanup(silent.close)
        async with Link(TextPublisher(HOST, free_port())) as link:
            document = map_of(link.said, link.publisher)
        document["sources"][0]["port"] = silent.sockets[0].getsockname()[1]
        self.assertIn("nothing came for 1 s", await self.says(document))

    async def test_what_sends_no_lines_is_said(self):
        async def noise(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
            writer.write(b"x" * 100_000)
            await reader.read()
            writer.close()

        noisy = await asyncio.start_server(noise, HOST, 0)
        self.addCleanup(noisy.close)
        async with Link(TextPublisher(HOST, free_port())) as link:
            document = map_of(link.said, link.publisher)
        document["sources"][0]["port"] = noisy.sockets[0].getsockname()[1]
        self.assertIn("sends no lines", await self.says(document))

    @unittest.skipUnless(os.geteuid() == 0, "only root can become somebody who may not")
    def test_a_serial_line_that_this_user_may_not_open_is_said_with_what_to_do(self):
        master, slave = os.openpty()
        self.addCleanup(os.close, master)
        self.addCleanup(os.close, slave)
        device = os.ttyname(slave)
        os.chmod(device, 0o600)
        loaded = (
            "import os, sys, adapters.readers, adapters.sources.text, adapters.sources.modbus, adapters.trial as trial"
        )
        program = f"{loaded}; os.seteuid({NOBODY}); sys.exit(trial.main())"
        command = [sys.executable, "-c", program, "--seconds", "1"]
        for source, place in (
            ({"kind": "text", "over": "serial"}, {"field": "1"}),
            ({"kind": "modbus"}, {"register": 1}),
        ):
            document = {
                "stand": "Cell", "rate_hz": 50, "channels": [{"name": "rpm", "unit": "rpm", **place}],
                "sources": [{**source, "name": "logger", "serial": device}],
            }  # fmt: skip
            done = subprocess.run(command, input=json.dumps(document), capture_output=True, text=True, check=True)
            why = json.loads(done.stdout)["sources"][0]["why"]
            self.assertIn("may not be opened by this user: add the user to the group of the device", why)

    async def test_two_adapters_on_one_serial_line_the_second_is_refused(self):
        for publisher in (SerialPublisher(), ModbusRtuPublisher()):
            async with Link(publisher) as link:
                peer = await link.peer()
                self.assertIn("is used by another program", await self.says(map_of(link.said, link.publisher)))
                heard = len(peer.rows)
                await peer.hear(heard + 5)  # the first goes on

    async def test_a_device_that_is_not_plugged_in_is_said(self):
        for publisher in (SerialPublisher(), ModbusRtuPublisher()):
            async with Link(publisher) as link:
                document = map_of(link.said, link.publisher)
            document["sources"][0]["serial"] = "/dev/ttyNowhere"
            self.assertIn("there is no /dev/ttyNowhere: is it plugged in?", await self.says(document))

    async def test_of_a_source_beside_that_of_the_speed_only_its_channels_are_missing(self):
        async with Link(publisher := TextPublisher(HOST, free_port())) as link:
            document = map_of(link.said, publisher)
            document["sources"].append({"kind": "mqtt", "name": "engine computer", "host": HOST, "port": free_port()})
            document["channels"].append({"name": "knock", "unit": "1", "topic": "ecu", "source": "engine computer"})
            adapter = Adapter(stand_map.checked(document))
            port: asyncio.Future[int] = asyncio.get_running_loop().create_future()
            running = asyncio.create_task(adapter.run(HOST, 0, port.set_result))
            peer = await Peer.connect(await port)
            await peer.hear(20)
            self.assertEqual((set(peer.column("knock")), None in peer.column("torque")), ({None}, False))
            self.assertIn("the broker at", adapter.why_not[1])
            peer.writer.close()
            running.cancel()
            await asyncio.gather(running, return_exceptions=True)

    async def test_a_command_is_refused_as_it_only_reports(self):
        async with Link(TextPublisher(HOST, free_port())) as link:
            peer = await link.peer()
            peer.writer.write(b'{"type": "command", "id": 7, "name": "abort"}\nnonsense\n')
            async with asyncio.timeout(WAIT_S):
                while len(peer.replies) < 2:
                    await peer.hear_one()
        self.assertEqual([(one["id"], one["ok"]) for one in peer.replies], [(7, False), (None, False)])
