"""OPC UA: a server with a node a channel, each value with the time of its sample."""

from __future__ import annotations

from datetime import UTC
from typing import Any

from asyncua import Node, Server, ua
from asyncua.common.callback import CallbackType

from standin.over.commands import NAMES
from standin.over.publisher import Row, Said

SPACE = "urn:torvix:simulated-stand"


class OpcUaPublisher:
    def __init__(self, host: str, port: int) -> None:
        self.address = f"opc.tcp://{host}:{port}/stand"

    async def start(self, said: Said) -> None:
        self.server = Server()
        await self.server.init()
        self.server.set_endpoint(self.address)
        self.server.set_server_name("Simulated stand")
        self.server.set_security_policy([ua.SecurityPolicyType.NoSecurity])
        self.space = await self.server.register_namespace(SPACE)
        stand = await self.server.nodes.objects.add_object(ua.NodeId.from_string(f"ns={self.space};s=stand"), "Stand")
        self.nodes: list[Node] = []
        for name in said.names:
            node = ua.NodeId.from_string(f"ns={self.space};s=stand.{name}")
            self.nodes.append(await stand.add_variable(node, name, 0.0, ua.VariantType.Double))
            await self._write(self.nodes[-1], None, ua.DateTime.now(UTC))  # before its first sample it knows nothing
        self.commands, self.orders = said.commands, {}
        for name in NAMES if self.commands else ():
            order = ua.NodeId.from_string(f"ns={self.space};s=orders.{name}")
            await (await stand.add_variable(order, f"orders.{name}", 0, ua.VariantType.UInt16)).set_writable()
            self.orders[order] = name
        if self.commands:
            self.server.subscribe_server_callback(CallbackType.PostWrite, self._hear)
        await self.server.start()

    def _hear(self, event: Any, dispatcher: Any = None) -> None:
        """Whatever is written, and taken, from outside."""
        if not self.commands or not event.is_external:
            return
        for one, taken in zip(event.request_params.NodesToWrite, event.response_params, strict=True):
            if (name := self.orders.get(one.NodeId)) and taken.is_good():
                self.commands.put(name, float(one.Value.Value.Value))

    async def send(self, at_s: list[float], rows: list[Row], further: list[float]) -> None:
        now = ua.DateTime.now(UTC)
        for node, value in zip(self.nodes, [*rows[-1], *further], strict=True):
            await self._write(node, value, now)

    async def _write(self, node: Node, value: float | None, at: ua.DateTime) -> None:
        quality = ua.StatusCode(ua.UInt32(ua.StatusCodes.Good if value is not None else ua.StatusCodes.BadNoData))
        number = ua.Variant(float(value or 0.0), ua.VariantType.Double)
        said = ua.DataValue(number, quality, SourceTimestamp=at)
        await self.server.write_attribute_value(node.nodeid, said)

    def source(self) -> dict[str, Any]:
        return {"kind": "opcua", "name": "server", "address": self.address}

    def place(self, number: int, name: str) -> dict[str, Any]:
        return {"node": f"ns={self.space};s=stand.{name}"}

    def command(self, name: str) -> dict[str, Any]:
        return {"node": f"ns={self.space};s=orders.{name}"}

    async def stop(self) -> None:
        await self.server.stop()
