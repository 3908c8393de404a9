"""Reducing a pull against copying it; reading a stored pull against rows of float arrays; stored bytes against text."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
import psycopg
from torvix_core.pull.reduction import Options, StandInertia, reduce_sweep
from torvix_core.pull.trace import PLAUSIBLE, Trace

from perf.ratio import measure
from perf.report import tell
from stand.live.notifications import connection_arguments
from stand.pulls.codec import pack, unpack

SECONDS, CHANNELS = 12, 24
OPTIONS = Options(stand_inertia=StandInertia.NOT_INCLUDED, inertia=0.45)
# What a stand sends: decimals by how fast a channel moves.
DECIMALS = {"rpm": 1, "torque": 2, "throttle": 1, "lambda": 3}


def a_pull(hz: float) -> Trace:
    """Twelve seconds of 24 channels as a stand sends them, in SI."""
    generator = np.random.default_rng(6)
    count = int(SECONDS * hz)
    time = (np.arange(count) / hz).round(6)
    names = [*PLAUSIBLE, *(f"exhaust_{number}" for number in range(CHANNELS - len(PLAUSIBLE)))]
    values = np.empty((CHANNELS, count))
    for row, name in zip(values, names, strict=True):
        low, high = PLAUSIBLE.get(name, (300.0, 1200.0))
        middle = (max(low, 0.0) + high) / 2
        row[:] = middle * (1 + 0.02 * np.sin(time / 3) + generator.normal(0, 0.002, count))
        row[:] = row.round(DECIMALS.get(name, 1))
    values[0] = (np.minimum(2200 + 400 * np.maximum(0, time - 0.6), 6750) + generator.normal(0, 1.5, count)).round(1)
    values[1] = (250 - 20 * ((values[0] - 4200) / 1500) ** 2 + generator.normal(0, 1.2, count)).round(2)
    values[2] = 1.0
    return Trace(time, tuple(names), values)


def reduction() -> None:
    for hz, repeat in ((100, 40), (1000, 10)):
        pull = a_pull(hz)

        def reduce(pull: Trace = pull) -> object:
            return reduce_sweep(Trace(pull.time, pull.names, pull.values), OPTIONS)  # nothing remembered from before

        def copy(pull: Trace = pull) -> object:
            return np.copy(pull.values)

        tell(measure(f"reduce / np.copy of the pull, {hz} Hz", reduce, copy, "at most 10", repeat=repeat))


def storage() -> None:
    """Both by the same driver over the same connection, in its binary form, into arrays."""
    with psycopg.connect(**connection_arguments(), autocommit=True) as connection:
        _storage(connection)


def _storage(connection: psycopg.Connection[tuple[Any, ...]]) -> None:
    for hz in (100, 1000):
        pull = a_pull(hz)
        columns = [pull.time, *pull.values]
        packed = [pack(column) for column in columns]
        with connection.cursor() as cursor:
            cursor.execute("DROP TABLE IF EXISTS as_packed, as_rows")
            cursor.execute("CREATE TEMPORARY TABLE as_packed (name int, codec text, samples int, data bytea)")
            cursor.execute("ALTER TABLE as_packed ALTER COLUMN data SET STORAGE EXTERNAL")
            cursor.execute("CREATE TEMPORARY TABLE as_rows (name int, samples float8[])")
            for number, ((codec, data), column) in enumerate(zip(packed, columns, strict=True)):
                cursor.execute("INSERT INTO as_packed VALUES (%s, %s, %s, %s)", [number, codec, len(column), data])
                cursor.execute("INSERT INTO as_rows VALUES (%s, %s)", [number, column.tolist()])

        def read_packed() -> list[np.ndarray]:
            with connection.cursor(binary=True) as cursor:
                cursor.execute("SELECT codec, samples, data FROM as_packed ORDER BY name")
                return [unpack(codec, bytes(data), samples) for codec, samples, data in cursor.fetchall()]

        def read_rows() -> list[np.ndarray]:
            with connection.cursor(binary=True) as cursor:
                cursor.execute("SELECT samples FROM as_rows ORDER BY name")
                return [np.array(samples) for (samples,) in cursor.fetchall()]

        for ours, theirs, column in zip(read_packed(), read_rows(), columns, strict=True):
            if ours.tobytes() != column.tobytes() or theirs.tobytes() != column.tobytes():
                raise AssertionError("a stored pull did not come back as it was")
        tell(measure(f"read packed / read float8[] rows, {hz} Hz", read_packed, read_rows, "at most 0.35"))
        text = io.StringIO()
        table = np.column_stack(columns)
        for row in table:
            text.write(",".join(f"{value:.10g}" for value in row) + "\n")
        size = sum(len(data) for _, data in packed)
        share = size / len(text.getvalue().encode())
        tell(f"stored bytes / CSV, {hz} Hz", f"{share:.2f} ({size} bytes, lossless)", "at most 0.30")
