"""The stand of the demonstration that speaks an open standard. Its commands are mapped, and wait to be tried."""

from __future__ import annotations

import socket
import tempfile
from pathlib import Path
from typing import Any

from adapters import stand_map
from demo.stand_day import simulated_stand
from shop.models import Stand


def add(given: dict[str, Any], like: Stand) -> Stand:
    """With the map that the simulated stand writes of itself. Nothing was pulled on it yet."""
    with socket.socket() as free, tempfile.TemporaryDirectory() as folder:
        written = Path(folder) / "stand.toml"
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
        free.close()
        over = ("--over", given["speaks"], "--over-port", str(port), "--takes-commands", "--map", str(written))
        with simulated_stand("--engine", given["simulated"], *over):
            found = stand_map.read(written.read_text())
    source = found.sources[0].model_copy(update={"port": given["server_port"]})
    found = found.model_copy(update={"stand": given["name"], "sources": [source]})
    return Stand.objects.create(
        name=given["name"], port=given["port"], simulated=given["simulated"], map=stand_map.write(found),
        elevation=like.elevation, notes=given["notes"],
    )  # fmt: skip
