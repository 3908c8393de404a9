"""What a source has that could be mapped: nodes of a server, topics heard, signals of a DBC, fields of a line."""

from __future__ import annotations

import contextlib
import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from adapters.ending import run_for
from adapters.source_map import CanSource, ModbusSource, MqttSource, OpcUaSource, TextSource
from adapters.sources.source import SourceLost
from adapters.stand_map import Channel

MOST = 500  # offers of one source
DEEPEST = 6  # levels of a tree


@dataclass(frozen=True)
class Offer:
    """`place` is what the row of a map says of it, `path` within it for a topic; `about` is what was read there."""

    place: str
    path: str = ""
    about: str = ""


async def offers_of(source: Any, rows: Sequence[Channel], seconds: float) -> list[Offer]:
    """SourceLost where it cannot be asked."""
    match source:
        case MqttSource():
            found = await _topics(source, seconds)
        case CanSource():
            found = _signals(source)
        case OpcUaSource():
            found = await _nodes(source)
        case TextSource():
            found = await _fields(source, seconds)
        case ModbusSource():
            found = []  # registers have no names
        case _:
            found = []
    return found[:MOST]


async def _topics(source: MqttSource, seconds: float) -> list[Offer]:
    import aiomqtt

    heard: dict[tuple[str, str], str] = {}

    async def listen(client: aiomqtt.Client) -> None:
        async for message in client.messages:
            payload = message.payload if isinstance(message.payload, bytes) else b""
            for path, value in _leaves(payload):
                heard[str(message.topic), path] = value

    try:
        async with aiomqtt.Client(
            source.host, source.port, username=source.user or None, password=source.password or None,
            timeout=source.timeout_s,
        ) as client:  # fmt: skip
            await client.subscribe("#")
            await run_for(seconds, listen(client))
    except aiomqtt.MqttError as error:
        raise SourceLost(f"the broker at {source.host}:{source.port} does not answer ({error})") from error
    return [Offer(topic, path, value) for (topic, path), value in sorted(heard.items())]


def _leaves(payload: bytes) -> list[tuple[str, str]]:
    """Paths to the numbers of a payload, with what they are."""
    try:
        said = json.loads(payload)
    except ValueError:
        return []
    found: list[tuple[str, str]] = []

    def walk(value: Any, path: list[str]) -> None:
        if isinstance(value, dict):
            for name, part in value.items():
                walk(part, [*path, str(name)])
        elif isinstance(value, list):
            for at, part in enumerate(value):
                walk(part, [*path, str(at)])
        elif isinstance(value, int | float) and not isinstance(value, bool):
            found.append((".".join(path), f"{value:.6g}"))

    walk(said, [])
    return found


def _signals(source: CanSource) -> list[Offer]:
    from adapters.dbc import load

    return [
        Offer(f"{message.name}.{signal.name}", about=signal.unit or "")
        for message in load(source.dbc).messages
        for signal in message.signals
    ]


async def _nodes(source: OpcUaSource) -> list[Offer]:
    from asyncua import ua

    from adapters.sources.opcua import connected

    found: list[Offer] = []

    async def walk(node: Any, names: list[str], depth: int) -> None:
        for child in await node.get_children():
            if len(found) >= MOST:
                return
            name = (await child.read_browse_name()).Name
            if child.nodeid.NamespaceIndex == 0 and not names:
                continue  # what the server says of itself
            if await child.read_node_class() == ua.NodeClass.Variable:
                with contextlib.suppress(ua.UaError):
                    value = await child.read_value()
                    if isinstance(value, int | float) and not isinstance(value, bool):
                        found.append(Offer(child.nodeid.to_string(), about=f"{'.'.join([*names, name])}, {value:.6g}"))
            elif depth < DEEPEST:
                await walk(child, [*names, name], depth + 1)

    async with connected(source) as client:
        await walk(client.nodes.objects, [], 0)
    return found


async def _fields(source: TextSource, seconds: float) -> list[Offer]:
    """Of the last line that has the most fields; by name where a line of names came before it."""
    from adapters.sources.text import TextReader, split

    reader = TextReader(source, {}, 1.0, lambda: 0.0)
    names: list[str] = []
    last: list[str] = []

    async def listen() -> None:
        nonlocal names, last
        async for line in reader.raw_lines():
            parts = split(source, line.decode("utf-8", "replace"))
            if any(part[:1].isalpha() for part in parts):
                names = parts
            elif len(parts) >= len(last):
                last = parts

    await run_for(seconds, listen())
    return [Offer(names[at] if at < len(names) else str(at + 1), about=part) for at, part in enumerate(last)]
