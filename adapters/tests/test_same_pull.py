"""One pull, recorded over the line protocol and over each standard at the same time: the same curve."""

import asyncio
import shutil
import tempfile
import unittest
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
from torvix_core.pull.reduction import Options, Reduction, reduce_sweep
from torvix_core.pull.trace import SPEED, THROTTLE, TORQUE, Trace

from adapters.tests.over import WAIT_S, Link, Peer, broker_of, free_port
from standin.over.can import CanPublisher
from standin.over.modbus import ModbusPublisher
from standin.over.mqtt import MqttPublisher
from standin.over.opcua import OpcUaPublisher
from standin.over.publisher import Publisher
from standin.over.text import SerialPublisher, TextPublisher
from standin.stand import State

RATE_HZ = 100.0
BUS_HZ = 25.0  # nobody on a bus waits for whoever is slow: a machine that is held up for a second still has its frames
HOST = "127.0.0.1"


def curve_of(peer: Peer, bin_rpm: float) -> Reduction:
    names = (SPEED, TORQUE, THROTTLE)
    columns = np.array([[np.nan if value is None else value for value in peer.column(name)] for name in names])
    columns[2] /= 100
    times = np.array(peer.times)
    return reduce_sweep(Trace(times - times[0], names, columns), Options(bin_width_rpm=bin_rpm))


class SamePull(unittest.IsolatedAsyncioTestCase):
    async def apart(self, publisher: Publisher, bin_rpm: float, rate_hz: float = RATE_HZ) -> np.ndarray:
        """By which share the torque over the standard differs from that over the line protocol, in each bin of both."""
        async with Link(publisher, rate_hz=rate_hz) as link:
            over = await link.peer()
            direct = await link.console()
            ended = asyncio.Event()
            hearing = [asyncio.create_task(self.until(peer, ended)) for peer in (direct, over)]
            link.stand.command("arm", {"start_rpm": 2000, "end_rpm": 6500, "rate_rpm_s": 900})
            link.stand.command("start", {})
            async with asyncio.timeout(WAIT_S):
                while link.stand.state is not State.ROLLING_OFF:
                    await asyncio.sleep(0.05)
            ended.set()
            await asyncio.gather(*hearing)
        one, other = curve_of(direct, bin_rpm), curve_of(over, bin_rpm)
        shared, ours, theirs = np.intersect1d(one.speed_rpm, other.speed_rpm, return_indices=True)
        self.assertGreater(len(shared), 2000 / bin_rpm)
        return other.torque[theirs] / one.torque[ours] - 1

    @staticmethod
    async def until(peer: Peer, ended: asyncio.Event) -> None:
        while not ended.is_set():
            await peer.hear_one()

    @contextmanager
    def broker(self) -> Iterator[int]:
        folder = Path(tempfile.mkdtemp())
        port = free_port()
        with broker_of(port, folder):
            yield port
        shutil.rmtree(folder)

    async def test_what_is_pushed_gives_the_same_curve(self):
        """Every sample comes over, so every bin holds the same."""
        with self.broker() as port:
            for publisher in (TextPublisher(HOST, free_port()), SerialPublisher(), CanPublisher(free_port()),
                              MqttPublisher(HOST, port)):  # fmt: skip
                with self.subTest(type(publisher).__name__):
                    rate_hz = BUS_HZ if isinstance(publisher, CanPublisher) else RATE_HZ
                    apart = await self.apart(publisher, 100, rate_hz)
                    self.assertLess(abs(apart.mean()), 0.001)
                    self.assertLess(np.abs(apart).max(), 0.005)

    async def test_what_is_polled_gives_the_same_curve_on_average(self):
        """A poll takes the newest sample: some are read twice and some not at all, so a bin has its own scatter."""
        for publisher in (ModbusPublisher(HOST, free_port()), OpcUaPublisher(HOST, free_port())):
            with self.subTest(type(publisher).__name__):
                # Wide bins: on a slow machine few polls fall into one.
                self.assertLess(abs((await self.apart(publisher, 250)).mean()), 0.003)
