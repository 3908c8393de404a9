"""python -m standin: run the simulated stand until it is told to stop."""

from __future__ import annotations

import argparse
import asyncio
import json
import os
import signal
import time
from pathlib import Path

from standin.engine import ENGINES
from standin.faults import Script, load_script
from standin.over.commands import Commands
from standin.over.publisher import Said, map_of
from standin.over.standards import USUAL_PORT, publisher
from standin.server import WATCHDOG_S, Server
from standin.stand import Stand


def main() -> None:
    parser = argparse.ArgumentParser(
        prog=os.environ.get("TORVIX_PROG", "python -m standin"),
        description="A simulated engine stand and weather station that speaks the line protocol of "
        "docs/line-protocol.md: something to try an application or an adapter against.",
        epilog="Whoever writes an adapter for a real stand checks it with ./torvix conform HOST PORT.",
    )
    parser.add_argument("--host", default="127.0.0.1")
    parser.add_argument("--port", type=int, default=7420, help="0 takes any free port")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--rate", type=float, default=50.0, help="samples a second")
    parser.add_argument("--speed", type=float, default=1.0, help="how many times faster than real")
    parser.add_argument("--stepped", action="store_true", help="time moves only in a pull or when told to skip")
    parser.add_argument("--warm", action="store_true", help="start with a warm engine")
    eight = "a 5.7 eight with carburetor or blower"
    parser.add_argument(
        "--engine", choices=ENGINES, default="six", help=f"a 2.9 six, a 2.0 four with a turbocharger, {eight}"
    )
    console = "take no commands and tell no states: sweeps are started at the console"
    parser.add_argument("--reports-only", action="store_true", help=console)
    told = "seconds without a word from whoever armed it, after which the stand stops by itself"
    parser.add_argument("--watchdog", type=float, default=WATCHDOG_S, help=told)
    one, other = ({"pull": 2, "at_rpm": 4000, "trouble": "oil_loss"},
                  {"pull": 3, "at_s": 2, "channel": "lambda", "kind": "stuck"})  # fmt: skip
    lines = f"{json.dumps(one)} or {json.dumps(other)}"
    parser.add_argument(
        "--script",
        type=Path,
        metavar="FILE",
        help=f"faults that come by themselves: a JSON list of lines such as {lines}",
    )
    over = "also over an open standard, as a stand that only reports: the line of this program is its console then"
    parser.add_argument("--over", choices=USUAL_PORT, help=over)
    takes = "with --over: take arm, start and abort over the standard, and say the state there"
    parser.add_argument("--takes-commands", action="store_true", help=takes)
    parser.add_argument("--over-port", type=int, default=0, help="where, or which broker; its usual one if not given")
    parser.add_argument(
        "--folder", type=Path, default=Path("recorder"), help="with --over files: where they are written"
    )
    parser.add_argument("--map", type=Path, metavar="FILE", help="write the map for ./torvix adapter there")
    options = parser.parse_args()
    if options.over == "files" and options.map:
        parser.error("files need no map: give the folder to the stand, under Stands")
    if options.takes_commands and options.over in (None, "files"):
        parser.error("commands come over a standard: give --over modbus, modbus-rtu, mqtt, can, opcua, serial or text")
    options.reports_only |= options.over is not None
    asyncio.run(run(options))


async def run(options: argparse.Namespace) -> None:
    script = load_script(options.script) if options.script else Script()
    stand = Stand(seed=options.seed, engine=ENGINES[options.engine], script=script)
    if options.warm:
        stand.skip(1800)
    server = Server(
        stand,
        rate_hz=options.rate,
        speed=options.speed,
        stepped=options.stepped,
        reports_only=options.reports_only,
        watchdog_s=options.watchdog,
    )
    if options.over:
        server.also = publisher(options.over, options.host, options.over_port, options.folder)
        channels = tuple((name, unit) for name, unit, _ in stand.channels)
        if options.takes_commands:
            server.commands = Commands(stand, options.watchdog, time.monotonic)
        said = Said(channels, options.rate, stand.engine.inertia, server.commands)
        await server.also.start(said)
        if options.map:
            from tomli_w import dumps  # without --over nothing is needed that Python does not have

            options.map.write_text(dumps(map_of(said, server.also)))
    listening = await server.serve(options.host, options.port)
    print(f"stand listens on {options.host}:{listening.sockets[0].getsockname()[1]}", flush=True)
    stop = asyncio.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        asyncio.get_running_loop().add_signal_handler(number, stop.set)
    await stop.wait()
    server.task.cancel()
    listening.close()
    if server.also:
        await server.also.stop()


if __name__ == "__main__":
    main()
