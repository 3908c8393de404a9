"""Lines of text over TCP, UDP or a serial line: numbers between separators, by place or under names."""

from __future__ import annotations

import asyncio
import contextlib
import math
from collections.abc import AsyncGenerator, Callable

import serial

from adapters.control_map import Write
from adapters.source_map import TextSource
from adapters.sources.serial_port import why_not
from adapters.sources.source import SourceLost, Take, sent_text
from adapters.stand_map import Channel
from adapters.stream import SourceClock

LONGEST_LINE = 16_384  # bytes
WRITE_S = 0.2  # for a command on a serial line that takes nothing
LINE_END = b"\r\n"


class TextLines:
    """What a line says. A line with a name that the map knows says where each field is from then on."""

    def __init__(self, of: TextSource, rows: dict[int, Channel]) -> None:
        self.of, self.rows = of, rows
        self.names: list[str] = []
        self.time = SourceClock()
        self.wanted = {str(row.field) for row in rows.values()} | ({of.time} if of.time else set())
        self.by_name = any(not field.isdigit() for field in self.wanted)
        self.least = max((int(field) for field in self.wanted if field.isdigit()), default=1)

    def read(self, line: str, arrived_s: float) -> tuple[dict[int, float], float] | None:
        """Raw readings by row and when they were read; None for a line of names, of nothing or of too little."""
        parts = split(self.of, line)
        if self.by_name and self.wanted & set(parts):
            self.names = parts
            return None
        # A line that lost its end may have lost digits, too: none of it is taken.
        if len(parts) < max(self.least, len(self.names)) or not any(parts):
            return None
        readings = {place: value for place, row in self.rows.items()
                    if (value := self._number(parts, str(row.field))) is not None}  # fmt: skip
        if not readings:
            return None
        sent = self._number(parts, self.of.time) if self.of.time else None
        at = self.time.at(sent, arrived_s) if sent is not None and math.isfinite(sent) else arrived_s
        return readings, at

    def _number(self, parts: list[str], name: str) -> float | None:
        """NaN where the field is there and no number; None where the line has no such field."""
        at = int(name) - 1 if name.isdigit() else self.names.index(name) if name in self.names else -1
        if not 0 <= at < len(parts):
            return None
        text = parts[at] if self.of.decimal == "." else parts[at].replace(",", ".")
        try:
            return float(text)
        except ValueError:
            return math.nan


def split(of: TextSource, line: str) -> list[str]:
    return [part.strip() for part in (line.split(of.separator) if of.separator else line.split())]


class TextReader:
    def __init__(self, of: TextSource, rows: dict[int, Channel], rate_hz: float, clock: Callable[[], float]) -> None:
        self.of, self.clock = of, clock
        self.lines = TextLines(of, rows)
        self.where = of.serial if of.over == "serial" else f"{of.host}:{of.port}"
        self.writer: asyncio.StreamWriter | serial.Serial | None = None  # while the line is open

    async def write(self, row: Write, raw: float) -> None:
        """A line, ended as most devices want it; whether it is understood only the state says."""
        if self.writer is None:
            raise SourceLost(f"{self.where} does not answer")
        try:
            self.writer.write(sent_text(row, raw).encode() + LINE_END)
            if isinstance(self.writer, asyncio.StreamWriter):
                async with asyncio.timeout(self.of.timeout_s):
                    await self.writer.drain()
        except (TimeoutError, OSError) as error:
            raise SourceLost(f"the line to {self.where} broke ({error or 'it takes nothing'})") from error

    async def read(self, take: Take) -> None:
        async with contextlib.aclosing(self.raw_lines()) as lines:
            async for line in lines:
                if (found := self.lines.read(line.decode("utf-8", "replace"), self.clock())) is not None:
                    take(*found)

    def raw_lines(self) -> AsyncGenerator[bytes, None]:
        return {"tcp": self._tcp, "udp": self._udp, "serial": self._serial}[self.of.over]()

    async def _tcp(self) -> AsyncGenerator[bytes, None]:
        try:
            reader, writer = await asyncio.wait_for(
                asyncio.open_connection(self.of.host, self.of.port, limit=LONGEST_LINE), self.of.timeout_s + 1
            )
        except (TimeoutError, OSError) as error:
            raise SourceLost(f"nothing answers at {self.where} ({error or 'no answer'})") from error
        self.writer = writer
        try:
            while line := await reader.readline():
                yield line
            raise SourceLost(f"{self.where} closed the line")
        except ValueError as error:
            raise SourceLost(f"{self.where} sends no lines: {LONGEST_LINE} bytes came without an end") from error
        except OSError as error:
            raise SourceLost(f"the line to {self.where} broke ({error})") from error
        finally:
            self.writer = None
            writer.close()

    async def _udp(self) -> AsyncGenerator[bytes, None]:
        packets: asyncio.Queue[bytes] = asyncio.Queue(1000)

        class Heard(asyncio.DatagramProtocol):
            def datagram_received(self, data: bytes, addr: object) -> None:
                if not packets.full():
                    packets.put_nowait(data)

        loop = asyncio.get_running_loop()
        try:
            transport, _ = await loop.create_datagram_endpoint(
                Heard,
                local_addr=(self.of.host or "0.0.0.0", self.of.port),  # noqa: S104  # where the owner says so
            )
        except OSError as error:
            raise SourceLost(f"cannot listen at {self.where}: {error.strerror or error}") from error
        try:
            while True:
                for line in (await packets.get()).splitlines():
                    yield line
        finally:
            transport.close()

    async def _serial(self) -> AsyncGenerator[bytes, None]:
        try:
            port = serial.Serial(self.of.serial, self.of.baud, timeout=0, write_timeout=WRITE_S, exclusive=True)
        except (OSError, ValueError) as error:
            raise SourceLost(why_not(self.of.serial, error)) from error
        loop, ready, pending, begun = asyncio.get_running_loop(), asyncio.Event(), b"", False
        loop.add_reader(port.fileno(), ready.set)
        self.writer = port
        try:
            while True:
                await ready.wait()
                ready.clear()
                try:
                    data = port.read(65_536)
                except OSError as error:
                    raise SourceLost(f"the line to {self.where} broke ({error})") from error
                *lines, pending = (pending + data).split(b"\n")
                if len(pending) > LONGEST_LINE:
                    raise SourceLost(f"{self.where} sends no lines; is {self.of.baud} baud right?")
                for line in lines if begun else lines[1:]:  # opened in the middle of the first
                    yield line
                begun = begun or bool(lines)
        finally:
            self.writer = None
            loop.remove_reader(port.fileno())
            port.close()
