"""OPC UA: a server with a node a channel, each value with the time of its sample."""

from __future__ import annotations

from datetime import UTC
from typing import Any

from asyncua import Node, Server, ua

from standin.over.publisher import WEATHER, Row, Said

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
        for name, _ in (*said.channels, *WEATHER):
            node = ua.NodeId.from_string(f"ns={self.space};s=stand.{name}")
            self.nodes.append(await stand.add_variable(node, name, 0.0, ua.VariantType.Double))
        await self.server.start()

    async def send(self, at_s: list[float], rows: list[Row], weather: list[float]) -> None:
        now = ua.DateTime.now(UTC)
        for node, value in zip(self.nodes, [*rows[-1], *weather], strict=True):
            quality = ua.StatusCode(ua.UInt32(ua.StatusCodes.Good if value is not None else ua.StatusCodes.BadNoData))
            number = ua.Variant(float(value or 0.0), ua.VariantType.Double)
            said = ua.DataValue(number, quality, SourceTimestamp=now)
            await self.server.write_attribute_value(node.nodeid, said)

    def source(self) -> dict[str, Any]:
        return {"kind": "opcua", "name": "server", "address": self.address}

    def place(self, number: int, name: str) -> dict[str, Any]:
        return {"node": f"ns={self.space};s=stand.{name}"}

    async def stop(self) -> None:
        await self.server.stop()
