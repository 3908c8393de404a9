"""OPC UA: nodes of a server, all read in one request a round, each with the time and the quality it is given there.

Source: OPC 10000-4, 5.11.2 (Read) and 7.11 (DataValue). Read and not subscribed to: a subscription says nothing of a
        value that stays, which would look like a sensor that fell silent.
"""

from __future__ import annotations

import asyncio
import math
import struct
from collections.abc import AsyncIterator, Callable, Sequence
from contextlib import asynccontextmanager, suppress
from datetime import datetime
from itertools import compress

from asyncua import Client, ua

from adapters.control_map import Write
from adapters.source_map import OpcUaSource
from adapters.sources.rounds import rounds
from adapters.sources.source import SourceLost, Take
from adapters.stand_map import SPEED, Channel
from adapters.stream import SourceClock

LEAVE_S = 1.0  # for taking leave of a server; one that is gone does not answer to that either


@asynccontextmanager
async def connected(of: OpcUaSource) -> AsyncIterator[Client]:
    """SourceLost where the server does not answer, then or while it is used."""
    client = Client(of.address, timeout=of.timeout_s)
    if of.user:
        client.set_user(of.user)
        client.set_password(of.password)
    try:
        await client.connect()
        yield client
    except (TimeoutError, ua.UaError, OSError) as error:
        raise SourceLost(f"{of.address} does not answer ({str(error) or type(error).__name__})") from error
    finally:
        with suppress(Exception):
            await asyncio.wait_for(client.disconnect(), LEAVE_S)


class OpcUaReader:
    def __init__(self, of: OpcUaSource, rows: dict[int, Channel], rate_hz: float, clock: Callable[[], float]) -> None:
        self.of, self.rate_hz, self.clock, self.rows = of, rate_hz, clock, rows
        self.every = [max(1, round(rate_hz / (row.rate_hz or rate_hz))) for row in rows.values()]
        self.time = SourceClock()
        self.read_at: dict[int, datetime] = {}  # the time of each row's newest value, by the server
        self.client: Client | None = None  # while it answers
        self.types: dict[str, ua.VariantType] = {}  # of the nodes that were written

    async def read(self, take: Take) -> None:
        async with connected(self.of) as client:
            self.client = client
            try:
                await self._poll(client, take)
            finally:
                self.client = None

    async def write(self, row: Write, raw: float) -> None:
        """As the type that the node has. Source: OPC 10000-4, 5.11.4 (Write)."""
        if self.client is None:
            raise SourceLost(f"{self.of.address} does not answer")
        name = str(row.node)
        try:
            node = self.client.get_node(name)
            if name not in self.types:
                self.types[name] = await node.read_data_type_as_variant_type()
            kind = self.types[name]
            value = bool(raw) if kind is ua.VariantType.Boolean else raw if kind in FLOATS else round(raw)
            await node.write_value(ua.DataValue(ua.Variant(value, kind)))
        except (TimeoutError, ua.UaError, OSError, struct.error) as error:
            raise SourceLost(f"{self.of.address} does not take {name} ({error or type(error).__name__})") from error

    async def _poll(self, client: Client, take: Take) -> None:
        nodes = [self._node(client, row) for row in self.rows.values()]
        places = list(self.rows)
        async for turn in rounds(self.rate_hz, self.clock):
            asked = [turn % every == 0 for every in self.every]
            begun = self.clock()
            found = await client.uaclient.session.read_attributes(
                [node.nodeid for node in compress(nodes, asked)], ua.AttributeIds.Value
            )
            self._hand_on(list(compress(places, asked)), found, (begun + self.clock()) / 2, take)

    @staticmethod
    def _node(client: Client, row: Channel):  # type: ignore[no-untyped-def]  # the library's own type
        try:
            return client.get_node(str(row.node))
        except ua.UaError as error:
            raise SourceLost(f"{row.name}: {row.node} is no node id ({error})") from error

    def _hand_on(self, places: Sequence[int], found: Sequence[ua.DataValue], at: float, take: Take) -> None:
        readings: dict[int, float] = {}
        for place, value in zip(places, found, strict=True):
            row = self.rows[place]
            if value.StatusCode is not None and value.StatusCode.value in GONE:
                raise SourceLost(f"{row.name}: the server has no node {row.node}, or does not let it be read")
            sent = value.SourceTimestamp
            if sent is not None:
                if self.read_at.get(place) == sent:
                    continue  # the same reading as before
                self.read_at[place] = sent
                if row.name == SPEED:
                    at = min(at, self.time.at(sent.timestamp(), at))
            readings[place] = _number(value)
        if readings:
            take(readings, at)


FLOATS = (ua.VariantType.Float, ua.VariantType.Double)
GONE = {
    ua.StatusCodes.BadNodeIdUnknown,
    ua.StatusCodes.BadNodeIdInvalid,
    ua.StatusCodes.BadNotReadable,
    ua.StatusCodes.BadUserAccessDenied,
    ua.StatusCodes.BadAttributeIdInvalid,
}


def _number(value: ua.DataValue) -> float:
    """NaN where the server itself calls it bad, or where it is no number."""
    plain = value.Value.Value if value.Value is not None else None
    good = value.StatusCode is None or value.StatusCode.is_good()
    return float(plain) if good and isinstance(plain, int | float) else math.nan
