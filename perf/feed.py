"""A stand that sends as much as a stand may: 24 channels a thousand times a second. `python -m perf.feed`."""

from __future__ import annotations

import asyncio
import json
import math
import sys

RATE_HZ, CHANNELS, AT_ONCE = 1000, 24, 10
NAMES = ["rpm", "torque", "throttle", "lambda", "oil_pressure", "oil_temperature", "coolant_temperature",
         "exhaust_temperature"]  # fmt: skip
UNITS = ["rpm", "N·m", "%", "lambda", "bar", "°C", "°C", "°C"]
STEADY = [3000.0, 240.0, 100.0, 0.87, 4.2, 92.0, 80.0, 700.0]


async def serve(client: asyncio.StreamReader, writer: asyncio.StreamWriter, seconds: float) -> None:
    names = NAMES + [f"thermocouple_{number}" for number in range(CHANNELS - len(NAMES))]
    units = UNITS + ["°C"] * (CHANNELS - len(UNITS))

    def say(message: dict[str, object]) -> None:
        writer.write(json.dumps(message, separators=(",", ":"), ensure_ascii=False).encode() + b"\n")

    say({"type": "hello", "protocol": 1, "stand": "Feed", "rate_hz": RATE_HZ, "can": ["arm", "start", "abort"],
         "channels": [{"name": name, "unit": unit} for name, unit in zip(names, units, strict=True)]})  # fmt: skip
    say({"type": "state", "state": "idle", "t": 0})
    loop = asyncio.get_running_loop()
    began, number, ends = loop.time(), 0, math.inf
    asked = asyncio.create_task(client.readline())
    while True:
        if asked.done():
            if not asked.result():
                return
            command = json.loads(asked.result())
            say({"type": "reply", "id": command["id"], "ok": True, "why": ""})
            state = {"arm": "armed", "start": "sweeping", "abort": "idle"}[command["name"]]
            say({"type": "state", "state": state, "t": number / RATE_HZ})
            ends = loop.time() + seconds if state == "sweeping" else math.inf
            asked = asyncio.create_task(client.readline())
        if loop.time() > ends:
            say({"type": "state", "state": "idle", "t": number / RATE_HZ})
            ends = math.inf
        at = number / RATE_HZ
        others = [400 + 0.1 * channel + round(math.sin(at + channel), 2) for channel in range(CHANNELS - len(NAMES))]
        speed = 2000 + 500 * (int(at / 20) % 9)  # a step test
        # No sensor stands still to the last digit: the guard takes one that does for dead.
        live = [[round(value * (1 + 1e-3 * (one % 7)), 4) for value in STEADY[1:]] for one in range(AT_ONCE)]
        rows = [[speed + one % 3, *live[one], *others] for one in range(AT_ONCE)]
        times = [(number + one) / RATE_HZ for one in range(AT_ONCE)]
        say({"type": "samples", "n": number, "t": times, "v": rows})
        await writer.drain()
        number += AT_ONCE
        await asyncio.sleep(max(0.0, began + number / RATE_HZ - loop.time()))


async def main() -> None:
    seconds = float(sys.argv[1])
    server = await asyncio.start_server(lambda client, writer: serve(client, writer, seconds), "127.0.0.1", 0)
    print(server.sockets[0].getsockname()[1], flush=True)
    await server.serve_forever()


if __name__ == "__main__":
    asyncio.run(main())
