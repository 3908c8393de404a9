"""Modbus TCP and RTU: registers that are polled, as many as lie close in one request.

Source: Modbus Application Protocol V1.1b3, 6.3 and 6.4: at most 125 registers a request.
"""

from __future__ import annotations

import struct
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from pymodbus.client import AsyncModbusSerialClient, AsyncModbusTcpClient
from pymodbus.exceptions import ModbusException

from adapters.control_map import Write
from adapters.places import REGISTER_TYPES, Place
from adapters.source_map import ModbusSource
from adapters.sources.rounds import rounds
from adapters.sources.serial_port import why_closed
from adapters.sources.source import SourceLost, Take
from adapters.stand_map import Channel

MOST_REGISTERS = 125
MOST_NAMED = 3  # channels of a request that is refused
CLOSE = 12  # registers between two that are asked for together: less to carry than another request
NO_SUCH_REGISTER = 2  # exception code
FORMS = {"int16": "h", "uint16": "H", "int32": "i", "uint32": "I", "float32": "f", "int64": "q", "uint64": "Q",
         "float64": "d"}  # fmt: skip
EXCEPTIONS = {  # 7 of the same
    1: "does not know this kind of register",
    NO_SUCH_REGISTER: "has no such register",
    3: "does not take the request",
    4: "failed",
    6: "is busy",
    11: "has nothing behind it that answers",
}


@dataclass
class Block:
    """Registers that are read by one request, and which row of the map lies where."""

    table: str
    first: int
    count: int
    every: int = 1  # so many rounds
    rows: dict[int, Channel] = field(default_factory=dict)

    def values(self, registers: Sequence[int]) -> dict[int, float]:
        return {place: number(row, registers[(at := _register(row) - self.first) : at + REGISTER_TYPES[row.type]])
                for place, row in self.rows.items()}  # fmt: skip

    def apart(self) -> list[Block]:
        """One request a row: some devices refuse the registers between two that they have."""
        return [Block(self.table, _register(row), REGISTER_TYPES[row.type], self.every, {place: row})
                for place, row in self.rows.items()]  # fmt: skip


class RegisterRefused(SourceLost):
    """With the exception code of the standard."""

    def __init__(self, why: str, code: int) -> None:
        super().__init__(why)
        self.code = code


def registers_of(row: Write, raw: float) -> list[int]:
    """What some registers have to hold; SourceLost for a number that the type of the row has no room for."""
    form = FORMS[row.type]
    try:
        packed = struct.pack(f">{form}", raw if form in "fd" else round(raw))
    except (struct.error, OverflowError) as error:
        raise SourceLost(f"{raw:g} does not fit into {row.type}") from error
    pairs = [packed[at : at + 2] for at in range(0, len(packed), 2)]
    registers = [int.from_bytes(pair, "big" if row.bytes == "high first" else "little") for pair in pairs]
    return registers if row.words == "high first" else registers[::-1]


def number(row: Channel, registers: Sequence[int]) -> float:
    """What some registers hold, by the type and the order of the row."""
    ordered = registers if row.words == "high first" else list(reversed(registers))
    packed = b"".join(one.to_bytes(2, "big" if row.bytes == "high first" else "little") for one in ordered)
    return float(struct.unpack(f">{FORMS[row.type]}", packed)[0])


def _register(row: Place) -> int:
    assert row.register_ is not None
    return row.register_


def blocks_of(rows: dict[int, Channel], rate_hz: float) -> list[Block]:
    """The requests of a round; rows that are slower than the stream are asked for in every so many rounds."""
    blocks: list[Block] = []
    every = {place: max(1, round(rate_hz / (row.rate_hz or rate_hz))) for place, row in rows.items()}
    order = sorted(rows, key=lambda place: (every[place], rows[place].table, _register(rows[place])))
    for place in order:
        row = rows[place]
        end = _register(row) + REGISTER_TYPES[row.type]
        last = blocks[-1] if blocks else None
        fits = last and (last.table, last.every) == (row.table, every[place])
        if last and fits and _register(row) <= last.first + last.count + CLOSE and end - last.first <= MOST_REGISTERS:
            last.count = max(last.count, end - last.first)
            last.rows[place] = row
        else:
            blocks.append(Block(row.table, _register(row), end - _register(row), every[place], {place: row}))
    return blocks


class ModbusReader:
    """Polls at the rate of the stream, or as fast as the device answers where that is slower."""

    def __init__(self, of: ModbusSource, rows: dict[int, Channel], rate_hz: float, clock: Callable[[], float]) -> None:
        self.of, self.rate_hz, self.clock = of, rate_hz, clock
        self.blocks = blocks_of(rows, rate_hz)
        self.where = of.serial or f"{of.host}:{of.port}"
        self.client: AsyncModbusTcpClient | AsyncModbusSerialClient | None = None  # while it answers

    async def read(self, take: Take) -> None:
        client = self._client()
        try:
            if not await client.connect():
                closed = why_closed(self.of.serial) if self.of.serial else ""  # the library only logs it
                raise SourceLost(closed or f"nothing answers at {self.where}")
            self.client = client
            await self._poll(client, take)
        except (TimeoutError, ModbusException, OSError) as error:
            raise SourceLost(f"{self.where} does not answer ({error})") from error
        finally:
            self.client = None
            client.close()

    async def write(self, row: Write, raw: float) -> None:
        """It waits for the request that runs: a device answers one at a time."""
        if self.client is None:
            raise SourceLost(f"{self.where} does not answer")
        place, device = _register(row), self.of.device_id
        try:
            if row.table == "coil":
                answer = await self.client.write_coil(place, bool(raw), device_id=device)
            else:
                held = registers_of(row, raw)
                answer = (
                    await self.client.write_register(place, held[0], device_id=device)
                    if len(held) == 1
                    else await self.client.write_registers(place, held, device_id=device)
                )
        except (TimeoutError, ModbusException, OSError) as error:
            raise SourceLost(f"{self.where} does not answer ({error})") from error
        if answer.isError():
            why = EXCEPTIONS.get(getattr(answer, "exception_code", 0), "refuses it")
            raise SourceLost(f"{self.where} {why}: {row.table} {place}")

    def _client(self) -> AsyncModbusTcpClient | AsyncModbusSerialClient:
        # Asked once, and not again in silence: a late answer would be taken for that to the next question.
        if self.of.serial:
            return AsyncModbusSerialClient(
                self.of.serial, baudrate=self.of.baud, parity=self.of.parity, timeout=self.of.timeout_s, retries=0,
                reconnect_delay=0,
            )  # fmt: skip
        return AsyncModbusTcpClient(
            self.of.host, port=self.of.port, timeout=self.of.timeout_s, retries=0, reconnect_delay=0
        )

    async def _poll(self, client: AsyncModbusTcpClient | AsyncModbusSerialClient, take: Take) -> None:
        async for turn in rounds(self.rate_hz, self.clock):
            readings: dict[int, float] = {}
            begun = self.clock()
            for block in tuple(self.blocks):
                if turn % block.every == 0:
                    readings |= await self._read(client, block)
            take(readings, (begun + self.clock()) / 2)

    async def _read(self, client: AsyncModbusTcpClient | AsyncModbusSerialClient, block: Block) -> dict[int, float]:
        try:
            return block.values(await self._registers(client, block))
        except RegisterRefused as refused:
            if refused.code != NO_SUCH_REGISTER or len(block.rows) == 1:
                raise
        self.blocks.remove(block)
        self.blocks += block.apart()
        return {}  # they are read in the next round

    async def _registers(self, client: AsyncModbusTcpClient | AsyncModbusSerialClient, block: Block) -> list[int]:
        ask = client.read_holding_registers if block.table == "holding" else client.read_input_registers
        answer = await ask(block.first, count=block.count, device_id=self.of.device_id)
        if answer.isError():
            code = getattr(answer, "exception_code", 0)
            why = EXCEPTIONS.get(code, "refuses it")
            names = ", ".join(row.name for row in list(block.rows.values())[:MOST_NAMED])
            if len(block.rows) > MOST_NAMED:
                names += f" and {len(block.rows) - MOST_NAMED} more"
            registers = f"{block.table} registers {block.first} to {block.first + block.count - 1}"
            raise RegisterRefused(f"{self.where} {why}: {registers} ({names})", code)
        if len(answer.registers) < block.count:
            raise SourceLost(f"{self.where} answered with {len(answer.registers)} registers of {block.count}")
        return list(answer.registers)
