"""A recorder that writes a file a pull, as CSV, while it runs; it says nothing else."""

from __future__ import annotations

from pathlib import Path
from typing import Any, TextIO

from standin.over.publisher import Row, Said

OPEN = 30.0  # % of throttle from which on it records
OFF_S = 1.0  # below it before the file is closed


class FilesPublisher:
    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.file: TextIO | None = None
        self.number = 0

    async def start(self, said: Said) -> None:
        self.folder.mkdir(parents=True, exist_ok=True)
        self.head = ",".join(["time [s]", *(f"{name} [{unit}]" for name, unit in said.channels)])
        self.throttle = [name for name, _ in said.channels].index("throttle")

    async def send(self, at_s: list[float], rows: list[Row], further: list[float]) -> None:
        for at, row in zip(at_s, rows, strict=True):
            if (row[self.throttle] or 0.0) >= OPEN:
                self.open_s = at
                if self.file is None:
                    self._begin()
            if self.file is None:
                continue
            self.file.write(",".join([f"{at:.4f}", *("" if value is None else f"{value:.6g}" for value in row)]) + "\n")
            if at - self.open_s > OFF_S:
                self._end()

    def _begin(self) -> None:
        self.number += 1
        # It grows under its own name: whoever watches the folder has to find out when it is finished.
        self.file = (self.folder / f"run {self.number:03d}.csv").open("w", buffering=4096)
        self.file.write(self.head + "\n")

    def _end(self) -> None:
        if self.file is not None:
            self.file.close()
            self.file = None

    def source(self) -> dict[str, Any]:
        """There is no map to it: the application watches the folder itself."""
        raise ValueError("files need no map: give the folder to the stand, under Stands")

    def place(self, number: int, name: str) -> dict[str, Any]:
        return {}

    def command(self, name: str) -> dict[str, Any]:
        return {}

    async def stop(self) -> None:
        self._end()
