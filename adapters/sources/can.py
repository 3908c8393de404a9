"""CAN: frames of a bus, decoded by the DBC file of its devices."""

from __future__ import annotations

import asyncio
import math
from collections.abc import Callable
from typing import Any

import can
import cantools
from cantools.database.can import Database

from adapters.control_map import Write
from adapters.dbc import find, load
from adapters.source_map import CanSource
from adapters.sources.source import SourceLost, Take
from adapters.stand_map import Channel
from adapters.stream import SourceClock


class Frames:
    """What a frame says of the rows of a map. SourceLost where the DBC does not fit the map."""

    def __init__(self, of: CanSource, rows: dict[int, Channel]) -> None:
        self.database = load(of.dbc)
        self.by_frame: dict[tuple[int, bool], dict[int, str]] = {}
        self.messages: dict[tuple[int, bool], Any] = {}
        for place, row in rows.items():
            try:
                message, signal = find(self.database, row)
            except SourceLost as lost:
                raise SourceLost(f"{row.name}: {lost}") from lost
            key = (message.frame_id, message.is_extended_frame)
            self.messages[key] = message
            self.by_frame.setdefault(key, {})[place] = signal
        self.time = SourceClock()

    def read(self, frame: can.Message, arrived_s: float) -> tuple[dict[int, float], float] | None:
        """Raw readings by row and when the frame was on the bus; None for a frame that no row asks for."""
        key = (frame.arbitration_id, frame.is_extended_id)
        rows = self.by_frame.get(key)
        if not rows or frame.is_error_frame or frame.is_remote_frame:
            return None
        try:
            said = self.messages[key].decode(bytes(frame.data), decode_choices=False)
        except (cantools.database.DecodeError, ValueError):
            return dict.fromkeys(rows, math.nan), arrived_s  # shorter than the DBC says
        readings = {place: _number(said.get(signal)) for place, signal in rows.items()}
        return readings, self.time.at(frame.timestamp, arrived_s) if frame.timestamp else arrived_s


def _number(value: object) -> float:
    return float(value) if isinstance(value, int | float) else math.nan


class CanReader:
    def __init__(self, of: CanSource, rows: dict[int, Channel], rate_hz: float, clock: Callable[[], float]) -> None:
        self.of, self.rows, self.clock = of, rows, clock
        self.bus: can.BusABC | None = None  # while it is open
        self.database: Database | None = None
        self.held: dict[str, dict[str, float]] = {}  # by message, what was sent last: a frame has all of its signals

    async def write(self, row: Write, raw: float) -> None:
        """A frame on the bus; whether anybody took it no bus says."""
        if self.bus is None or self.database is None:
            raise SourceLost(f"the bus {self.of.channel} is not open")
        message, signal = find(self.database, row)
        held = self.held.setdefault(message.name, dict.fromkeys((one.name for one in message.signals), 0.0))
        held[signal] = raw
        try:
            data = message.encode(held)
            frame = can.Message(arbitration_id=message.frame_id, data=data, is_extended_id=message.is_extended_frame)
            self.bus.send(frame, timeout=self.of.timeout_s)
        except (cantools.database.EncodeError, can.CanError, OSError, ValueError) as error:
            raise SourceLost(f"{row.signal} cannot be sent on {self.of.channel} ({error})") from error

    async def read(self, take: Take) -> None:
        frames = Frames(self.of, self.rows)
        more: dict[str, Any] = {"port": self.of.port} if self.of.port else {}
        try:
            bus = can.Bus(interface=self.of.interface, channel=self.of.channel, bitrate=self.of.bitrate, **more)
        except (can.CanError, OSError, ValueError, ImportError) as error:
            raise SourceLost(f"the bus {self.of.channel} cannot be opened ({error})") from error
        self.bus, self.database = bus, frames.database
        heard = can.AsyncBufferedReader()
        notifier = can.Notifier(bus, [heard], loop=asyncio.get_running_loop())
        try:
            async for frame in heard:
                if notifier.exception is not None:
                    raise SourceLost(f"the bus {self.of.channel} broke ({notifier.exception})")
                if (found := frames.read(frame, self.clock())) is not None:
                    take(*found)
        finally:
            self.bus = None
            notifier.stop(0.5)
            bus.shutdown()
