"""python -m standin: run the simulated stand until it is told to stop."""

from __future__ import annotations

import argparse
import asyncio
import signal

from standin.server import Server
from standin.stand import Stand


def main() -> None:
    parser = argparse.ArgumentParser(prog="standin", description="A simulated engine stand and weather station.")
    parser.add_argument("--host", default="127.0.0.1")
    parser.add_argument("--port", type=int, default=7420, help="0 takes any free port")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--rate", type=float, default=50.0, help="samples a second")
    parser.add_argument("--speed", type=float, default=1.0, help="how many times faster than real")
    parser.add_argument("--stepped", action="store_true", help="time moves only in a pull or when told to skip")
    parser.add_argument("--warm", action="store_true", help="start with a warm engine")
    asyncio.run(run(parser.parse_args()))


async def run(options: argparse.Namespace) -> None:
    stand = Stand(seed=options.seed)
    if options.warm:
        stand.skip(1800)
    server = Server(stand, rate_hz=options.rate, speed=options.speed, stepped=options.stepped)
    listening = await server.serve(options.host, options.port)
    print(f"stand listens on {options.host}:{listening.sockets[0].getsockname()[1]}", flush=True)
    stop = asyncio.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        asyncio.get_running_loop().add_signal_handler(number, stop.set)
    await stop.wait()
    server.task.cancel()
    listening.close()


if __name__ == "__main__":
    main()
