"""What an adapter costs and how late a sample is, over each standard; and whether a day of reporting needs memory."""

from __future__ import annotations

import json
import os
import shutil
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path

import numpy as np

from adapters import stand_map
from adapters.line_server import LineServer
from adapters.stream import Stream
from ops.cluster import free_port
from ops.machine import BROKER, ROOT
from perf.adapter_feed import CHANNELS, LAP_S, NAMES, RATE_HZ, SENT
from perf.report import size, tell
from perf.worker import cpu_s, memory_mb

KINDS = ("text", "serial", "modbus", "mqtt", "can", "opcua")
SECONDS = size(15, 1)
FIRST_PORT = 17_800
DAY_S = size(86_400, 60)


def adapters() -> None:
    for kind in KINDS:
        _one(kind)
    _a_day()


@contextmanager
def _process(*command: str) -> Iterator[subprocess.Popen[str]]:
    env = {**os.environ, "PYTHONPATH": f"{ROOT / 'core'}:{ROOT}"}
    made = subprocess.Popen(command, cwd=ROOT, env=env, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
    try:
        yield made
    finally:
        made.kill()
        made.communicate()


def _one(kind: str) -> None:
    with ExitStack() as stack:
        folder = Path(tempfile.mkdtemp())
        stack.callback(shutil.rmtree, folder)
        port = free_port(FIRST_PORT)
        if kind == "mqtt":
            config = folder / "broker.conf"
            config.write_text(f"listener {port} 127.0.0.1\nallow_anonymous true\npersistence false\n")
            stack.enter_context(_process(str(BROKER), "-c", str(config)))
            _wait_for(port)
        map_file = folder / "map.toml"
        feed = stack.enter_context(_process(sys.executable, "-m", "perf.adapter_feed", kind, str(port), str(map_file)))
        while not map_file.exists() and feed.poll() is None:
            time.sleep(0.05)
        time.sleep(0.2)  # until it is written whole
        adapter = stack.enter_context(_process(sys.executable, "-m", "adapters", str(map_file), "--port", "0"))
        assert adapter.stdout is not None
        delays, took, spent = _listen(int(adapter.stdout.readline().rsplit(":", 1)[1]), adapter.pid)
        late = float(np.percentile(delays, 95)) * 1000
        tell(
            f"adapter over {kind}, {RATE_HZ:.0f} Hz × {CHANNELS} channels",
            f"{len(delays) / took:.0f} samples a second, {spent / took:.2f} of a core; sent to line median "
            f"{np.median(delays) * 1000:.0f} ms, 95th percentile {late:.0f} ms; memory {memory_mb(adapter.pid):.0f} MB",
            "100 a second (Modbus: as it answers), under 0.33 of a core, 95 % within 100 ms",
        )


def _wait_for(port: int) -> None:
    while True:
        with socket.socket() as probe:
            if probe.connect_ex(("127.0.0.1", port)) == 0:
                return
        time.sleep(0.05)


def _listen(port: int, pid: int) -> tuple[list[float], float, float]:
    """Delays from sending to the line, s; the seconds that were listened, and the seconds of processor for them."""
    place = NAMES.index(SENT)
    while True:  # until the adapter hears its stand
        with socket.create_connection(("127.0.0.1", port), timeout=30) as line, line.makefile("rb") as lines:
            if json.loads(lines.readline())["type"] != "hello":
                time.sleep(0.2)
                continue
            for _ in range(20):  # what came while it started
                lines.readline()
            began, before, delays = time.monotonic(), cpu_s(pid), []
            while (now := time.monotonic()) < began + SECONDS:
                message = json.loads(lines.readline())
                if message["type"] == "samples":
                    sent = [row[place] for row in message["v"] if row[place] is not None]
                    delays += [(time.monotonic() - one) % LAP_S for one in sent]
            return delays, now - began, cpu_s(pid) - before


def _a_day() -> None:
    """Time runs as fast as samples can be made of it."""
    channels = [{"name": name, "unit": "rpm" if name == "rpm" else "N·m", "register": at}
                for at, name in enumerate(NAMES)]  # fmt: skip
    found = stand_map.checked({"stand": "A", "rate_hz": RATE_HZ, "channels": channels,
                               "sources": [{"kind": "modbus", "host": "192.0.2.1"}]})  # fmt: skip
    now = [0.0]
    stream = Stream(found, lambda: now[0])
    server = LineServer(found, stream)
    readings = {at: 240.0 + at for at in range(CHANNELS)}
    early = 0.0
    began = time.monotonic()
    for number in range(int(DAY_S * RATE_HZ)):
        now[0] = number / RATE_HZ
        stream.take(readings | {0: 3000.0 + number % 7}, now[0])
        if number % RATE_HZ == 0:
            server.flush()
        if number == DAY_S * RATE_HZ // 24:
            early = memory_mb(os.getpid())
    tell(
        f"{DAY_S / 3600:.0f} hours at {RATE_HZ:.0f} Hz, {CHANNELS} channels, in {time.monotonic() - began:.0f} s",
        f"memory {early:.1f} MB after the first hour, {memory_mb(os.getpid()):.1f} MB at the end",
        "flat",
    )
