"""The conformance run of a mapped stand: passed, and broken in each thing that would leave an engine running."""

import asyncio
import json
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

from adapters import __main__ as program
from adapters import conform, stand_map
from adapters.tests.over import WAIT_S, Link, free_port
from adapters.tests.publishers import OverCan, OverModbus, OverModbusRtu, OverMqtt, OverOpcUa, OverSerial, OverText
from adapters.tests.test_control import until
from standin.over.modbus import ModbusPublisher
from standin.over.publisher import Publisher
from standin.stand import State

WATCHDOG_S = 3.0  # a busy machine may hold a program up for longer than a stand may wait
RATE_HZ = 8.0  # so seldom that a busy machine keeps up; that a rate is held is tested over the line itself
ROOT = Path(__file__).parents[2]


class EveryKind(OverMqtt):
    async def test_a_stand_that_does_all_passes_over_every_kind_and_is_at_rest(self) -> None:
        """Two at a time: each waits most of its time, and a busy machine has to keep up with what a stand is given."""
        kinds = [OverModbus, OverModbusRtu, OverText, OverSerial, OverCan, OverOpcUa]
        places = asyncio.Semaphore(2)
        async with asyncio.TaskGroup() as tasks:
            for publisher in (self.publisher(), *(kind().publisher() for kind in kinds)):
                tasks.create_task(self.passes(publisher, places))

    async def passes(self, publisher: Publisher, places: asyncio.Semaphore) -> None:
        said: list[tuple[str, str]] = []
        async with places, Link(publisher, rate_hz=RATE_HZ, watchdog_s=WATCHDOG_S) as link:
            if "serial" in publisher.source():
                await link.adapter.let_go(WAIT_S * 5)  # one program alone holds it
            passed = await conform.conform(link.map, conform.SPEEDS, lambda rule, wrong: said.append((rule, wrong)))
            over = type(publisher).__name__
            self.assertEqual([wrong for _, wrong in said if wrong], [], over)
            self.assertEqual(passed, stand_map.digest(link.map), over)
            self.assertEqual([said[0][0], said[-1][0]], [conform.HEARD, conform.ALONE], over)
            self.assertIn("Armed, disarmed, armed, started and aborted", " ".join(rule for rule, _ in said), over)
            await until(link, State.IDLE)


class Conformance(unittest.IsolatedAsyncioTestCase):
    """Over Modbus, beside the adapter of the stand itself, which only reports."""

    def setUp(self) -> None:
        self.said: list[tuple[str, str]] = []

    def link(self) -> Link:
        return Link(ModbusPublisher("127.0.0.1", free_port()), rate_hz=RATE_HZ, watchdog_s=WATCHDOG_S)

    async def conform(self, link: Link) -> str:
        return await conform.conform(link.map, conform.SPEEDS, lambda rule, wrong: self.said.append((rule, wrong)))

    async def test_one_that_goes_on_without_a_beat_does_not_and_is_stopped(self) -> None:
        async with self.link() as link:
            assert link.server.commands is not None
            link.server.commands.watchdog_s = WAIT_S
            with mock.patch.object(conform, "LATE_S", 1.0):
                self.assertEqual(await self.conform(link), "")
            self.assertEqual(self.said[-1][0], conform.ALONE)
            self.assertRegex(self.said[-1][1], "still sweeping . s after the last heartbeat: watchdog_s says 3")
            await until(link, State.IDLE)

    async def test_one_that_is_lost_while_it_is_left_alone_does_not_and_is_not_taken_for_stopped(self) -> None:
        async with self.link() as link:
            cut: list[asyncio.Task[None]] = []

            async def cut_when_it_sweeps() -> None:
                await until(link, State.SWEEPING)
                await link.cut()

            def said(rule: str, wrong: str) -> None:
                self.said.append((rule, wrong))
                if rule.startswith("A stand that takes commands"):  # the last one before it is left alone
                    cut.append(asyncio.create_task(cut_when_it_sweeps()))

            with mock.patch.object(conform, "REST_S", 2.0):
                self.assertEqual(await conform.conform(link.map, conform.SPEEDS, said), "")
            self.assertEqual(self.said[-1], (conform.AT_REST, conform.NOT_STOPPED))
            self.assertTrue(dict(self.said)[conform.ALONE])
            await asyncio.gather(*cut)

    async def test_one_whose_abort_is_mapped_to_nothing_does_not(self) -> None:
        """The register is there, and no stop: the engine is stopped by its watchdog, as the beats end with the run."""
        async with self.link() as link:
            assert link.map.control is not None
            link.map.control.abort.register_ = 91  # a set-point
            self.assertEqual(await self.conform(link), "")
            self.assertIn("idle was not said within", self.said[-1][1])
            await until(link, State.ROLLING_OFF, State.IDLE)

    async def test_one_that_is_not_heard_says_why(self) -> None:
        async with self.link() as link:
            link.map.sources[0].port = free_port()  # type: ignore[union-attr]
            with mock.patch.object(conform, "HEAR_S", 1.0):
                self.assertEqual(await self.conform(link), "")
            self.assertEqual([rule for rule, _ in self.said], [conform.HEARD])
            self.assertIn("nothing answers", self.said[0][1])

    async def test_whoever_asked_for_it_and_is_gone_leaves_no_engine_running(self) -> None:
        """The program itself: killed is the one at the other end of its input."""
        async with self.link() as link:
            command = [sys.executable, "-m", "adapters.conform"]
            with subprocess.Popen(command, cwd=ROOT, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True) as run:
                assert run.stdin is not None
                assert run.stdout is not None
                run.stdin.write(json.dumps(stand_map.plain(link.map)) + "\n")
                run.stdin.flush()
                await until(link, State.SWEEPING)
                begun = time.monotonic()
                run.stdin.close()
                await until(link, State.ROLLING_OFF, State.IDLE)
                lines = await asyncio.to_thread(run.stdout.readlines)
                self.assertEqual(await asyncio.to_thread(run.wait), 0)
            self.assertLess(time.monotonic() - begun, WAIT_S)
            self.assertEqual(json.loads(lines[-1]), {"digest": ""})

    async def test_on_the_machine_beside_the_stand_the_map_is_written_with_what_passed(self) -> None:
        async with self.link() as link:
            assert link.map.control is not None
            link.map.control.conformed = ""
            with tempfile.TemporaryDirectory() as folder:
                written = Path(folder) / "cell.toml"
                written.write_text(stand_map.write(link.map))
                command = [sys.executable, "-m", "adapters", str(written), "--conform"]
                process = await asyncio.create_subprocess_exec(*command, cwd=ROOT, stdout=subprocess.PIPE)
                said, _ = await process.communicate()
                self.assertEqual(process.returncode, 0, said.decode())
                self.assertTrue(stand_map.read(written.read_text()).has_conformed)
                self.assertIn("wired stop", said.decode())

    def test_what_cannot_be_tried_is_said_before_anything_moves(self) -> None:
        plain = {"stand": "Cell", "rate_hz": 20, "sources": [{"kind": "modbus", "host": "192.0.2.10"}],
                 "channels": [{"name": "rpm", "unit": "rpm", "register": 1},
                              {"name": "torque", "unit": "N·m", "register": 2}]}  # fmt: skip
        found = stand_map.checked(plain)
        self.assertEqual(program.say_conformance(found, Path("cell.toml"), (2000.0, 4000.0)), 1)
