"""The map of a stand: which register, topic, signal, node or field is which channel, as TOML (docs/adapters.md)."""

from __future__ import annotations

import tomllib
from typing import Annotated, Any, Literal

import tomli_w
from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator, model_validator
from torvix_core.units import quantities

SPEED, TORQUE = "rpm", "torque"
WEATHER = ("barometer", "temperature", "humidity")
MEASURED = {
    SPEED: "speed",
    TORQUE: "torque",
    "barometer": "pressure",
    "temperature": "temperature",
    "humidity": "fraction",
}  # without the unit nothing can be computed with them
MOST_DELAY_S = 2.0  # samples wait for the slowest source, and with them whoever watches a limit
LONGEST_NAME, LONGEST_UNIT = 40, 16  # characters of a channel, as the line protocol takes them


class MapProblem(Exception):
    """The map cannot be used. `errors` says why, by place: `channels.3.register`."""

    def __init__(self, errors: dict[str, str]) -> None:
        super().__init__("; ".join(f"{place}: {why}" for place, why in errors.items()))
        self.errors = errors


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class _Source(_Part):
    name: str = "stand"
    delay_s: Annotated[float, Field(ge=0, le=MOST_DELAY_S)] = 0.0  # by which it lags behind the source of the speed


class ModbusSource(_Source):
    """Registers that are polled, over TCP or a serial line (RTU)."""

    kind: Literal["modbus"] = "modbus"
    host: str = ""
    port: Annotated[int, Field(ge=1, le=65535)] = 502
    serial: str = ""  # a device, in place of host and port
    baud: Annotated[int, Field(ge=300, le=4_000_000)] = 19_200
    parity: Literal["N", "E", "O"] = "E"
    device_id: Annotated[int, Field(ge=0, le=255)] = 1
    timeout_s: Annotated[float, Field(gt=0, le=60)] = 1.0

    @model_validator(mode="after")
    def one_way(self) -> ModbusSource:
        if bool(self.host) == bool(self.serial):
            raise ValueError("give a host, or a serial device")
        return self


class MqttSource(_Source):
    """Topics of a broker, with a number or JSON as their payload."""

    kind: Literal["mqtt"] = "mqtt"
    host: Annotated[str, Field(min_length=1)]
    port: Annotated[int, Field(ge=1, le=65535)] = 1883
    user: str = ""
    password: str = ""
    time: str = ""  # where in the payload its time is, in seconds; by arrival where empty
    timeout_s: Annotated[float, Field(gt=0, le=60)] = 1.0


class CanSource(_Source):
    """Frames of a bus, read by a DBC file."""

    kind: Literal["can"] = "can"
    interface: Annotated[str, Field(min_length=1)] = "socketcan"
    channel: Annotated[str, Field(min_length=1)]
    port: Annotated[int, Field(ge=1, le=65535)] | None = None  # of an interface that runs over UDP
    bitrate: Annotated[int, Field(ge=1000, le=8_000_000)] = 500_000
    dbc: Annotated[str, Field(min_length=1)]  # the text of the file itself: a map is whole wherever it goes
    timeout_s: Annotated[float, Field(gt=0, le=60)] = 1.0


class OpcUaSource(_Source):
    """Nodes of a server, which tells of each change."""

    kind: Literal["opcua"] = "opcua"
    address: Annotated[str, Field(pattern=r"^opc\.tcp://")]
    user: str = ""
    password: str = ""
    timeout_s: Annotated[float, Field(gt=0, le=60)] = 2.0


class TextSource(_Source):
    """Lines of text, over TCP, UDP or a serial line."""

    kind: Literal["text"] = "text"
    over: Literal["tcp", "udp", "serial"] = "tcp"
    host: str = ""  # to connect to; over UDP the address of this machine to listen at
    port: Annotated[int, Field(ge=0, le=65535)] = 0
    serial: str = ""
    baud: Annotated[int, Field(ge=300, le=4_000_000)] = 115_200
    separator: Annotated[str, Field(max_length=4)] = ","  # empty: any white space
    decimal: Literal[".", ","] = "."
    time: str = ""  # the field that holds the time, in seconds; by arrival where empty
    timeout_s: Annotated[float, Field(gt=0, le=60)] = 1.0

    @model_validator(mode="after")
    def one_way(self) -> TextSource:
        if self.over == "serial" and not self.serial:
            raise ValueError("give the serial device")
        if self.over != "serial" and not self.port:
            raise ValueError("give the port")
        if self.separator == self.decimal:
            raise ValueError("the separator cannot be the decimal sign")
        return self


Source = Annotated[
    ModbusSource | MqttSource | CanSource | OpcUaSource | TextSource, Field(discriminator="kind")
]  # fmt: skip

# What says where in a source a channel is, by the kind of source
PLACE = {"modbus": "register", "mqtt": "topic", "can": "signal", "opcua": "node", "text": "field"}
REGISTER_TYPES = {"int16": 1, "uint16": 1, "int32": 2, "uint32": 2, "float32": 2, "int64": 4, "uint64": 4, "float64": 4}


class Channel(_Part):
    """A row of the map. The value is `scale` times what came, plus `offset`, in `unit`."""

    name: Annotated[str, Field(min_length=1, max_length=LONGEST_NAME)]
    unit: Annotated[str, Field(max_length=LONGEST_UNIT)] = ""
    source: str = ""  # by its name; the first where empty
    scale: float = 1.0
    offset: float = 0.0
    missing: list[float] = []  # what came, before scale and offset, where the sensor has nothing to say
    rate_hz: Annotated[float, Field(gt=0, le=10_000)] | None = None  # its own, where it is slower than the stream
    register_: Annotated[int, Field(ge=0, le=65_535)] | None = Field(default=None, alias="register")
    table: Literal["holding", "input"] = "holding"
    type: Literal["int16", "uint16", "int32", "uint32", "float32", "int64", "uint64", "float64"] = "uint16"
    words: Literal["high first", "low first"] = "high first"
    bytes: Literal["high first", "low first"] = "high first"
    topic: str | None = None
    path: str = ""  # within a payload of JSON: names and places with dots between; empty for a plain number
    signal: str | None = None  # message and signal with a dot between, or the signal alone where only one has it
    node: str | None = None
    field: str | None = None  # its place, counted from 1, or its name in a line of names

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, populate_by_name=True)

    @field_validator("unit")
    @classmethod
    def known(cls, unit: str) -> str:
        if unit and unit not in quantities.UNITS:
            raise ValueError(f"the unit {unit} is not known; leave it out, and the channel is stored only")
        return unit

    @field_validator("scale")
    @classmethod
    def not_nothing(cls, scale: float) -> float:
        if not scale:
            raise ValueError("a scale of 0 makes every value the same")
        return scale


class Inertia(_Part):
    torque: Literal["included", "not_included", "unknown"] = "unknown"
    kg_m2: Annotated[float, Field(ge=0)] | None = None


class StandMap(_Part):
    """What a stand says, and where it is found."""

    stand: Annotated[str, Field(min_length=1, max_length=80)]
    rate_hz: Annotated[float, Field(ge=1, le=10_000)]
    inertia: Inertia = Inertia()
    sources: Annotated[list[Source], Field(min_length=1)]
    channels: Annotated[list[Channel], Field(min_length=1)]
    weather: list[Channel] = []
    simulated: bool = False

    @property
    def rows(self) -> list[Channel]:
        """Channels, then weather: a row is named by its place here wherever it is read."""
        return [*self.channels, *self.weather]

    def rows_of(self, source: int) -> dict[int, Channel]:
        """Those of one source."""
        return {place: row for place, row in enumerate(self.rows) if self.source_of(row) == source}

    def source_of(self, row: Channel) -> int:
        """The place of its source in the list."""
        return next((at for at, one in enumerate(self.sources) if one.name == row.source), 0)


def read(text: str) -> StandMap:
    """The map that a text is. MapProblem says by place what is wrong."""
    try:
        document = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise MapProblem({"": f"this is not TOML: {error}"}) from error
    return checked(document)


def checked(document: dict[str, Any]) -> StandMap:
    """The map of what a TOML or JSON document holds. MapProblem says by place what is wrong."""
    try:
        found = StandMap.model_validate(document)
    except ValidationError as error:
        raise MapProblem({_place(one["loc"]): _said(one) for one in error.errors()}) from error
    if errors := _errors(found):
        raise MapProblem(errors)
    return found


def write(found: StandMap) -> str:
    """As TOML that reads back the same."""
    return tomli_w.dumps(plain(found))


def plain(found: StandMap) -> dict[str, Any]:
    """As a document of TOML or JSON; what has its usual value is omitted."""
    document = found.model_dump(by_alias=True, exclude_defaults=True, exclude_none=True)
    for source, one in zip(document["sources"], found.sources, strict=True):
        source["kind"] = one.kind
    return document


def _place(loc: tuple[int | str, ...]) -> str:
    kinds = set(PLACE)
    return ".".join(str(part) for part in loc if part not in kinds)


def _said(one: Any) -> str:
    if one["type"] == "missing":
        return "is needed"
    if one["type"] == "extra_forbidden":
        return "is not known here"
    return str(one["msg"]).removeprefix("Value error, ")


def _errors(found: StandMap) -> dict[str, str]:
    """What no part can see by itself."""
    errors: dict[str, str] = {}
    names = [one.name for one in found.channels]
    for needed in (SPEED, TORQUE):
        if needed not in names:
            errors["channels"] = f"a stand needs the channels {SPEED} and {TORQUE}"
    sources = [one.name for one in found.sources]
    if len(set(sources)) != len(sources):
        errors["sources"] = "two sources have one name"
    for part, rows in (("channels", found.channels), ("weather", found.weather)):
        seen: set[str] = set()
        for at, row in enumerate(rows):
            place = f"{part}.{at}"
            if row.name in seen or row.name == "time":
                errors[f"{place}.name"] = "is there twice" if row.name in seen else "is the name of the time itself"
            seen.add(row.name)
            if row.name == SPEED and found.sources[found.source_of(row)].delay_s:
                errors[f"sources.{found.source_of(row)}.delay_s"] = "the source of the speed is what others lag behind"
            if row.source and row.source not in sources:
                errors[f"{place}.source"] = f"no source is called {row.source}"
                continue
            wanted = PLACE[found.sources[found.source_of(row)].kind]
            if getattr(row, "register_" if wanted == "register" else wanted) in (None, ""):
                errors[f"{place}.{wanted}"] = "is needed"
            if part == "weather" and row.name not in WEATHER:
                errors[f"{place}.name"] = f"weather is {', '.join(WEATHER)}"
            measure = MEASURED.get(row.name)
            if measure and (not row.unit or quantities.measures(row.unit) != measure):
                errors[f"{place}.unit"] = f"needs a unit of {measure}: {', '.join(quantities.units_of(measure))}"
    return errors
