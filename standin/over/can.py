"""CAN: frames of four signals each over a bus of UDP on this machine, with a DBC file of our own."""

from __future__ import annotations

import asyncio
from typing import Any

import can
import cantools
from cantools.database.can import Database

from standin.over.commands import NAMES, SWEEP
from standin.over.publisher import Row, Said

FIRST_FRAME = 0x200
SWEEP_FRAME, ORDER_FRAME = 0x180, 0x181  # what it takes
SIGNALS = 2  # of 32 bits each in a frame of 8 bytes
GROUP = "239.74.163.2"
MISSING = 2**31 - 1
STEP = 0.001


class CanPublisher:
    def __init__(self, port: int) -> None:
        self.port = port

    async def start(self, said: Said) -> None:
        self.commands, names = said.commands, said.names
        self.frames = [names[at : at + SIGNALS] for at in range(0, len(names), SIGNALS)]
        self.dbc = dbc_of(self.frames) + (ORDERS if self.commands else "")
        database = cantools.database.load_string(self.dbc, "dbc")
        assert isinstance(database, Database)
        self.messages = [database.get_message_by_frame_id(FIRST_FRAME + at) for at in range(len(self.frames))]
        self.bus = can.Bus(interface="udp_multicast", channel=GROUP, port=self.port)
        self.notifier: can.Notifier | None = None
        if self.commands:
            self.orders = {one.frame_id: one for one in database.messages if one.frame_id in (SWEEP_FRAME, ORDER_FRAME)}
            self.notifier = can.Notifier(self.bus, [self._hear], loop=asyncio.get_running_loop())

    def _hear(self, frame: can.Message) -> None:
        """Every signal of a frame, whichever of them is meant: a command is a change."""
        if self.commands and frame.arbitration_id in self.orders:
            said: Any = self.orders[frame.arbitration_id].decode(bytes(frame.data), decode_choices=False)
            for name, value in said.items():
                self.commands.put(name, float(value))

    async def send(self, at_s: list[float], rows: list[Row], further: list[float]) -> None:
        for row in rows:
            values: list[float | None] = [*row, *further]
            for at, message in enumerate(self.messages):
                held = values[at * SIGNALS : (at + 1) * SIGNALS]
                said = {name: MISSING * STEP if value is None else value
                        for name, value in zip(self.frames[at], held, strict=True)}  # fmt: skip
                self.bus.send(can.Message(arbitration_id=message.frame_id, data=message.encode(said, strict=False),
                                          is_extended_id=False))  # fmt: skip

    def source(self) -> dict[str, Any]:
        return {"kind": "can", "name": "bus", "interface": "udp_multicast", "channel": GROUP, "port": self.port,
                "dbc": self.dbc}  # fmt: skip

    def place(self, number: int, name: str) -> dict[str, Any]:
        return {"signal": f"Frame{number // SIGNALS}.{name}", "missing": [MISSING * STEP]}

    def command(self, name: str) -> dict[str, Any]:
        return {"signal": f"{'Sweep' if name in SWEEP else 'Orders'}.{name}"}

    async def stop(self) -> None:
        if self.notifier:
            self.notifier.stop(0.5)
        self.bus.shutdown()


def _orders() -> str:
    """Frames that it takes: the sweep in 16 bits a value, the orders a bit each."""
    lines = ["", f"BO_ {SWEEP_FRAME} Sweep: 6 Torvix"]
    lines += [f' SG_ {name} : {16 * at}|16@1+ (1,0) [0|0] "" Stand' for at, name in enumerate(SWEEP)]
    lines += ["", f"BO_ {ORDER_FRAME} Orders: 1 Torvix"]
    lines += [f' SG_ {name} : {at}|1@1+ (1,0) [0|0] "" Stand' for at, name in enumerate(NAMES[len(SWEEP) :])]
    return "\n".join(lines) + "\n"


ORDERS = _orders()


def dbc_of(frames: list[list[str]]) -> str:
    """The DBC file: signed thousandths, low byte first."""
    lines = ['VERSION ""', "NS_ :", "BS_:", "BU_: Stand"]
    for at, names in enumerate(frames):
        lines += ["", f"BO_ {FIRST_FRAME + at} Frame{at}: 8 Stand"]
        lines += [
            f' SG_ {name} : {32 * place}|32@1- ({STEP},0) [0|0] "" Vector__XXX' for place, name in enumerate(names)
        ]
    return "\n".join(lines) + "\n"
