"""The simulated stand as its clients hear it, over TCP."""

import asyncio
import json
from typing import Any
from unittest import IsolatedAsyncioTestCase

from standin.server import Server
from standin.stand import CHANNELS, Stand


class Client:
    def __init__(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self.reader, self.writer = reader, writer
        self.heard: list[dict[str, Any]] = []

    async def next(self, kind: str) -> dict[str, Any]:
        while True:
            line = await asyncio.wait_for(self.reader.readline(), 5)
            if not line:
                raise ConnectionError("the stand closed the line")
            self.heard.append(json.loads(line))
            if self.heard[-1]["type"] == kind:
                return self.heard[-1]

    async def ask(self, name: str, **arguments: object) -> dict[str, Any]:
        command = {"type": "command", "id": 9, "name": name, "arguments": arguments}
        self.writer.write(json.dumps(command).encode() + b"\n")
        return await self.next("reply")


class ServerCase(IsolatedAsyncioTestCase):
    options: dict[str, Any] = {"stepped": True}

    async def asyncSetUp(self) -> None:
        self.server = Server(Stand(seed=2), **self.options)
        listening = await self.server.serve("127.0.0.1", 0)
        self.port = listening.sockets[0].getsockname()[1]
        self.addCleanup(listening.close)
        self.addCleanup(self.server.task.cancel)

    async def connect(self) -> Client:
        reader, writer = await asyncio.open_connection("127.0.0.1", self.port, limit=1_000_000)
        self.addCleanup(writer.close)
        return Client(reader, writer)


class Conversation(ServerCase):
    async def test_hello_state_and_weather_come_first(self):
        client = await self.connect()
        await client.next("weather")
        self.assertEqual([message["type"] for message in client.heard], ["hello", "state", "weather"])
        hello = client.heard[0]
        self.assertEqual((hello["protocol"], hello["rate_hz"], hello["simulated"]), (1, 50.0, True))
        self.assertEqual(len(hello["channels"]), len(CHANNELS))

    async def test_a_refusal_has_its_reason_and_nonsense_is_answered(self):
        client = await self.connect()
        reply = await client.ask("start")
        self.assertEqual((reply["id"], reply["ok"], reply["why"]), (9, False, "not armed, the stand is idle"))
        for line in (b"garbage\n", b"[]\n", b'{"id":3}\n', b'{"id":4,"name":"arm","arguments":{}}\n'):
            client.writer.write(line)
            self.assertFalse((await client.next("reply"))["ok"])

    async def test_numbers_run_on_and_states_stand_in_their_place(self):
        client = await self.connect()
        await client.ask("arm", start_rpm=2000, end_rpm=6900, rate_rpm_s=350)
        await client.ask("start")
        while (await client.next("state"))["state"] != "idle":
            pass
        states = [message["state"] for message in client.heard if message["type"] == "state"]
        self.assertEqual(states[1:], ["armed", "sweeping", "rolling_off", "idle"])
        expected = 0
        for message in (message for message in client.heard if message["type"] == "samples"):
            self.assertEqual(message["n"], expected)
            expected += len(message["t"])
        self.assertGreater(expected, 700)

    async def test_time_skips_only_where_it_is_stepped(self):
        client = await self.connect()
        before = self.server.stand.seconds
        self.assertTrue((await client.ask("skip", seconds=60))["ok"])
        self.assertGreaterEqual(self.server.stand.seconds, before + 60)


class RealTime(ServerCase):
    options = {"speed": 10.0}

    async def test_samples_come_without_being_asked_and_time_cannot_be_skipped(self):
        client = await self.connect()
        first = await client.next("samples")
        second = await client.next("samples")
        self.assertEqual(second["n"], first["n"] + len(first["t"]))
        self.assertIn("own clock", (await client.ask("skip", seconds=60))["why"])

    async def test_its_pace_can_be_set_and_faster_time_means_longer_messages_not_more(self):
        client = await self.connect()
        self.assertTrue((await client.ask("pace", speed=20))["ok"])
        lengths = [len((await client.next("samples"))["t"]) for _ in range(5)]
        self.assertGreaterEqual(max(lengths), 15)
        self.assertIn("0.01 to 100", (await client.ask("pace", speed=1000))["why"])
        self.assertEqual(self.server.speed, 20)

    async def test_a_vanished_line_can_be_opened_again(self):
        client = await self.connect()
        client.writer.write(b'{"id":1,"name":"vanish","arguments":{}}\n')
        with self.assertRaises(ConnectionError):
            while True:
                await client.next("never")
        again = await self.connect()  # type: ignore[unreachable]
        self.assertEqual((await again.next("hello"))["protocol"], 1)
