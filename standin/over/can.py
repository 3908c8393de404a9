"""CAN: frames of four signals each over a bus of UDP on this machine, with a DBC file of our own."""

from __future__ import annotations

from typing import Any

import can
import cantools
from cantools.database.can import Database

from standin.over.publisher import WEATHER, Row, Said

FIRST_FRAME = 0x200
SIGNALS = 2  # of 32 bits each in a frame of 8 bytes
GROUP = "239.74.163.2"
MISSING = 2**31 - 1
STEP = 0.001


class CanPublisher:
    def __init__(self, port: int) -> None:
        self.port = port

    async def start(self, said: Said) -> None:
        names = [name for name, _ in said.channels] + [name for name, _ in WEATHER]
        self.frames = [names[at : at + SIGNALS] for at in range(0, len(names), SIGNALS)]
        self.dbc = dbc_of(self.frames)
        database = cantools.database.load_string(self.dbc, "dbc")
        assert isinstance(database, Database)
        self.messages = [database.get_message_by_frame_id(FIRST_FRAME + at) for at in range(len(self.frames))]
        self.bus = can.Bus(interface="udp_multicast", channel=GROUP, port=self.port)

    async def send(self, at_s: list[float], rows: list[Row], weather: list[float]) -> None:
        for row in rows:
            values: list[float | None] = [*row, *weather]
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

    async def stop(self) -> None:
        self.bus.shutdown()


def dbc_of(frames: list[list[str]]) -> str:
    """The DBC file: signed thousandths, low byte first."""
    lines = ['VERSION ""', "NS_ :", "BS_:", "BU_: Stand"]
    for at, names in enumerate(frames):
        lines += ["", f"BO_ {FIRST_FRAME + at} Frame{at}: 8 Stand"]
        lines += [
            f' SG_ {name} : {32 * place}|32@1- ({STEP},0) [0|0] "" Vector__XXX' for place, name in enumerate(names)
        ]
    return "\n".join(lines) + "\n"
