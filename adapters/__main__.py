"""python -m adapters: serve a stand that speaks something of its own, by a map, until it is stopped."""

from __future__ import annotations

import argparse
import asyncio
import logging
import os
import signal
import sys
from contextlib import suppress
from pathlib import Path

from adapters import conform, measure_delay, stand_map
from adapters.adapter import Adapter
from adapters.dbc import check_fit
from adapters.sources.source import SourceLost
from adapters.stand_map import MapProblem, StandMap

LEAVE_S = 3.0  # for stopping what was armed


def main() -> int:
    parser = argparse.ArgumentParser(
        prog=os.environ.get("TORVIX_PROG", "python -m adapters"),
        description="Reads a stand by Modbus, MQTT, CAN, OPC UA or lines of text, and speaks the line protocol of "
        "docs/line-protocol.md to Torvix.",
        epilog="docs/adapters.md says what is in a map. ./torvix conform HOST PORT checks what comes out.",
    )
    parser.add_argument("map", type=Path, help="a map, as the Stands screen saves it")
    parser.add_argument("--host", default="127.0.0.1", help="address to serve at; 0.0.0.0 for another machine")
    parser.add_argument("--port", type=int, default=7421, help="0 takes any free port")
    listen = "listen for so many seconds, and say by how much each source lags behind that of rpm; sweep meanwhile"
    parser.add_argument("--delays", type=float, nargs="?", const=30.0, metavar="SECONDS", help=listen)
    tries = (
        "arm, sweep for a second, stop and leave alone the stand, and let the map take commands where it does so all; "
    )
    tries += "with nobody near the engine, and somebody at its wired stop"
    parser.add_argument("--conform", action="store_true", help=tries)
    speeds = "of the sweeps of --conform, 1500 rpm apart or more"
    parser.add_argument("--speeds", type=float, nargs=2, default=conform.SPEEDS, metavar=("RPM", "RPM"), help=speeds)
    options = parser.parse_args()
    logging.basicConfig(format="%(asctime)s %(levelname)s %(message)s", level=logging.INFO)
    for loud in ("pymodbus", "asyncua", "can"):  # what they say of a lost line, we say in words
        logging.getLogger(loud).setLevel(logging.CRITICAL)
    try:
        found = stand_map.read(options.map.read_text())
        if options.conform:
            check_fit(found)  # a source that does not fit says so while it is read; here the engine moves
    except OSError as error:
        print(f"{options.map} cannot be read: {error.strerror}", file=sys.stderr)
        return 1
    except MapProblem as problem:
        for place, why in problem.errors.items():
            print(f"{options.map}: {place}: {why}" if place else f"{options.map}: {why}", file=sys.stderr)
        return 1
    if options.delays:
        return say_delays(found, options.delays)
    if options.conform:
        return say_conformance(found, options.map, tuple(options.speeds))
    asyncio.run(run(found, options.host, options.port))
    return 0


def say_delays(found: StandMap, seconds: float) -> int:
    print(f"listening for {seconds:.0f} s: sweep the engine now", flush=True)
    try:
        print("\n".join(measure_delay.report(found, seconds)))
    except (SourceLost, ValueError) as error:
        print(error, file=sys.stderr)
        return 1
    return 0


def say_conformance(found: StandMap, written: Path, speeds: tuple[float, float]) -> int:
    """Where it passed the map is written again, with the digest of what passed."""
    if not found.control:
        print(f"{written} maps no start, abort and watchdog: there is nothing to try", file=sys.stderr)
        return 1
    if speeds[1] - speeds[0] < conform.LEAST_SWEEP_RPM:
        print(f"the speeds lie {conform.LEAST_SWEEP_RPM:.0f} rpm apart or more", file=sys.stderr)
        return 1

    def said(rule: str, wrong: str) -> None:
        print(f"{'BROKEN' if wrong else 'ok    '} {rule}" + (f"\n       {wrong}" if wrong else ""), flush=True)

    print(conform.CAUTION, flush=True)
    passed = asyncio.run(conform.run(found, speeds, said))
    if not passed:
        return 1
    try:
        written.write_text(stand_map.with_conformed(written.read_text(), passed))
    except OSError as error:
        print(f'{written} cannot be written ({error.strerror}): put conformed = "{passed}" below [control]',
              file=sys.stderr)  # fmt: skip
        return 1
    print(f"{written}: takes commands from now on, for as long as nothing else in it changes")
    return 0


async def run(found: StandMap, host: str, port: int) -> None:
    def ready(at: int) -> None:
        print(f"{found.stand}: an adapter listens on {host}:{at}", flush=True)

    adapter = Adapter(found)
    running = asyncio.create_task(adapter.run(host, port, ready))
    asked = asyncio.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        asyncio.get_running_loop().add_signal_handler(number, asked.set)
    ending = asyncio.create_task(asked.wait())
    await asyncio.wait([running, ending], return_when=asyncio.FIRST_COMPLETED)
    if adapter.control:
        with suppress(TimeoutError):
            await asyncio.wait_for(adapter.control.leave(), LEAVE_S)
    ending.cancel()
    running.cancel()
    with suppress(asyncio.CancelledError):
        await running


if __name__ == "__main__":
    sys.exit(main())
