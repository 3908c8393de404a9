"""A Modbus server, over TCP or a serial line (RTU): two registers a channel, a float of 32 bits, high word first."""

from __future__ import annotations

import asyncio
import math
import os
import pty
import struct
import tty
from typing import Any

from pymodbus import FramerType
from pymodbus.constants import ExcCodes
from pymodbus.server import ModbusSerialServer, ModbusTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice

from standin.over.commands import NAMES
from standin.over.publisher import Row, Said

FIRST_COMMAND, FIRST = 90, 100
WRITES = (6, 16)  # function codes
MISSING = -9999.0


class ModbusPublisher:
    def __init__(self, host: str, port: int) -> None:
        self.host, self.port = host, port
        self.registers: list[int] = []
        self.apart_by = 0  # registers that do not exist, between the last channel and the weather

    async def start(self, said: Said) -> None:
        self.channels = len(said.channels)
        self.hole = range(FIRST + 2 * self.channels, FIRST + 2 * self.channels + self.apart_by)
        self.commands = said.commands
        self._hold([MISSING] * len(said.names))  # before its first sample it knows nothing
        self.begin = FIRST_COMMAND if self.commands else FIRST
        count = FIRST - self.begin + len(self.registers)
        self.server = self._server(
            SimDevice(1, [SimData(self.begin, count, 0, DataType.REGISTERS)], action=self._answer)
        )
        await self.server.serve_forever(background=True)

    def _server(self, device: SimDevice) -> ModbusTcpServer | ModbusSerialServer:
        return ModbusTcpServer(device, address=(self.host, self.port))

    async def _answer(
        self, code: int, start: int, address: int, count: int, registers: list[int], given: Any
    ) -> ExcCodes | None:
        if address < self.hole.stop and address + count > self.hole.start and self.hole:
            return ExcCodes.ILLEGAL_ADDRESS
        if code in WRITES:
            if address < self.begin or address + count > self.begin + len(NAMES) or not self.commands:
                return ExcCodes.ILLEGAL_ADDRESS
            for at, value in enumerate(given or [], address - self.begin):
                self.commands.put(NAMES[at], float(value))
            return None
        registers[FIRST - self.begin : FIRST - self.begin + len(self.registers)] = self.registers
        return None

    async def send(self, at_s: list[float], rows: list[Row], further: list[float]) -> None:
        self._hold([MISSING if value is None else value for value in rows[-1]] + further)

    def _hold(self, values: list[float]) -> None:
        packed = struct.pack(f">{len(values)}f", *(value if math.isfinite(value) else MISSING for value in values))
        held = struct.unpack(f">{2 * len(values)}H", packed)
        at = 2 * self.channels
        self.registers = [*held[:at], *[0] * self.apart_by, *held[at:]]

    def source(self) -> dict[str, Any]:
        return {"kind": "modbus", "name": "brake", "host": self.host, "port": self.port}

    def place(self, number: int, name: str) -> dict[str, Any]:
        register = FIRST + 2 * number + (self.apart_by if number >= self.channels else 0)
        return {"register": register, "type": "float32", "missing": [MISSING]}

    def command(self, name: str) -> dict[str, Any]:
        return {"register": FIRST_COMMAND + NAMES.index(name)}

    async def stop(self) -> None:
        await self.server.shutdown()  # type: ignore[no-untyped-call]


class ModbusRtuPublisher(ModbusPublisher):
    """Over a serial line that is two pseudo-terminals, with what is written to one read from the other.

    Without parity: a pseudo-terminal has none.
    """

    def __init__(self) -> None:
        super().__init__("", 0)

    async def start(self, said: Said) -> None:
        self.masters, slaves = zip(*(pty.openpty() for _ in range(2)), strict=True)
        self.slaves = slaves  # held open, so that an end that lets go does not hang the line up
        for slave in slaves:
            tty.setraw(slave)
        self.ours, self.device = (os.ttyname(slave) for slave in slaves)
        loop = asyncio.get_running_loop()
        for one, other in (self.masters, self.masters[::-1]):
            os.set_blocking(one, False)
            loop.add_reader(one, _carry, one, other)
        await super().start(said)

    def _server(self, device: SimDevice) -> ModbusSerialServer:
        return ModbusSerialServer(device, framer=FramerType.RTU, port=self.ours, parity="N", baudrate=115_200)

    def source(self) -> dict[str, Any]:
        return {"kind": "modbus", "name": "brake", "serial": self.device, "baud": 115_200, "parity": "N"}

    async def stop(self) -> None:
        await super().stop()
        for master, slave in zip(self.masters, self.slaves, strict=True):
            asyncio.get_running_loop().remove_reader(master)
            os.close(master)
            os.close(slave)


def _carry(one: int, other: int) -> None:
    os.write(other, os.read(one, 4096))
