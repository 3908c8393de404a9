"""MQTT: topics of a broker. A payload is a number, or JSON in which a path leads to one."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from typing import Any

import aiomqtt

from adapters.control_map import Write
from adapters.source_map import MqttSource
from adapters.sources.source import SourceLost, Take, sent_text
from adapters.stand_map import Channel
from adapters.stream import SourceClock

MOST_WAITING = 10_000  # messages that came and were not read: older ones go


class Payloads:
    """What the payload of a topic says."""

    def __init__(self, of: MqttSource, rows: dict[int, Channel]) -> None:
        self.of = of
        self.by_topic: dict[str, dict[int, list[str]]] = {}
        for place, row in rows.items():
            path = row.path.split(".") if row.path else []
            self.by_topic.setdefault(str(row.topic), {})[place] = path
        self.time_path = of.time.split(".") if of.time else []
        self.clocks: dict[str, SourceClock] = {}

    def read(self, topic: str, payload: bytes, arrived_s: float) -> tuple[dict[int, float], float] | None:
        """Raw readings by row and when they were read; None where there are none."""
        rows = self.by_topic.get(topic)
        if not rows:
            return None
        try:
            said = json.loads(payload)
        except ValueError:
            return dict.fromkeys(rows, math.nan), arrived_s
        readings = {place: _number(_at(said, path)) for place, path in rows.items()}
        sent = _number(_at(said, self.time_path)) if self.time_path else math.nan
        if math.isfinite(sent):
            return readings, self.clocks.setdefault(topic, SourceClock()).at(sent, arrived_s)
        return readings, arrived_s


def _at(said: Any, path: list[str]) -> Any:
    for step in path:
        if isinstance(said, dict):
            said = said.get(step)
        elif isinstance(said, list) and step.isdigit() and int(step) < len(said):
            said = said[int(step)]
        else:
            return None
    return said


def _number(value: Any) -> float:
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else math.nan


class MqttReader:
    def __init__(self, of: MqttSource, rows: dict[int, Channel], rate_hz: float, clock: Callable[[], float]) -> None:
        self.of, self.clock = of, clock
        self.payloads = Payloads(of, rows)
        self.where = f"the broker at {of.host}:{of.port}"
        self.client: aiomqtt.Client | None = None  # while the broker is there

    async def read(self, take: Take) -> None:
        try:
            async with aiomqtt.Client(
                self.of.host, self.of.port, username=self.of.user or None, password=self.of.password or None,
                timeout=self.of.timeout_s, max_queued_incoming_messages=MOST_WAITING,
            ) as client:  # fmt: skip
                for topic in self.payloads.by_topic:
                    await client.subscribe(topic)
                self.client = client
                async for message in client.messages:
                    payload = message.payload if isinstance(message.payload, bytes) else b""
                    if (found := self.payloads.read(str(message.topic), payload, self.clock())) is not None:
                        take(*found)
        except aiomqtt.MqttError as error:
            raise SourceLost(f"{self.where} does not answer, or closed the line ({error})") from error
        finally:
            self.client = None

    async def write(self, row: Write, raw: float) -> None:
        """Once the broker has it (quality of service 1); whether anybody listens it does not say."""
        if self.client is None:
            raise SourceLost(f"{self.where} does not answer")
        try:
            await self.client.publish(str(row.topic), sent_text(row, raw), qos=1, timeout=self.of.timeout_s)
        except aiomqtt.MqttError as error:
            raise SourceLost(f"{self.where} does not take it ({error})") from error
