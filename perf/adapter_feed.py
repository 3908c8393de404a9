"""24 channels a hundred times a second over an open standard: `python -m perf.adapter_feed KIND PORT MAP`."""

from __future__ import annotations

import asyncio
import math
import sys
import time
from pathlib import Path

import tomli_w

from standin.over.publisher import Said, map_of
from standin.over.standards import publisher

RATE_HZ, CHANNELS = 100.0, 24
SENT = "sent"  # the channel that says when its sample left, s within a lap
LAP_S = 100.0  # so that a float of 32 bits tells milliseconds
NAMES = ["rpm", "torque", SENT, *(f"thermocouple_{number}" for number in range(CHANNELS - 3))]


def row_of(number: int) -> list[float | None]:
    others = [400 + 0.1 * channel + round(math.sin(number / 50 + channel), 2) for channel in range(CHANNELS - 3)]
    return [2000.0 + number % 4000, 240.0 + number % 7, time.monotonic() % LAP_S, *others]


async def main(kind: str, port: int, map_file: Path) -> None:
    units = {"rpm": "rpm", "torque": "N·m", SENT: "1"}
    said = Said(tuple((name, units.get(name, "°C")) for name in NAMES), RATE_HZ, 0.4)
    out = publisher(kind, "127.0.0.1", port)
    await out.start(said)
    map_file.write_text(tomli_w.dumps(map_of(said, out)))
    began, number = time.monotonic(), 0
    while True:
        await out.send([began + number / RATE_HZ], [row_of(number)], [97.2, 21.0, 55.0])
        number += 1
        await asyncio.sleep(max(0.0, began + number / RATE_HZ - time.monotonic()))


if __name__ == "__main__":
    asyncio.run(main(sys.argv[1], int(sys.argv[2]), Path(sys.argv[3])))
