"""Lines of text: pushed to whoever connects over TCP, or written to a pseudo-terminal that looks like a serial line."""

from __future__ import annotations

import asyncio
import os
import pty
import tty
from typing import Any

from standin.over.commands import NAMES, Commands
from standin.over.publisher import Row, Said


class TextPublisher:
    def __init__(self, host: str, port: int) -> None:
        self.host, self.port = host, port
        self.clients: set[asyncio.StreamWriter] = set()

    async def start(self, said: Said) -> None:
        self.head, self.commands = _line(["time", *said.names]), said.commands
        self.server = await asyncio.start_server(self._client, self.host, self.port)

    async def _client(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        writer.write(self.head)
        self.clients.add(writer)
        try:
            while line := await reader.readline():
                take(self.commands, line)
        except ConnectionError:
            pass
        finally:
            self.clients.discard(writer)
            writer.close()

    async def send(self, at_s: list[float], rows: list[Row], further: list[float]) -> None:
        lines = lines_of(at_s, rows, further)
        for client in tuple(self.clients):
            client.write(lines)

    def source(self) -> dict[str, Any]:
        return {"kind": "text", "name": "logger", "over": "tcp", "host": self.host, "port": self.port, "time": "time"}

    def place(self, number: int, name: str) -> dict[str, Any]:
        return {"field": name}

    def command(self, name: str) -> dict[str, Any]:
        return {"text": f"{name.upper()} {{value}}"}

    async def stop(self) -> None:
        self.server.close()
        for client in tuple(self.clients):
            client.close()


class SerialPublisher:
    """Fields by their place: a serial line was often opened after its head went by."""

    async def start(self, said: Said) -> None:
        self.ours, theirs = pty.openpty()
        tty.setraw(theirs)
        os.set_blocking(self.ours, False)
        self.device = os.ttyname(theirs)
        self.theirs = theirs  # held open, so that a reader that goes does not hang the line up
        self.commands, self.pending = said.commands, b""
        if self.commands:
            asyncio.get_running_loop().add_reader(self.ours, self._hear)

    def _hear(self) -> None:
        *lines, self.pending = (self.pending + os.read(self.ours, 4096)).split(b"\n")
        for line in lines:
            take(self.commands, line)

    async def send(self, at_s: list[float], rows: list[Row], further: list[float]) -> None:
        try:
            os.write(self.ours, lines_of(at_s, rows, further))
        except BlockingIOError:
            pass  # nobody reads: a serial line waits for nobody

    def source(self) -> dict[str, Any]:
        return {"kind": "text", "name": "logger", "over": "serial", "serial": self.device, "time": "1"}

    def place(self, number: int, name: str) -> dict[str, Any]:
        return {"field": str(number + 2)}

    def command(self, name: str) -> dict[str, Any]:
        return {"text": f"{name.upper()} {{value}}"}

    async def stop(self) -> None:
        if self.commands:
            asyncio.get_running_loop().remove_reader(self.ours)
        os.close(self.ours)
        os.close(self.theirs)


def take(commands: Commands | None, line: bytes) -> None:
    """`ARM 1`; what is no command is passed over."""
    name, _, number = line.decode("ascii", "replace").strip().partition(" ")
    if commands and name.lower() in NAMES:
        try:
            commands.put(name.lower(), float(number))
        except ValueError:
            pass


def lines_of(at_s: list[float], rows: list[Row], further: list[float]) -> bytes:
    air = [f"{value:.6g}" for value in further]
    return b"".join(
        _line([f"{at:.4f}", *("" if value is None else f"{value:.6g}" for value in row), *air])
        for at, row in zip(at_s, rows, strict=True)
    )


def _line(parts: list[str]) -> bytes:
    return ",".join(parts).encode() + b"\r\n"
