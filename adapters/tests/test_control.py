"""Every standard that takes commands: armed, swept, stopped; and stopped by itself where whoever armed is gone."""

import asyncio
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

from adapters import control, stand_map
from adapters.adapter import Adapter
from adapters.control_map import SWEEP
from adapters.tests.over import WAIT_S, Link, Peer, free_port
from adapters.tests.publishers import (
    OverAny,
    OverCan,
    OverModbus,
    OverModbusRtu,
    OverMqtt,
    OverOpcUa,
    OverSerial,
    OverText,
)
from standin.over.modbus import ModbusPublisher
from standin.stand import State

HOST = "127.0.0.1"
ROOT = Path(__file__).parents[2]
WATCHDOG_S = 3.0  # a busy machine may hold a program up for longer than a stand may wait
RATE_HZ = 20.0  # a bus of this machine carries them all, however busy it is
SLOW = {"start_rpm": 2000, "end_rpm": 6000, "rate_rpm_s": 60}  # over a minute: it ends by a stop or not at all here
SHORT = {"start_rpm": 2000, "end_rpm": 2600, "rate_rpm_s": 600}


class Watched:
    """A line whose other end is heard, and that beats."""

    def __init__(self, peer: Peer) -> None:
        self.peer = peer

    async def __aenter__(self) -> Peer:
        self.task = asyncio.create_task(self._beat())
        return self.peer

    async def _beat(self) -> None:
        while True:
            self.peer.say({"type": "alive"})
            await asyncio.sleep(WATCHDOG_S / 10)

    async def __aexit__(self, *error: object) -> None:
        self.task.cancel()
        await asyncio.gather(self.task, return_exceptions=True)


async def until(link: Link, *states: State) -> float:
    """Seconds until the stand itself is in one of them."""
    begun = time.monotonic()
    async with asyncio.timeout(WAIT_S):
        while link.stand.state not in states:
            await asyncio.sleep(0.01)
    return time.monotonic() - begun


class Kind(OverAny):
    def setUp(self) -> None:
        for name in ("ARM_S", "START_S"):  # that a busy machine may need
            self.enterContext(mock.patch.object(control, name, WAIT_S))

    def link(self) -> Link:
        return Link(self.publisher(), rate_hz=RATE_HZ, watchdog_s=WATCHDOG_S)

    async def test_a_sweep_from_its_arming_to_its_end(self) -> None:
        async with self.link() as link, Watched(await link.peer()) as peer:
            self.assertEqual(
                (peer.hello["can"], peer.hello["states"], peer.hello["watchdog_s"]),
                (["abort", "arm", "start"], True, WATCHDOG_S),
            )
            await peer.until("idle")
            refused = await peer.ask("start")
            self.assertEqual((refused["ok"], refused["why"]), (False, "not armed, the stand is idle"))
            self.assertEqual(await peer.ask("arm", **SHORT), {"type": "reply", "id": 2, "ok": True, "why": ""})
            self.assertEqual([getattr(link.stand.sweep, name) for name in SWEEP], list(SHORT.values()))
            self.assertEqual((await peer.ask("start"))["why"], "")
            await peer.until("rolling_off")
            await peer.until("idle")
            self.assertEqual(peer.states, ["idle", "armed", "sweeping", "rolling_off", "idle"])
            self.assertGreater(max(rpm or 0 for rpm in peer.column("rpm")), SHORT["end_rpm"] - 60)

    async def test_a_stop_reaches_and_so_does_the_next_arming(self) -> None:
        async with self.link() as link, Watched(await link.peer()) as peer:
            for _ in range(2):
                self.assertEqual((await peer.ask("arm", **SLOW))["why"], "")
                self.assertEqual((await peer.ask("start"))["why"], "")
                self.assertTrue((await peer.ask("abort"))["ok"])
                await until(link, State.ROLLING_OFF, State.IDLE)
                await peer.until("idle")

    async def test_it_stops_where_whoever_armed_is_gone(self) -> None:
        async with self.link() as link:
            peer = await link.peer()
            async with Watched(peer):
                self.assertEqual((await peer.ask("arm", **SLOW))["why"], "")
                self.assertEqual((await peer.ask("start"))["why"], "")
                self.assertIs(link.stand.state, State.SWEEPING)
            peer.writer.close()
            await until(link, State.ROLLING_OFF, State.IDLE)

    async def test_the_stand_stops_by_itself_where_the_adapter_is_gone(self) -> None:
        """The adapter says nothing more, as if it were dead, though its line is there and beats."""
        async with self.link() as link, Watched(await link.peer()) as peer:
            await peer.ask("arm", **SLOW)
            await peer.ask("start")
            assert link.adapter.control is not None
            link.adapter.control.is_silent = True
            await until(link, State.ROLLING_OFF, State.IDLE)
            self.assertLess(link.stand.rpm, SLOW["end_rpm"] - 1000, "it did not come to its end")


class Modbus(OverModbus, Kind):
    pass


class ModbusRtu(OverModbusRtu, Kind):
    pass


class Text(OverText, Kind):
    pass


class Serial(OverSerial, Kind):
    pass


class Can(OverCan, Kind):
    pass


class OpcUa(OverOpcUa, Kind):
    pass


class Mqtt(OverMqtt, Kind):
    pass


del Kind  # it is no test by itself


class Faults(unittest.IsolatedAsyncioTestCase):
    """Over Modbus; what is said is the same for each standard."""

    def setUp(self) -> None:
        self.publisher = ModbusPublisher(HOST, free_port())

    def link(self) -> Link:
        return Link(self.publisher, rate_hz=RATE_HZ, watchdog_s=WATCHDOG_S)

    async def test_a_map_that_did_not_pass_as_it_is_only_reports(self) -> None:
        async with self.link() as link:
            assert link.map.control is not None
            link.map.control.conformed = "of another map"
            adapter = Adapter(link.map)
            port: asyncio.Future[int] = asyncio.get_running_loop().create_future()
            task = asyncio.create_task(adapter.run(HOST, 0, port.set_result))
            peer = await Peer.connect(await port)
            self.assertEqual((peer.hello["can"], peer.hello["states"]), ([], False))
            reply = await peer.ask("arm", **SHORT)
            self.assertEqual((reply["ok"], link.stand.state), (False, State.IDLE))
            self.assertIn("only reports", reply["why"])
            peer.writer.close()
            task.cancel()
            await asyncio.gather(task, return_exceptions=True)

    async def test_an_arming_that_the_stand_does_not_do_is_refused_and_stopped(self) -> None:
        async with self.link() as link, Watched(await link.peer()) as peer:
            with mock.patch.object(control, "ARM_S", 0.3):
                beyond = await peer.ask("arm", start_rpm=2000, end_rpm=30_000, rate_rpm_s=100)
            self.assertEqual(beyond["why"], "it did not arm within 0.3 s, and was stopped")
            self.assertIs(link.stand.state, State.IDLE)
            assert link.adapter.control is not None
            self.assertFalse(link.adapter.control.may_run, "what is started at its console from now on is not ours")

    async def test_a_stop_goes_past_an_arming_that_is_waited_for(self) -> None:
        async with self.link() as link, Watched(await link.peer()) as peer:
            with mock.patch.object(control, "ARM_S", WAIT_S):
                asked = {"start_rpm": 2000, "end_rpm": 30_000, "rate_rpm_s": 100}
                peer.say({"type": "command", "id": 90, "name": "arm", "arguments": asked})
                begun = time.monotonic()
                self.assertTrue((await peer.ask("abort"))["ok"])
            self.assertLess(time.monotonic() - begun, WAIT_S / 2)
            assert link.adapter.control is not None
            self.assertFalse(link.adapter.control.may_run)
            link.stand.command("arm", SLOW)  # at its console, and nobody beats
            peer.writer.close()
            link.stand.command("start", {})
            async with asyncio.timeout(WAIT_S):
                while link.stand.rpm < SLOW["start_rpm"] + 2 * WATCHDOG_S * SLOW["rate_rpm_s"]:
                    self.assertIs(link.stand.state, State.SWEEPING, "it is not ours to stop")
                    await asyncio.sleep(0.01)
            replies = {one["id"]: one["why"] for one in peer.replies}
            self.assertEqual(replies, {90: "it was stopped meanwhile", 1: ""})

    async def test_what_the_device_does_not_take_is_said_with_its_register(self) -> None:
        async with self.link() as link, Watched(await link.peer()) as peer:
            assert link.map.control is not None
            assert link.map.control.end_rpm is not None
            link.map.control.end_rpm.register_ = 60
            refused = await peer.ask("arm", **SHORT)
            self.assertRegex(refused["why"], "has no such register: holding 60")
            link.map.control.end_rpm.register_, link.map.control.end_rpm.scale = 91, 0.001
            refused = await peer.ask("arm", **SHORT)
            self.assertIn("does not fit into uint16", refused["why"])
            self.assertIs(link.stand.state, State.IDLE)

    async def test_a_state_that_the_map_has_no_name_for_is_no_rest(self) -> None:
        async with self.link() as link, Watched(await link.peer()) as peer:
            await peer.until("idle")
            assert link.adapter.control is not None
            link.adapter.control.hear(7.0)
            refused = await peer.ask("arm", **SHORT)
            self.assertEqual(refused["why"], "the stand says 7, which the map has no name for")
            self.assertEqual(peer.states, ["idle"], "what it said before holds")

    async def test_a_stand_that_was_lost_while_it_swept_is_stopped_when_it_is_back(self) -> None:
        """Its line to Torvix is closed, and says why: no stop reaches. Its own watchdog is held off here."""
        async with self.link() as link, Watched(await link.peer()) as peer:
            await peer.ask("arm", **SLOW)
            await peer.ask("start")
            assert link.server.commands is not None
            link.server.commands.watchdog_s = WAIT_S
            await link.cut()
            self.assertTrue(await peer.hear_end())
            self.assertIs(link.stand.state, State.SWEEPING)
            await link.mend()
            await until(link, State.ROLLING_OFF, State.IDLE)

    async def test_a_stand_without_an_arming_of_its_own_is_armed_by_the_adapter(self) -> None:
        """It starts as its console is set; what is armed is dropped with the line that armed it."""
        async with self.link() as link:
            peer = await link.peer()
            assert link.map.control is not None
            for name in ("arm", *SWEEP):
                setattr(link.map.control, name, None)
            async with Watched(peer):
                self.assertTrue((await peer.ask("arm", **SHORT))["ok"])
                await peer.until("armed")
                self.assertIs(link.stand.state, State.IDLE)
                self.assertTrue((await peer.ask("abort"))["ok"])
                await peer.until("idle")
                self.assertEqual((await peer.ask("start"))["why"], "not armed, the stand is idle")
                self.assertTrue((await peer.ask("arm", **SHORT))["ok"])
            other = await link.peer()
            peer.writer.close()
            await other.until("idle")

    async def test_an_adapter_that_is_ended_stops_what_it_armed_and_of_one_that_is_killed_the_stand_does(self) -> None:
        for number, watchdog_s in ((signal.SIGTERM, WAIT_S), (signal.SIGKILL, WATCHDOG_S)):
            with self.subTest(number=number), tempfile.TemporaryDirectory() as folder:
                self.publisher = ModbusPublisher(HOST, free_port())
                async with self.link() as link:
                    assert link.server.commands is not None
                    link.server.commands.watchdog_s = watchdog_s
                    written = Path(folder) / "cell.toml"
                    written.write_text(stand_map.write(link.map))
                    process = await asyncio.create_subprocess_exec(
                        sys.executable, "-m", "adapters", str(written), "--port", "0", cwd=ROOT, stdout=subprocess.PIPE
                    )
                    assert process.stdout is not None
                    line = (await process.stdout.readline()).decode()
                    async with Watched(await Peer.connect(int(line.rsplit(":", 1)[1]))) as peer:
                        self.assertEqual((await peer.ask("arm", **SLOW))["why"], "")
                        self.assertEqual((await peer.ask("start"))["why"], "")
                        process.send_signal(number)
                        await until(link, State.ROLLING_OFF, State.IDLE)
                        peer.writer.close()
                    await process.communicate()

    async def test_what_the_stand_said_holds_while_only_the_source_of_the_speed_is_lost(self) -> None:
        """Some standards say a state again only where it changed: forgotten, the stand would never be linked again."""
        async with self.link() as link:
            document = stand_map.plain(link.map)
            document["sources"].append({"kind": "modbus", "name": "controller", "host": HOST, "port": free_port()})
            for row in (value for value in document["control"].values() if isinstance(value, dict)):
                row["source"] = "controller"
            adapter = Adapter(stand_map.checked(document), trying=True)
            assert adapter.control is not None
            adapter.control.hear(0.0)
            adapter._lose(adapter.leading, "it is gone")
            self.assertEqual(adapter.control.state, "idle")
            adapter._lose(adapter.commanding, "it is gone")
            self.assertIsNone(adapter.control.state)

    async def test_commands_that_are_none_are_refused(self) -> None:
        async with self.link() as link:
            peer = await link.peer()
            self.assertIn("no command 'warm_up'", (await peer.ask("warm_up"))["why"])
            self.assertIn("not understood", (await peer.ask("arm", start_rpm="fast"))["why"])
            self.assertIs(link.stand.state, State.IDLE)
