"""What benchmarks say: a figure beside what was wanted of it, printed at once and kept for the table."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

from perf.ratio import Ratio

TABLE = Path(__file__).resolve().parents[1] / "docs" / "performance.md"
TINY = os.environ.get("TORVIX_PERF_TINY") == "1"


@dataclass(frozen=True)
class Figure:
    """`measured` and `wanted` in words with their units; nothing wanted where a figure only informs."""

    what: str
    measured: str
    wanted: str = ""

    def __str__(self) -> str:
        return f"{self.what}: {self.measured}" + (f"; wanted {self.wanted}" if self.wanted else "")


FIGURES: list[Figure] = []


def tell(what: str | Ratio, measured: str = "", wanted: str = "") -> None:
    """Print a figure and keep it for the table."""
    if isinstance(what, Ratio):
        figure = Figure(what.name, what.measured, what.wanted)
    else:
        figure = Figure(what, measured, wanted)
    FIGURES.append(figure)
    print(figure, flush=True)


def size(full: int, tiny: int) -> int:
    """How much of something: the tests run every benchmark once in its tiny size, to see that it still works."""
    return tiny if TINY else full


def write_table(machine: str, day: str, failed: list[str]) -> None:
    """docs/performance.md from what was told in this run."""
    rows = [f"| {one.what} | {one.measured} | {one.wanted or 'for information'} |" for one in FIGURES]
    gone = [f"\nThese did not run to their end: {', '.join(failed)}."] if failed else []
    TABLE.write_text(
        "\n".join(
            [
                "# Performance",
                "",
                "Written by `./torvix perf --table`. A ratio is the median over rounds in which our work and its",
                "yardstick took turns in one run; where only seconds stand, they are those of this machine.",
                "",
                f"Measured {day} on {machine}.",
                "",
                "| what | measured | wanted |",
                "| --- | --- | --- |",
                *rows,
                *gone,
                "",
            ]
        ),
        encoding="utf-8",
    )
