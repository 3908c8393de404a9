"""MQTT: each sample as JSON to one topic of a broker, the weather to another now and then."""

from __future__ import annotations

import asyncio
import json
from contextlib import suppress
from typing import Any

import aiomqtt

from standin.over.publisher import STATE, WEATHER, Row, Said

SAMPLES, AIR, COMMANDS = "stand/samples", "stand/weather", "stand/commands"
AIR_EVERY_S = 1.0


class MqttPublisher:
    def __init__(self, host: str, port: int) -> None:
        self.host, self.port = host, port
        self.air_at = 0.0
        self.is_lost = False

    async def start(self, said: Said) -> None:
        self.names = [name for name, _ in said.channels]
        self.commands = said.commands
        self.hearing: asyncio.Task[None] | None = None
        await self._connect()

    async def _connect(self) -> None:
        self.client = aiomqtt.Client(self.host, self.port)
        await self.client.__aenter__()
        if self.commands:
            await self.client.subscribe(f"{COMMANDS}/+", qos=1)
            self.hearing = asyncio.create_task(self._hear())

    async def _hear(self) -> None:
        """A number to a topic for each command."""
        with suppress(aiomqtt.MqttError):
            async for message in self.client.messages:
                if self.commands and isinstance(message.payload, bytes):
                    self.commands.put(str(message.topic).removeprefix(f"{COMMANDS}/"), float(message.payload))

    async def send(self, at_s: list[float], rows: list[Row], further: list[float]) -> None:
        """A broker that goes away takes samples with it, and is found again when it is back."""
        try:
            if self.is_lost:
                await self._connect()
                self.is_lost = False
            await self._publish(at_s, rows, further)
        except aiomqtt.MqttError:
            self.is_lost = True

    async def _publish(self, at_s: list[float], rows: list[Row], further: list[float]) -> None:
        weather, state = further[: len(WEATHER)], further[len(WEATHER) :]
        for at, row in zip(at_s, rows, strict=True):
            said = {"t": at, "values": dict(zip(self.names, row, strict=True))}
            said |= {STATE: state[0]} if state else {}
            await self.client.publish(SAMPLES, json.dumps(said))
        if at_s[-1] - self.air_at >= AIR_EVERY_S:
            self.air_at = at_s[-1]
            names = [name for name, _ in WEATHER]
            await self.client.publish(AIR, json.dumps(dict(zip(names, weather, strict=True))))

    def source(self) -> dict[str, Any]:
        return {"kind": "mqtt", "name": "broker", "host": self.host, "port": self.port, "time": "t"}

    def place(self, number: int, name: str) -> dict[str, Any]:
        if name == STATE:
            return {"topic": SAMPLES, "path": STATE}
        if number >= len(self.names):
            return {"topic": AIR, "path": name}
        return {"topic": SAMPLES, "path": f"values.{name}"}

    def command(self, name: str) -> dict[str, Any]:
        return {"topic": f"{COMMANDS}/{name}"}

    async def stop(self) -> None:
        if self.hearing:
            self.hearing.cancel()
        try:
            await self.client.__aexit__(None, None, None)
        except aiomqtt.MqttError:
            pass  # the broker went first
