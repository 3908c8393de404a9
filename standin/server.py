"""The stand's side of the line protocol (docs/line-protocol.md): newline-delimited JSON over TCP."""

from __future__ import annotations

import asyncio
import json
from dataclasses import dataclass, field
from typing import Any

from standin.faults import Trouble
from standin.over.commands import Commands
from standin.over.commands import number as state_number
from standin.over.publisher import WEATHER as WEATHER_CHANNELS
from standin.over.publisher import Publisher, Row
from standin.stand import Refused, Stand, State

WEATHER_EVERY_S = 2.0
WATCHDOG_S = 1.5  # without a word from whoever armed it the stand stops by itself
MOVING = (State.ARMED, State.SWEEPING)
BEHIND_S = 0.5  # that a stand in its own time may have to catch up
SLOWEST, FASTEST = 0.01, 100.0  # times real
LONGEST_LINE = 65_536  # bytes; a longer one is not the protocol


@dataclass
class Server:
    """Runs one stand in real time, faster, or stepped: then time moves only in a pull or by `skip`."""

    stand: Stand
    rate_hz: float = 50.0
    speed: float = 1.0
    stepped: bool = False
    reports_only: bool = False  # it takes no commands over the line and tells no states, as most stands do
    watchdog_s: float = WATCHDOG_S
    paced: bool = False  # the pace was changed: time is counted from now
    guard: asyncio.StreamWriter | None = None  # who armed the stand over the line, and so watches it
    guard_heard: float = 0.0
    clients: set[asyncio.StreamWriter] = field(default_factory=set)
    sent: int = 0
    also: Publisher | None = None  # what takes the samples out besides the line
    commands: Commands | None = None  # that come in by it

    async def serve(self, host: str, port: int) -> asyncio.Server:
        server = await asyncio.start_server(self._client, host, port, limit=LONGEST_LINE)
        self.task = asyncio.get_running_loop().create_task(self._run())
        return server

    async def _client(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self.clients.add(writer)
        try:
            await self._say(writer, self._hello())
            if not self.reports_only:
                await self._say(writer, self._state_message())
            await self._say(writer, self._weather_message())
            while line := await reader.readline():
                await self._hear(writer, line)
        except (ConnectionError, ValueError, asyncio.CancelledError):
            pass  # the client went away, sent a line longer than the protocol allows, or the stand is stopped
        finally:
            self.clients.discard(writer)
            writer.close()
            if writer is self.guard:
                await self._stop_by_itself()

    async def _hear(self, writer: asyncio.StreamWriter, line: bytes) -> None:
        reply: dict[str, Any] = {"type": "reply", "id": None, "ok": True, "why": ""}
        before = self.stand.state
        if writer is self.guard:
            self.guard_heard = asyncio.get_running_loop().time()
        try:
            message = json.loads(line)
            if message.get("type") == "alive":
                return
            reply["id"] = message["id"]
            arguments = message.get("arguments", {})
            reply |= await self._obey(message["name"], arguments)
            if message["name"] in ("arm", "start") and not arguments.get("at_console"):
                self.guard, self.guard_heard = writer, asyncio.get_running_loop().time()
        except Refused as refusal:
            reply |= {"ok": False, "why": str(refusal)}
        except (ValueError, KeyError, TypeError, AttributeError) as error:
            reply |= {"ok": False, "why": f"not understood: {error}"}
        await self._say(writer, reply)
        if self.stand.state is not before:
            await self._tell(self._state_message())

    async def _obey(self, name: str, arguments: dict[str, Any]) -> dict[str, Any]:
        """Do it; what the reply says beside that it is done."""
        if name == "skip":
            if not self.stepped:
                raise Refused("this stand runs by its own clock")
            self.stand.skip(float(arguments["seconds"]))
            await self._tell(self._weather_message())
            await self._samples(1)
        elif name == "pace":
            if self.stepped:
                raise Refused("time is stepped here")
            speed = float(arguments["speed"])
            if not SLOWEST <= speed <= FASTEST:
                raise Refused(f"the pace is {SLOWEST} to {FASTEST:.0f} times real")
            self.speed, self.paced = speed, True
        elif name == "vanish":
            self._cut()
        elif name == "truth":
            return {"torque": self.stand.truth([float(rpm) for rpm in arguments["rpm"]]),
                    "parts": self.stand.parts_truth()}  # fmt: skip
        else:
            self.stand.command(name, arguments)
        return {}

    async def _stop_by_itself(self) -> None:
        """Nobody watches any more."""
        self.guard = None
        if self.stand.state in MOVING:
            self.stand.command("abort", {})
            await self._tell(self._state_message())

    def _cut(self) -> None:
        self.stand.faults.troubles.discard(Trouble.VANISH)
        for client in tuple(self.clients):
            client.transport.abort()

    async def _run(self) -> None:
        loop = asyncio.get_running_loop()
        started, weather_at = loop.time(), self.stand.seconds
        done = 0
        while True:
            if self.paced:
                started, done, self.paced = loop.time(), 0, False
            pulling = self.stand.state in (State.SWEEPING, State.ROLLING_OFF)
            # Stepped time stands still for as long as somebody thinks; a line that closes counts there, too.
            if self.commands:
                self.commands.tend()
            if self.guard and not self.stepped and loop.time() - self.guard_heard > self.watchdog_s:
                await self._stop_by_itself()
            if self.stepped:
                await (self._samples(25) if pulling else asyncio.sleep(0.005))
                continue
            due = int((loop.time() - started) * self.rate_hz * self.speed) - done
            if due <= 0:
                # In faster time no more messages than in real time: each holds more samples.
                ahead = max(1.0, self.speed) / (self.rate_hz * self.speed)
                await asyncio.sleep(done / (self.rate_hz * self.speed) + ahead - (loop.time() - started))
                continue
            most = int(self.rate_hz * self.speed * BEHIND_S) + 1
            if due > most:  # the machine cannot keep up: time runs slower, rather than commands waiting
                started += (due - most) / (self.rate_hz * self.speed)
                due = most
            await self._samples(due)
            done += due
            await asyncio.sleep(0)  # commands come in between
            if self.stand.seconds - weather_at >= WEATHER_EVERY_S:
                weather_at = self.stand.seconds
                await self._tell(self._weather_message())

    async def _samples(self, count: int) -> None:
        """Step and send; a message ends where the state changes, so that a client sees the change in its place."""
        rows: list[list[float | None]] = []
        times: list[float] = []
        first = self.sent
        for _ in range(count):
            before = self.stand.state
            rows.append(self.stand.step(1 / self.rate_hz))
            times.append(round(self.stand.seconds, 6))
            self.sent += 1
            if Trouble.VANISH in self.stand.faults.troubles:
                self._cut()
                return
            if self.stand.state is not before:
                await self._hand_out(first, times, rows, before)
                await self._tell(self._state_message())
                rows, times, first = [], [], self.sent
                if self.stepped and self.stand.state is State.IDLE:
                    return
        if rows:
            await self._hand_out(first, times, rows, self.stand.state)

    async def _hand_out(self, first: int, times: list[float], rows: list[Row], state: State) -> None:
        await self._tell({"type": "samples", "n": first, "t": times, "v": rows})
        if self.also and Trouble.HUSH not in self.stand.faults.troubles:
            await self.also.send(times, rows, self._air() + ([state_number(state)] if self.commands else []))

    def _hello(self) -> dict[str, Any]:
        can = [] if self.reports_only else ["arm", "start", "abort", "holds"]
        can += ["fit", "fault", "trouble", "script", "truth", "vanish"]
        can += ["skip"] if self.stepped else ["pace"]
        return {
            "type": "hello",
            "protocol": 1,
            "stand": "Simulated stand",
            "simulated": True,
            "rate_hz": self.rate_hz,
            "channels": [{"name": name, "unit": unit} for name, unit, _ in self.stand.channels],
            "weather": [{"name": name, "unit": unit} for name, unit in WEATHER_CHANNELS],
            "can": can,
            "states": not self.reports_only,
            **({} if self.reports_only or self.stepped else {"watchdog_s": self.watchdog_s}),
            "inertia": {"torque": "not_included", "kg_m2": self.stand.engine.inertia},
        }

    def _state_message(self) -> dict[str, Any]:
        return {"type": "state", "state": self.stand.state.value, "t": round(self.stand.seconds, 6)}

    def _weather_message(self) -> dict[str, Any]:
        return {"type": "weather", "t": round(self.stand.seconds, 6), "v": self._air()}

    def _air(self) -> list[float]:
        air = self.stand.weather()
        return [round(air.barometer, 3), round(air.temperature, 2), round(air.humidity, 1)]

    async def _tell(self, message: dict[str, Any]) -> None:
        if Trouble.HUSH in self.stand.faults.troubles or (self.reports_only and message["type"] == "state"):
            return
        for client in tuple(self.clients):
            try:
                await self._say(client, message)
            except ConnectionError:
                self.clients.discard(client)

    async def _say(self, writer: asyncio.StreamWriter, message: dict[str, Any]) -> None:
        writer.write(json.dumps(message, separators=(",", ":"), ensure_ascii=False).encode() + b"\n")
        await writer.drain()
