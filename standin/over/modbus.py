"""A Modbus TCP server: two registers a channel, a float of 32 bits with its high word first."""

from __future__ import annotations

import math
import struct
from typing import Any

from pymodbus.constants import ExcCodes
from pymodbus.server import ModbusTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice

from standin.over.publisher import WEATHER, Row, Said

FIRST = 100
MISSING = -9999.0


class ModbusPublisher:
    def __init__(self, host: str, port: int) -> None:
        self.host, self.port = host, port
        self.registers: list[int] = []

    async def start(self, said: Said) -> None:
        count = len(said.channels) + len(WEATHER)
        self.registers = [0] * 2 * count
        device = SimDevice(1, [SimData(FIRST, 2 * count, 0, DataType.REGISTERS)], action=self._answer)
        self.server = ModbusTcpServer(device, address=(self.host, self.port))
        await self.server.serve_forever(background=True)

    async def _answer(
        self, code: int, start: int, address: int, count: int, registers: list[int], given: Any
    ) -> ExcCodes | None:
        registers[: len(self.registers)] = self.registers
        return None

    async def send(self, at_s: list[float], rows: list[Row], weather: list[float]) -> None:
        values = [MISSING if value is None else value for value in rows[-1]] + weather
        packed = struct.pack(f">{len(values)}f", *(value if math.isfinite(value) else MISSING for value in values))
        self.registers = list(struct.unpack(f">{2 * len(values)}H", packed))

    def source(self) -> dict[str, Any]:
        return {"kind": "modbus", "name": "brake", "host": self.host, "port": self.port}

    def place(self, number: int, name: str) -> dict[str, Any]:
        return {"register": FIRST + 2 * number, "type": "float32", "missing": [MISSING]}

    async def stop(self) -> None:
        await self.server.shutdown()  # type: ignore[no-untyped-call]
