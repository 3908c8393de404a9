"""A simulated stand over a standard, an adapter that reads it, and a line to what comes out: all in one process."""

from __future__ import annotations

import asyncio
import json
import logging
import socket
import subprocess
import time
from collections.abc import Iterator
from contextlib import AsyncExitStack, contextmanager
from pathlib import Path
from typing import Any

from adapters import stand_map
from adapters.adapter import Adapter
from ops.machine import BROKER
from standin.over.commands import Commands
from standin.over.publisher import Publisher, Said, map_of
from standin.server import Server
from standin.stand import Stand

for library in ("asyncua", "pymodbus", "asyncio"):  # what they say of a line that is cut on purpose
    logging.getLogger(library).setLevel(logging.CRITICAL)
RATE_HZ = 50.0
WAIT_S = 60.0  # a slow machine needs it, a fast one does not notice


def free_port(kind: int = socket.SOCK_STREAM) -> int:
    with socket.socket(socket.AF_INET, kind) as found:
        found.bind(("127.0.0.1", 0))
        return int(found.getsockname()[1])


@contextmanager
def broker_of(port: int, folder: Path) -> Iterator[subprocess.Popen[bytes]]:
    """Debian's, listening on the port."""
    config = folder / "broker.conf"
    config.write_text(f"listener {port} 127.0.0.1\nallow_anonymous true\npersistence false\n")
    quiet = subprocess.DEVNULL
    with subprocess.Popen([str(BROKER), "-c", str(config)], stdout=quiet, stderr=quiet) as broker:
        try:
            while broker.poll() is None:
                with socket.socket() as probe:
                    if probe.connect_ex(("127.0.0.1", port)) == 0:
                        break
                time.sleep(0.05)
            yield broker
        finally:
            broker.terminate()


class Peer:
    """Whoever reads the line: what a bench worker hears."""

    def __init__(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self.reader, self.writer = reader, writer
        self.hello: dict[str, Any] = {}
        self.times: list[float] = []
        self.rows: list[list[float | None]] = []
        self.weather: list[float | None] = []
        self.replies: list[dict[str, Any]] = []
        self.states: list[str] = []
        self.bye = ""

    @classmethod
    async def connect(cls, port: int) -> Peer:
        """Once the adapter hears its stand: until then it says why not, and closes."""
        async with asyncio.timeout(WAIT_S):
            while True:
                peer = cls(*await asyncio.open_connection("127.0.0.1", port, limit=4_000_000))
                await peer.hear_one()
                if peer.hello:
                    return peer
                peer.writer.close()
                await asyncio.sleep(0.1)

    async def hear_one(self) -> bool:
        line = await self.reader.readline()
        if not line:
            return False
        message = json.loads(line)
        match message["type"]:
            case "hello":
                self.hello = message
            case "samples":
                self.times += message["t"]
                self.rows += message["v"]
            case "weather":
                self.weather = message["v"]
            case "state":
                self.states.append(message["state"])
            case "reply":
                self.replies.append(message)
            case "bye":
                self.bye = message["why"]
        return True

    async def hear(self, samples: int) -> None:
        """So many, and the weather."""
        async with asyncio.timeout(WAIT_S):
            while (len(self.rows) < samples or None in (self.weather or [None])) and await self.hear_one():
                pass

    async def hear_end(self) -> str:
        """Why the adapter closed the line."""
        async with asyncio.timeout(WAIT_S):
            while await self.hear_one():
                pass
        return self.bye

    async def ask(self, name: str, **arguments: Any) -> dict[str, Any]:
        """A command, and its reply."""
        self.asked = getattr(self, "asked", 0) + 1
        self.say({"type": "command", "id": self.asked, "name": name, "arguments": arguments})
        async with asyncio.timeout(WAIT_S):
            while not any(one["id"] == self.asked for one in self.replies):
                assert await self.hear_one(), self.bye
        return self.replies[-1]

    def say(self, message: dict[str, Any]) -> None:
        self.writer.write(json.dumps(message).encode() + b"\n")

    async def until(self, state: str) -> None:
        """The stand says it."""
        async with asyncio.timeout(WAIT_S):
            while self.states[-1:] != [state]:
                assert await self.hear_one(), self.bye

    def column(self, name: str) -> list[float | None]:
        at = [one["name"] for one in self.hello["channels"]].index(name)
        return [row[at] for row in self.rows]


class Link:
    """Stand, publisher, adapter and line; `async with` it."""

    def __init__(
        self, publisher: Publisher, speed: float = 1.0, rate_hz: float = RATE_HZ, watchdog_s: float = 0.0
    ) -> None:
        """With a watchdog the stand takes commands, and the map has passed for one that conforms."""
        self.publisher, self.rate_hz = publisher, rate_hz
        self.stand = Stand(seed=3)
        self.server = Server(self.stand, rate_hz=rate_hz, speed=speed, reports_only=True)
        if watchdog_s:
            self.server.commands = Commands(self.stand, watchdog_s, time.monotonic)
        self.tasks: list[asyncio.Task[None]] = []

    async def __aenter__(self) -> Link:
        self.stack = AsyncExitStack()
        channels = tuple((name, unit) for name, unit, _ in self.stand.channels)
        said = Said(channels, self.rate_hz, self.stand.engine.inertia, self.server.commands)
        await self.start_publisher(said)
        self.said = said
        listening = await self.server.serve("127.0.0.1", 0)
        self.console_port = listening.sockets[0].getsockname()[1]
        self.stack.callback(listening.close)
        self.stack.callback(self.server.task.cancel)
        self.map = stand_map.checked(map_of(said, self.publisher))
        if self.map.control:
            self.map.control.conformed = stand_map.digest(self.map)
        self.adapter = Adapter(self.map)
        port: asyncio.Future[int] = asyncio.get_running_loop().create_future()
        self.tasks.append(asyncio.create_task(self.adapter.run("127.0.0.1", 0, port.set_result)))
        self.port = await port
        return self

    async def start_publisher(self, said: Said) -> None:
        await self.publisher.start(said)
        self.server.also = self.publisher

    async def cut(self) -> None:
        """The stand goes away."""
        self.server.also = None
        await self.publisher.stop()

    async def mend(self) -> None:
        await self.start_publisher(self.said)

    async def console(self) -> Peer:
        """The line of the stand itself."""
        found = await Peer.connect(self.console_port)
        self.stack.callback(found.writer.close)
        return found

    async def peer(self) -> Peer:
        found = await Peer.connect(self.port)
        self.stack.callback(found.writer.close)
        return found

    async def __aexit__(self, *error: object) -> None:
        for task in self.tasks:
            task.cancel()
        await asyncio.gather(*self.tasks, return_exceptions=True)
        if self.server.also:
            await self.cut()
        await self.stack.aclose()
