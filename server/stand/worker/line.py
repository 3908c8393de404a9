"""The application's end of the line protocol (docs/line-protocol.md): bytes from the stand to checked messages."""

from __future__ import annotations

import json
import math
import socket
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field, ValidationError, field_validator

PROTOCOL = 1
LONGEST_LINE = 1_000_000  # bytes
CONNECT_TIMEOUT_S = 2.0
LONGEST_NAME, LONGEST_UNIT = 40, 16  # characters of a channel, as the columns hold
LONGEST_WHY = 250  # characters of a reason, as a pull keeps it
TIME = "time"  # the column that every pull has beside its channels


class LineLost(Exception):
    """The stand is not there, went away, or does not speak the protocol."""


class HelloRefused(LineLost):
    """The stand says of itself what no pull could be recorded with."""


@dataclass(frozen=True)
class Hello:
    stand: str
    rate_hz: float
    names: tuple[str, ...]
    units: tuple[str, ...]
    weather: tuple[tuple[str, str], ...]  # name, unit
    can: frozenset[str]
    inertia_in_torque: str  # included, not_included, unknown
    inertia: float  # kg·m²
    simulated: bool
    watchdog_s: float | None = None  # it stops by itself where it hears nothing for so long
    states: bool = True  # it tells when it arms, sweeps and idles; else Torvix finds the sweep


@dataclass(frozen=True)
class Samples:
    """Samples whose numbers follow each other from `first`: times (n,), s, and rows (n, channels), as sent.

    NaN where the stand sent nothing usable.
    """

    first: int
    times: NDArray[np.float64]
    rows: NDArray[np.float64]

    def table(self) -> NDArray[np.float64]:
        """Time and channels in one, as they are kept."""
        return np.column_stack([self.times, self.rows])

    def joined(self, after: Samples) -> Samples | None:
        """With those that follow without a gap; None where they do not."""
        if after.first != self.first + len(self.times):
            return None
        return Samples(self.first, np.concatenate([self.times, after.times]), np.concatenate([self.rows, after.rows]))


@dataclass(frozen=True)
class StateChange:
    state: str


@dataclass(frozen=True)
class LineWeather:
    values: list[float]


@dataclass(frozen=True)
class Reply:
    id: int
    ok: bool
    why: str


@dataclass(frozen=True)
class LineNotUnderstood:
    """A line that is not the protocol: noted, and otherwise passed over."""

    why: str


@dataclass(frozen=True)
class Farewell:
    """The stand closes the line, and says why: an adapter that does not hear its stand any more."""

    why: str


Message = Farewell | Hello | Samples | StateChange | LineWeather | Reply | LineNotUnderstood


@dataclass
class Line:
    """One open connection to a stand."""

    socket: socket.socket
    pending: bytearray = field(default_factory=bytearray)
    columns: int = 0

    @classmethod
    def connect(cls, host: str, port: int) -> Line:
        try:
            opened = socket.create_connection((host, port), timeout=CONNECT_TIMEOUT_S)
        except OSError as error:
            raise LineLost(f"nothing answers at {host}:{port} ({error.strerror or error})") from error
        opened.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        opened.setblocking(False)
        return cls(opened)

    def fileno(self) -> int:
        return self.socket.fileno()

    def close(self) -> None:
        self.socket.close()

    def send(self, identity: int, name: str, arguments: dict[str, Any]) -> None:
        self._say({"type": "command", "id": identity, "name": name, "arguments": arguments})

    def beat(self) -> None:
        """Somebody is there who watches."""
        self._say({"type": "alive"})

    def _say(self, message: dict[str, Any]) -> None:
        try:
            self.socket.sendall(json.dumps(message, ensure_ascii=False).encode() + b"\n")
        except OSError as error:
            raise LineLost(f"the line to the stand broke ({error.strerror or error})") from error

    def read(self) -> Iterator[Message]:
        """Every whole message that has come. LineLost when the stand has gone, or says that it goes."""
        try:
            while part := self.socket.recv(262_144):
                self.pending += part
                if len(part) < 262_144:
                    break
            else:
                raise LineLost("the stand closed the line")
        except BlockingIOError:
            pass
        except OSError as error:
            raise LineLost(f"the line to the stand broke ({error.strerror or error})") from error
        if len(self.pending) > LONGEST_LINE and b"\n" not in self.pending:
            raise LineLost("what answers there does not speak the line protocol")
        *lines, rest = self.pending.split(b"\n")
        self.pending = bytearray(rest)
        gathered: Samples | None = None  # what comes in many small messages is computed on as one block
        for line in lines:
            message = self._parse(bytes(line))
            if isinstance(message, Samples):
                together = gathered.joined(message) if gathered else message
                if gathered and not together:
                    yield gathered
                gathered = together or message
                continue
            if gathered:
                yield gathered
                gathered = None
            if isinstance(message, Farewell):
                raise LineLost(message.why)
            if isinstance(message, Hello):
                self.columns = len(message.names)
            yield message
        if gathered:
            yield gathered

    def _parse(self, line: bytes) -> Message:
        try:
            message = json.loads(line)
            match message["type"]:
                case "samples":
                    return self._samples(message)
                case "state":
                    return StateChange(str(message["state"]))
                case "weather":
                    return LineWeather([_number(value) for value in message["v"]])
                case "reply":
                    return Reply(int(message["id"] or 0), bool(message["ok"]), str(message.get("why", "")))
                case "hello":
                    return _hello(message)
                case "bye":
                    return Farewell(str(message["why"])[:LONGEST_WHY] or "the stand closed the line")
                case other:
                    return LineNotUnderstood(f"message type {other!r}")
        except (ValueError, KeyError, TypeError, IndexError, OverflowError) as error:
            return LineNotUnderstood(f"{type(error).__name__} {error} in {line[:80]!r}")

    def _samples(self, message: dict[str, Any]) -> Message:
        times = np.array(message["t"], dtype=np.float64)
        rows = _table(message["v"])
        if not len(times) or rows.shape != (len(times), self.columns) or not np.isfinite(times).all():
            return LineNotUnderstood(f"samples {message['n']}: not {self.columns} channels for each time")
        return Samples(int(message["n"]), times, rows)


def _table(rows: list[list[Any]]) -> NDArray[np.float64]:
    """As numbers, NaN for whatever else; ValueError where the rows are of different lengths."""
    if all(type(value) is float or type(value) is int for value in rows[0]):
        try:
            table = np.array(rows, dtype=np.float64)
        except (ValueError, TypeError):
            table = _careful(rows)
    else:
        table = _careful(rows)
    table[~np.isfinite(table)] = math.nan
    return table


def _careful(rows: list[list[Any]]) -> NDArray[np.float64]:
    return np.array([[_number(value) for value in row] for row in rows], dtype=np.float64)


def _number(value: object) -> float:
    """A finite number, or NaN for whatever else a broken sensor sends."""
    if isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value):
        return float(value)
    return math.nan


class _Channel(BaseModel):
    name: str = Field(min_length=1, max_length=LONGEST_NAME)
    unit: str = Field(max_length=LONGEST_UNIT)


class _Inertia(BaseModel):
    torque: Literal["included", "not_included", "unknown"] = "unknown"
    kg_m2: float | None = Field(default=None, ge=0, allow_inf_nan=False)


class _Hello(BaseModel):
    """What a hello has to be. Whatever a pull is recorded with is checked here, where the stand can still be mended."""

    protocol: int
    stand: str
    rate_hz: float = Field(ge=1, le=10_000, allow_inf_nan=False)
    channels: list[_Channel] = Field(min_length=1)
    weather: list[_Channel] = []
    can: list[str] = []
    inertia: _Inertia = _Inertia()
    simulated: bool = False
    watchdog_s: float | None = Field(default=None, gt=0, le=60, allow_inf_nan=False)
    states: bool = True

    @field_validator("protocol")
    @classmethod
    def ours(cls, protocol: int) -> int:
        if protocol != PROTOCOL:
            raise ValueError(f"the stand speaks protocol {protocol}, this is {PROTOCOL}")
        return protocol

    @field_validator("channels")
    @classmethod
    def separated(cls, channels: list[_Channel]) -> list[_Channel]:
        names = [channel.name for channel in channels]
        if twice := sorted({name for name in names if names.count(name) > 1}):
            raise ValueError(f"two channels are called {', '.join(twice)}")
        if TIME in names:
            raise ValueError(f"a channel is called {TIME}, as the time of every sample is")
        return channels


def _hello(message: dict[str, Any]) -> Hello:
    try:
        hello = _Hello.model_validate(message)
    except ValidationError as error:
        wrong = "; ".join(f"{'.'.join(map(str, one['loc']))}: {one['msg']}" for one in error.errors()[:3])
        raise HelloRefused(f"what it says of itself cannot be used ({wrong}). Mend it at the stand") from error
    return Hello(
        stand=hello.stand,
        rate_hz=hello.rate_hz,
        names=tuple(channel.name for channel in hello.channels),
        units=tuple(channel.unit for channel in hello.channels),
        weather=tuple((channel.name, channel.unit) for channel in hello.weather),
        can=frozenset(hello.can),
        inertia_in_torque=hello.inertia.torque,
        inertia=hello.inertia.kg_m2 or 0.0,
        simulated=hello.simulated,
        watchdog_s=hello.watchdog_s,
        states=hello.states,
    )
