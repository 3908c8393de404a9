"""Which reader is of which source. A library of a standard is loaded only for a stand that speaks it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from importlib import import_module
from typing import Any

from adapters.sources.source import Source
from adapters.stand_map import Channel

READERS = {
    "modbus": "modbus.ModbusReader",
    "mqtt": "mqtt.MqttReader",
    "can": "can.CanReader",
    "opcua": "opcua.OpcUaReader",
    "text": "text.TextReader",
}


def reader_of(source: Any, rows: Mapping[int, Channel], rate_hz: float, clock: Callable[[], float]) -> Source:
    """Of a source of a map, with its rows by their place."""
    module, _, name = READERS[source.kind].partition(".")
    made: Source = getattr(import_module(f"adapters.sources.{module}"), name)(source, rows, rate_hz, clock)
    return made
