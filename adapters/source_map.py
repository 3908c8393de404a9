"""The sources of a map: how a stand is reached by each kind of open standard."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from adapters.places import Part

MOST_DELAY_S = 2.0  # samples wait for the slowest source, and with them whoever watches a limit


class _Source(Part):
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
    """Nodes of a server, all read in one request a round."""

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
