"""Every standard against its stand-in: the same engine comes out, a cut is said and mended, and nothing is made up."""

import asyncio
from itertools import pairwise

from adapters import stand_map
from adapters.adapter import Adapter
from adapters.tests.over import RATE_HZ, WAIT_S, Link
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
from adapters.trial import try_map
from standin import conformance
from standin.over.publisher import map_of

HOST = "127.0.0.1"
SAMPLES = 60


class Kind(OverAny):
    """What holds for each of them."""

    digits = 6  # significant ones that the standard carries here

    async def test_the_engine_comes_out_as_it_is(self) -> None:
        async with Link(self.publisher()) as link:
            peer = await link.peer()
            await peer.hear(SAMPLES)
            stand = link.stand
            hello = peer.hello
        self.assertEqual([(one["name"], one["unit"]) for one in hello["channels"]],
                         [(name, unit) for name, unit, _ in stand.channels])  # fmt: skip
        self.assertEqual((hello["can"], hello["states"], hello["inertia"]),
                         ([], False, {"torque": "not_included", "kg_m2": stand.engine.inertia}))  # fmt: skip
        self.assertEqual(hello["simulated"], True)
        self.assertTrue(all(one < other for one, other in pairwise(peer.times)))
        # An idling engine: its speed about the idle, its torque and oil as the stand has them.
        speeds = [value for value in peer.column("rpm") if value is not None]
        self.assertEqual(len(speeds), len(peer.rows))
        self.assertAlmostEqual(sum(speeds) / len(speeds), stand.fitted.idle_rpm, delta=15)
        self.assertAlmostEqual(peer.column("torque")[-1] or 0.0, 6.0, delta=3)
        self.assertAlmostEqual(peer.column("oil_temperature")[-1] or 0.0, stand.oil, delta=1)
        air = stand.weather()
        self.assertAlmostEqual(peer.weather[0] or 0.0, air.barometer, delta=0.05)
        rate = (len(peer.times) - 1) / (peer.times[-1] - peer.times[0])
        self.assertLess(rate, 1.3 * RATE_HZ)

    async def test_it_conforms_to_the_line_protocol(self) -> None:
        """As whoever writes an adapter checks it: ./torvix conform HOST PORT. At a rate that a busy machine keeps."""
        async with Link(self.publisher(), rate_hz=20.0) as link:
            peer = await link.peer()
            await peer.hear(1)  # before its source is there an adapter says so and hangs up
            peer.writer.close()
            checks = await asyncio.to_thread(lambda: list(conformance.run("127.0.0.1", link.port, sweep=False)))
        self.assertEqual([check for check in checks if check[1]], [])
        self.assertGreater(len(checks), 3)

    async def test_a_cut_is_said_with_its_reason_and_mended(self) -> None:
        async with Link(self.publisher()) as link:
            peer = await link.peer()
            await peer.hear(10)
            heard = len(peer.rows)
            await link.cut()
            why = await peer.hear_end()
            self.assertTrue(why, "it says why")
            self.assertGreaterEqual(len(peer.rows), heard)
            await link.mend()
            again = await link.peer()
            await again.hear(10)
            self.assertGreater(again.times[0], peer.times[-1])

    async def test_a_broken_sensor_is_missing(self) -> None:
        async with Link(self.publisher()) as link:
            peer = await link.peer()
            link.stand.command("fault", {"channel": "lambda", "kind": "silent"})
            async with asyncio.timeout(WAIT_S):
                while not peer.rows or peer.column("lambda")[-1] is not None:
                    await peer.hear(len(peer.rows) + 1)
            self.assertIsNotNone(peer.column("rpm")[-1])


class Modbus(OverModbus, Kind):
    pass


class ModbusRtu(OverModbusRtu, Kind):
    async def test_a_cut_is_said_with_its_reason_and_mended(self) -> None:
        """A device that was pulled out has another name when it comes back, so it is not mended by itself here."""
        async with Link(self.publisher()) as link:
            peer = await link.peer()
            await peer.hear(10)
            await link.cut()
            self.assertRegex(await peer.hear_end(), "does not answer|nothing came")


class Text(OverText, Kind):
    pass


class Serial(OverSerial, Kind):
    async def test_a_cut_is_said_with_its_reason_and_mended(self) -> None:
        """A device that was pulled out has another name when it comes back, so it is not mended by itself here."""
        async with Link(self.publisher()) as link:
            peer = await link.peer()
            await peer.hear(10)
            await link.cut()
            self.assertRegex(await peer.hear_end(), "broke|nothing came")

    async def test_it_is_let_go_of_while_another_map_is_tried_on_it_and_taken_up_again(self) -> None:
        async with Link(self.publisher()) as link:
            document = map_of(link.said, link.publisher)
            peer = await link.peer()
            await peer.hear(5)
            held = await try_map(document, 0.5)
            self.assertIn("used by another program", held["sources"][0]["why"])
            peer.say({"type": "command", "id": 7, "name": "let_go", "arguments": {"seconds": WAIT_S}})
            self.assertIn("let go of", await peer.hear_end())
            async with asyncio.timeout(WAIT_S):
                while any(link.adapter.is_held):
                    await asyncio.sleep(0.01)
            tried = await try_map(document, 1.5)
            self.assertEqual(tried["sources"][0]["why"], "")
            self.assertIsNotNone(tried["rows"][0]["value"])
            # Asked of an adapter that is not linked: it is the one that lets go.
            reader, writer = await asyncio.open_connection(HOST, link.port)
            writer.write(b'{"type":"command","id":1,"name":"let_go","arguments":{"seconds":0}}\n')
            self.assertIn(b"let go of", await reader.readline())
            self.assertIn(b'"ok":true', await reader.readline())
            writer.close()
            again = await link.peer()
            await again.hear(5)


class Can(OverCan, Kind):
    pass


class OpcUa(OverOpcUa, Kind):
    pass


class Mqtt(OverMqtt, Kind):
    async def test_topics_that_are_heard_are_offered_with_the_paths_into_them(self):
        async with Link(self.publisher()) as link:
            found = await try_map({"rate_hz": 20, "sources": map_of(link.said, link.publisher)["sources"]}, 1.5)
        offers = {(one["place"], one["path"]) for one in found["sources"][0]["offers"]}
        self.assertLessEqual({("stand/samples", "t"), ("stand/samples", "values.torque"),
                              ("stand/weather", "barometer")}, offers)  # fmt: skip

    async def test_a_speed_whose_topic_is_silent_is_named_though_others_come(self):
        async with Link(self.publisher()) as link:
            document = map_of(link.said, link.publisher)
            document["channels"][0]["topic"] = "stand/nobody"
            adapter = Adapter(stand_map.checked(document))
            running = asyncio.create_task(adapter.run(HOST, 0))
            async with asyncio.timeout(WAIT_S):
                while "no engine speed came for 1 s" not in adapter.why_not[0]:
                    await asyncio.sleep(0.05)
            running.cancel()
            await asyncio.gather(running, return_exceptions=True)

    async def test_a_broker_that_is_restarted_is_found_again_by_both_sides(self):
        async with Link(self.publisher()) as link:
            peer = await link.peer()
            await peer.hear(5)
            self.broker.close()
            self.assertIn("broker", await peer.hear_end())
            self.start_broker()
            again = await link.peer()
            await again.hear(5)


del Kind  # it is no test by itself
