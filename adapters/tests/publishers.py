"""What a test of every standard runs over: a publisher of each, and a broker where one is needed."""

from __future__ import annotations

import tempfile
import unittest
from contextlib import ExitStack
from pathlib import Path

from adapters.tests.over import broker_of, free_port
from standin.over.can import CanPublisher
from standin.over.modbus import ModbusPublisher, ModbusRtuPublisher
from standin.over.mqtt import MqttPublisher
from standin.over.opcua import OpcUaPublisher
from standin.over.publisher import Publisher
from standin.over.text import SerialPublisher, TextPublisher

HOST = "127.0.0.1"


class OverAny(unittest.IsolatedAsyncioTestCase):
    def publisher(self) -> Publisher:
        raise NotImplementedError


class OverModbus(OverAny):
    def publisher(self) -> Publisher:
        return ModbusPublisher(HOST, free_port())


class OverModbusRtu(OverAny):
    def publisher(self) -> Publisher:
        return ModbusRtuPublisher()


class OverText(OverAny):
    def publisher(self) -> Publisher:
        return TextPublisher(HOST, free_port())


class OverSerial(OverAny):
    def publisher(self) -> Publisher:
        return SerialPublisher()


class OverCan(OverAny):
    def publisher(self) -> Publisher:
        return CanPublisher(free_port())


class OverOpcUa(OverAny):
    def publisher(self) -> Publisher:
        return OpcUaPublisher(HOST, free_port())


class OverMqtt(OverAny):
    """With Debian's broker, one for each test."""

    port = 0

    async def asyncSetUp(self) -> None:
        self.port = free_port()
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.broker = ExitStack()
        self.addCleanup(self.broker.close)
        self.start_broker()

    def start_broker(self) -> None:
        self.broker.enter_context(broker_of(self.port, self.folder))

    def publisher(self) -> Publisher:
        return MqttPublisher(HOST, self.port)
