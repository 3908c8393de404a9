"""The list of benchmarks: functions, and test cases where processes and a browser are needed."""

from __future__ import annotations

import itertools
import os
from collections.abc import Callable
from functools import wraps

from django.db import connection
from django.test import TransactionTestCase

from ops.lanes import OURS, clean_database, other_database
from perf import adapters, air, at_size, files, planning, printed_sheets, pulls, road, verdict
from perf.live import BesideHeavyRequests, Crowd, Latency, Queue, Typing
from perf.screens import Judging, LongTest, Matrix
from perf.worker import FullRate, LongSoak

Benchmark = Callable[[], None] | type[TransactionTestCase]
_numbers = itertools.count()


def alone(work: Callable[[], None]) -> Callable[[], None]:
    """The work in an empty database of its own: no two benchmarks meet in one."""

    @wraps(work)
    def run() -> None:
        name = f"{OURS}_perf_{os.getpid()}_{next(_numbers)}"
        with connection._nodb_cursor() as cursor:
            cursor.execute(f'CREATE DATABASE "{name}" TEMPLATE "{clean_database()}"')
        try:
            with other_database(name):
                work()
        finally:
            with connection._nodb_cursor() as cursor:
                cursor.execute(f'DROP DATABASE "{name}" WITH (FORCE)')

    return run


ALL: list[tuple[str, Benchmark]] = [
    ("truth", files.truth),
    ("factors", air.factors),
    ("sheet", air.sheet),
    ("days", planning.days),
    ("orders", planning.orders),
    ("quarter miles", road.quarter_miles),
    ("reduction", pulls.reduction),
    ("reading", files.reading),
    ("effects", verdict.effects),
    ("adapters", adapters.adapters),
    ("printed sheets", printed_sheets.printed_sheets),
    ("storage", alone(pulls.storage)),
    ("many files", alone(files.many)),
    ("verdict", alone(verdict.through_the_api)),
    ("shop at size", alone(at_size.shop)),
    ("judging on the screen", Judging),
    ("a matrix of setups on paper", Matrix),
    ("a long test on the screen", LongTest),
    ("typing", Typing),
    ("latency", Latency),
    ("crowd", Crowd),
    ("queue", Queue),
    ("heavy requests", BesideHeavyRequests),
    ("full rate", FullRate),
]
SOAK: list[tuple[str, Benchmark]] = [("soak", LongSoak)]
