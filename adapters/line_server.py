"""The stand's side of the line protocol (docs/line-protocol.md), for samples that come from elsewhere."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Awaitable, Callable, Coroutine
from contextlib import suppress
from dataclasses import dataclass, field
from typing import Any

from adapters.control import COMMANDS, Control, Refused
from adapters.stand_map import StandMap
from adapters.stream import Stream

PROTOCOL = 1
LET_GO = "let_go"  # beside the commands of the protocol, for the application that runs the adapter
LAST_WORD_S = 1.0
LOOPBACK = "127.0.0.1"
SEND_S = 0.02  # samples wait so long at most before they go out together
WEATHER_S = 2.0
LONGEST_LINE = 65_536  # bytes; a longer one is not the protocol
MOST_WAITING = 4_000_000  # bytes that a listener may be behind; then its line is cut, and what runs is marked


@dataclass
class LineServer:
    """Says hello and sends what the stream brings, to whoever is connected; says goodbye, and why, when it ends.

    Without `control` it takes no commands and says no states.
    """

    of: StandMap
    stream: Stream
    control: Control | None = None
    let_go: Callable[[float], Awaitable[str]] | None = None  # of serial lines, for so many seconds; why not
    why_not: str = "nothing was heard of the stand yet"  # "" while it can be heard
    clients: set[asyncio.StreamWriter] = field(default_factory=set)
    sent: int = 0

    def __post_init__(self) -> None:
        self._times: list[float] = []
        self._rows: list[list[float | None]] = []
        self.stream.send = self._add
        self.tasks: set[asyncio.Task[None]] = set()
        if self.control:
            self.stream.send_state = lambda at, raw: self.control.hear(raw) if self.control else None
            self.control.said = self._say_state

    async def serve(self, host: str, port: int) -> asyncio.Server:
        return await asyncio.start_server(self._client, host, port, limit=LONGEST_LINE)

    async def run(self) -> None:
        """Until cancelled: what has come goes out, many samples at a time."""
        loop = asyncio.get_running_loop()
        weather_at = 0.0
        while True:
            await asyncio.sleep(SEND_S)
            self.stream.release(self.stream.clock())
            self.flush()
            if self._has_weather and loop.time() - weather_at > WEATHER_S and self.clients:
                weather_at = loop.time()
                self._tell(self._weather())

    def _add(self, at: float, row: list[float | None]) -> None:
        self._times.append(round(at, 6))
        self._rows.append(row)

    def flush(self) -> None:
        if not self._rows:
            return
        message = {"type": "samples", "n": self.sent, "t": self._times, "v": self._rows}
        self.sent += len(self._rows)
        self._times, self._rows = [], []
        self._tell(message)

    def heard(self) -> None:
        self.why_not = ""

    def lost(self, why: str) -> None:
        """What arrived goes out first; then whoever listens hears why, and has to connect again."""
        self.stream.interrupt()
        self.flush()
        self.why_not = why
        for client in tuple(self.clients):
            self._say(client, {"type": "bye", "why": why})
            client.close()
        self.clients.clear()

    async def _client(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        if self.why_not:
            self._say(writer, {"type": "bye", "why": self.why_not})
            with suppress(TimeoutError, ConnectionError, ValueError):
                line = await asyncio.wait_for(reader.readline(), LAST_WORD_S)
                if LET_GO.encode() in line:  # it may be that for which the stand is not heard
                    self._hear(writer, line)
                    return
            writer.close()
            return
        self.flush()  # before it was there
        self._say(writer, self._hello())
        if self.control and self.control.state:
            self._say(writer, self._state(self.control.state))
        if self._has_weather:
            self._say(writer, self._weather())
        self.clients.add(writer)
        try:
            while line := await reader.readline():
                self._hear(writer, line)
        except (ConnectionError, ValueError):
            pass  # it went away, or sent a line longer than the protocol allows
        finally:
            self.clients.discard(writer)
            if self.control:
                self.control.gone(writer)
            writer.close()

    def _hear(self, writer: asyncio.StreamWriter, line: bytes) -> None:
        """Each command by itself: one that waits for the stand does not hold up a stop behind it."""
        identity, name, arguments = None, "", {}
        try:
            message = json.loads(line)
            if message.get("type") == "alive":
                if self.control:
                    self.control.beat(writer)
                return
            identity = message["id"]
            name, arguments = str(message["name"]), dict(message.get("arguments") or {})
        except (ValueError, KeyError, TypeError, AttributeError) as error:
            self._reply(writer, identity, f"not understood: {error}")
            return
        if name == LET_GO:
            self._by_itself(self._let_go(writer, identity, arguments))
            return
        if self.control is None:
            self._reply(writer, identity, "this stand only reports: start and stop it at its console")
            return
        self._by_itself(self._obey(self.control, writer, identity, name, arguments))

    def _by_itself(self, what: Coroutine[Any, Any, None]) -> None:
        task = asyncio.create_task(what)
        self.tasks.add(task)
        task.add_done_callback(self.tasks.discard)

    async def _let_go(self, writer: asyncio.StreamWriter, identity: Any, arguments: dict[str, Any]) -> None:
        why = ""
        if self.let_go is None or writer.get_extra_info("peername")[0] != LOOPBACK:
            why = "only the machine on which it runs may ask for that"
        else:
            try:
                why = await self.let_go(float(arguments["seconds"]))
            except (KeyError, TypeError, ValueError) as error:
                why = f"not understood: {error}"
        self._reply(writer, identity, why)
        if self.why_not:
            writer.close()

    async def _obey(
        self, control: Control, writer: asyncio.StreamWriter, identity: Any, name: str, arguments: dict[str, Any]
    ) -> None:
        try:
            await control.obey(writer, name, arguments)
        except Refused as refused:
            self._reply(writer, identity, str(refused))
        except (KeyError, TypeError, ValueError) as error:
            self._reply(writer, identity, f"not understood: {error}")
        else:
            self._reply(writer, identity, "")

    def _reply(self, writer: asyncio.StreamWriter, identity: Any, why: str) -> None:
        self._say(writer, {"type": "reply", "id": identity, "ok": not why, "why": why})

    def _state(self, state: str) -> dict[str, Any]:
        return {"type": "state", "state": state, "t": round(self.stream.clock(), 6)}

    def _say_state(self, state: str) -> None:
        self.flush()  # what came before it
        self._tell(self._state(state))

    def _hello(self) -> dict[str, Any]:
        return {
            "type": "hello",
            "protocol": PROTOCOL,
            "stand": self.of.stand,
            "simulated": self.of.simulated,
            "rate_hz": self.of.rate_hz,
            "channels": [
                {"name": one.name, "unit": one.unit} | ({"rate_hz": one.rate_hz} if one.rate_hz else {})
                for one in self.of.channels
            ],
            "weather": [{"name": one.name, "unit": one.unit} for one in self.of.weather],
            "can": list(COMMANDS) if self.control else [],
            "states": self.control is not None,
            **({"watchdog_s": self.control.of.watchdog_s} if self.control else {}),
            "inertia": self.of.inertia.model_dump(exclude_none=True),
        }

    @property
    def _has_weather(self) -> bool:
        return any(value is not None for value in self.stream.weather)

    def _weather(self) -> dict[str, Any]:
        return {"type": "weather", "t": round(self.stream.clock(), 6), "v": self.stream.weather}

    def _tell(self, message: dict[str, Any]) -> None:
        line = _line(message)
        for client in tuple(self.clients):
            client.write(line)
            if client.transport.get_write_buffer_size() > MOST_WAITING:
                self.clients.discard(client)
                client.transport.abort()

    @staticmethod
    def _say(writer: asyncio.StreamWriter, message: dict[str, Any]) -> None:
        writer.write(_line(message))


def _line(message: dict[str, Any]) -> bytes:
    return json.dumps(message, separators=(",", ":"), ensure_ascii=False).encode() + b"\n"
