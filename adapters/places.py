"""Where in a source something is read or written: a register, a topic, a signal, a node, a field."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

# What says where in a source a channel is, by the kind of source
PLACE = {"modbus": "register", "mqtt": "topic", "can": "signal", "opcua": "node", "text": "field"}
# What says where something is written. A line of text is sent as it is; a field of what comes back is no place for it.
WRITTEN_AT = PLACE | {"text": "text"}
REGISTER_TYPES = {"int16": 1, "uint16": 1, "int32": 2, "uint32": 2, "float32": 2, "int64": 4, "uint64": 4, "float64": 4}
Order = Literal["high first", "low first"]


class Part(BaseModel):
    """Of a map: what is not known in it is an error, at its place."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, populate_by_name=True)


class Place(Part):
    """Of one value. Which of the fields say it depends on the kind of source."""

    source: str = ""  # by its name; the first where empty
    scale: float = 1.0
    offset: float = 0.0
    register_: Annotated[int, Field(ge=0, le=65_535)] | None = Field(default=None, alias="register")
    type: Literal["int16", "uint16", "int32", "uint32", "float32", "int64", "uint64", "float64"] = "uint16"
    words: Order = "high first"
    bytes: Order = "high first"
    topic: str | None = None
    signal: str | None = None  # message and signal with a dot between, or the signal alone where only one has it
    node: str | None = None

    def said(self, where: str) -> object:
        """What it says of one of the keys of `PLACE`."""
        return getattr(self, "register_" if where == "register" else where)
