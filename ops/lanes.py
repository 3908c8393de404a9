"""The test runner: two lanes side by side, each a process with a database of its own, and what took how long.

Nothing here belongs to one test. A class of tests goes to whichever lane is free, the long ones first.
"""

from __future__ import annotations

import gc
import hashlib
import itertools
import os
import shutil
import socket
import sys
import tempfile
import time
import unittest
import zlib
from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from functools import cache
from multiprocessing.util import Finalize
from pathlib import Path
from typing import Any, ClassVar

from django.conf import settings
from django.db import connection
from django.test import runner
from django.test.runner import (  # type: ignore[attr-defined]
    DiscoverRunner,
    ParallelTestSuite,
    RemoteTestResult,
    RemoteTestRunner,
    _init_worker,
)

ROOT = Path(__file__).resolve().parents[1]
SLOWEST = 10
# One lane makes the demonstration while the other does what does not need it. Classes that take minutes follow: begun
# last, one of them would keep its lane busy long after the other has nothing to do.
ORDER = ("demo", "core", "tests", "ops", "browser_tests", "perf")
OURS = "torvix_run"  # what the databases of a run are called that are not Django's own
CLEAN = "torvix_clean"  # as the migrations leave it: kept, and made anew when a migration changes


PORTS_OF_A_LANE, PORTS_OF_STANDS = 1_000, 100
# Below those that the system gives away by itself; two clones on one machine may run their tests at once.
PORTS = 21_000 + 3 * PORTS_OF_A_LANE * (zlib.crc32(str(ROOT).encode()) % 3)
_ports = itertools.count()


@cache
def clean_database() -> str:
    """Its name, another one for every other set of migrations."""
    digest = hashlib.sha256((ROOT / "locks" / "runtime.lock").read_bytes())
    for migration in sorted((ROOT / "server").glob("*/migrations/*.py")):
        digest.update(migration.name.encode() + migration.read_bytes())
    return f"{CLEAN}_{digest.hexdigest()[:12]}"


@contextmanager
def other_database(name: str) -> Iterator[None]:
    """Another database for Django, and for the processes that a test starts."""
    before = connection.settings_dict["NAME"]
    connection.close()
    connection.settings_dict["NAME"] = name
    try:
        yield
    finally:
        connection.close()
        connection.settings_dict["NAME"] = before


def lane_port() -> int:
    """A port of this lane alone that nobody listens on; no two tests of a run are given the same one."""
    first, most = _first_port(), PORTS_OF_A_LANE - PORTS_OF_STANDS
    for place in itertools.islice(_ports, most):
        with socket.socket() as probe:
            try:
                probe.bind(("127.0.0.1", first + place % most))
            except OSError:
                continue
            return first + place % most
    raise RuntimeError(f"no free port from {first} to {first + most - 1}")


def first_stand_port() -> int:
    """From here on the application gives ports away itself: two lanes that shared them linked each other's stands."""
    return _first_port() + PORTS_OF_A_LANE - PORTS_OF_STANDS


def _first_port() -> int:
    lane: int = runner._worker_id  # type: ignore[attr-defined]  # 0 where there are no lanes
    return PORTS + PORTS_OF_A_LANE * lane


class Lost(Exception):
    """An exception that nobody could catch: raised while something was thrown away, such as a file left open."""


def _lost(found: list[str]) -> None:
    """Keep what the interpreter could only print, so that the test in which it happened fails for it."""

    def keep(told: Any) -> None:
        found.append(f"{told.exc_type.__name__}: {told.exc_value} ({told.err_msg or 'thrown away'}: {told.object!r})")

    sys.unraisablehook = keep


class _Watching:
    """Part of a result: the seconds of each test, and an error for what was lost in it."""

    _began = 0.0
    lost: list[str]

    def watch(self) -> None:
        self.lost = []
        _lost(self.lost)

    def startTest(self, test: unittest.TestCase) -> None:  # noqa: N802  # unittest's name
        self._began = time.monotonic()
        super().startTest(test)  # type: ignore[misc]

    def stopTest(self, test: unittest.TestCase) -> None:  # noqa: N802  # unittest's name
        if self.lost:
            told = Lost("; ".join(self.lost))
            self.lost.clear()
            self.addError(test, (Lost, told, None))  # type: ignore[attr-defined]
        self.took(test, time.monotonic() - self._began)
        super().stopTest(test)  # type: ignore[misc]

    def took(self, test: unittest.TestCase, seconds: float) -> None:
        raise NotImplementedError


class LaneResult(_Watching, RemoteTestResult):
    """What a lane sends back."""

    def __init__(self, *args: Any, **more: Any) -> None:
        super().__init__(*args, **more)
        self.watch()

    def took(self, test: unittest.TestCase, seconds: float) -> None:
        self.events.append(("took", self.test_index, seconds))

    def addSubTest(self, test: Any, subtest: Any, err: Any) -> None:  # noqa: N802  # unittest's name
        # A test that holds a browser cannot be sent; what failed, and with what, can.
        if err is not None:
            told = err[1] if isinstance(err[1], AssertionError) else AssertionError(repr(err[1]))
            named = AssertionError(f"{subtest._subDescription()}: {told}")
            self.addFailure(test, (AssertionError, named, err[2]))


class InALane(RemoteTestRunner):
    resultclass = LaneResult


def _run_class(given: tuple[Any, int, unittest.TestSuite, bool, bool]) -> tuple[int, list[tuple[Any, ...]]]:
    """In a lane: one class of tests, with the seconds that it took in all."""
    runner_class, index, suite, failfast, buffer = given
    began = time.monotonic()
    result = runner_class(failfast=failfast, buffer=buffer).run(suite)
    gc.collect()  # what the class left behind is told with it, not with the next
    events = list(result.events)
    if result.lost:
        events.append(("addError", 0, (Lost, Lost("; ".join(result.lost)), None)))
    return index, [*events, ("lane_took", 0, os.getpid(), time.monotonic() - began)]


class OneClass(unittest.TestSuite):
    """The tests of a class. Lanes are forked and have it already, so only its place is sent: not every test can be."""

    all: ClassVar[list[OneClass]] = []

    def __init__(self, tests: Iterable[unittest.TestCase | unittest.TestSuite]) -> None:
        super().__init__(tests)
        self.place = len(self.all)
        self.all.append(self)

    def __reduce__(self) -> tuple[Any, ...]:
        return _class_at, (self.place,)


def _class_at(place: int) -> OneClass:
    return OneClass.all[place]


def own_spool() -> None:
    """A folder of this process for what bench workers keep on disk, and for their sockets."""
    folder = tempfile.mkdtemp(prefix="torvix-spool-")
    Finalize(None, shutil.rmtree, [folder, True], exitpriority=0)
    os.environ["TORVIX_SPOOL"] = folder
    settings.BENCH_SPOOL = Path(folder)


def _begin_lane(*arguments: Any, **more: Any) -> None:
    _init_worker(*arguments, **more)
    own_spool()
    # All tests are loaded by now; each class ends with a collection, which would go over the modules again.
    gc.collect()
    gc.freeze()


class Lanes(ParallelTestSuite):
    init_worker = _begin_lane
    runner_class = InALane
    run_subsuite = _run_class


class Result(_Watching, unittest.TextTestResult):
    """What the person sees, collected from the lanes or, where there is only one, made here."""

    def __init__(self, *args: Any, **more: Any) -> None:
        super().__init__(*args, **more)
        self.seconds: dict[str, float] = {}
        self.lanes: dict[int, float] = defaultdict(float)
        self.watch()

    def took(self, test: unittest.TestCase, seconds: float) -> None:
        # A lane's own figure comes as well as that of the replay of the test, which took no time here.
        self.seconds[test.id()] = max(seconds, self.seconds.get(test.id(), 0.0))

    def lane_took(self, test: unittest.TestCase, lane: int, seconds: float) -> None:
        """A class is over in a lane. What its tests did not take went into what they share."""
        self.lanes[lane] += seconds
        name = f"{type(test).__module__}.{type(test).__qualname__}"
        own = sum(took for one, took in self.seconds.items() if one.rpartition(".")[0] == name)
        self.seconds[f"{name}, what its tests share"] = seconds - own

    def timings(self) -> Iterable[str]:
        """Lines for the person: the slowest tests, the time of each part of the tree and of each lane."""
        slowest = sorted(self.seconds.items(), key=lambda one: -one[1])[:SLOWEST]
        yield "slowest:"
        yield from (f"  {seconds:6.1f} s  {name}" for name, seconds in slowest)
        parts: dict[str, float] = defaultdict(float)
        for name, seconds in self.seconds.items():
            parts[name.partition(".")[0]] += seconds
        yield "in all, by part of the tree:"
        yield from (f"  {seconds:6.1f} s  {part}" for part, seconds in sorted(parts.items(), key=lambda one: -one[1]))
        for number, seconds in enumerate(self.lanes.values(), 1):
            yield f"lane {number}: {seconds:.0f} s"


class LaneRunner(DiscoverRunner):
    """Django's runner, which prints what took long and fails for what Python can only print."""

    parallel_test_suite = Lanes
    found = 0  # tests

    def get_resultclass(self) -> type[unittest.TextTestResult]:
        return super().get_resultclass() or Result

    def build_suite(self, test_labels: Sequence[str] | None = None, **more: Any) -> unittest.TestSuite:
        suite = super().build_suite(test_labels, **more)
        self.found = suite.countTestCases()
        if isinstance(suite, Lanes):
            suite.subsuites = [OneClass(tests) for tests in sorted(suite.subsuites, key=_place)]
        return suite

    def setup_test_environment(self, **more: Any) -> None:
        super().setup_test_environment(**more)
        own_spool()

    def setup_databases(self, **more: Any) -> Any:
        """From a clean database that is kept, since the migrations take longer than most tests that one asks for."""
        if not more.get("aliases", True):
            return super().setup_databases(**more)  # none is wanted
        name = connection.creation._get_test_db_name()  # type: ignore[attr-defined]
        with connection._nodb_cursor() as cursor:
            clean = clean_database()
            for old in self._left_behind(cursor, name, but=clean):
                cursor.execute(f'DROP DATABASE "{old}" WITH (FORCE)')
            cursor.execute("SELECT 1 FROM pg_database WHERE datname = %s", [clean])
            is_new = cursor.fetchone() is None
            if not is_new:
                cursor.execute(f'CREATE DATABASE "{name}" TEMPLATE "{clean}"')
            self.keepdb = not is_new
            try:
                made = super().setup_databases(**more)
            finally:
                self.keepdb = False  # it is kept as the clean one
            if is_new:
                connection.close()
                cursor.execute(f'CREATE DATABASE "{clean}" TEMPLATE "{name}"')
        return made

    @staticmethod
    def _left_behind(cursor: Any, name: str, but: str) -> list[str]:
        """What a run that was killed did not drop: only one run at a time uses this cluster."""
        cursor.execute("SELECT datname FROM pg_database")
        found = [one for (one,) in cursor.fetchall()]
        return [one for one in found if one.startswith((name, OURS, CLEAN)) and one != but]

    def teardown_databases(self, old_config: Any, **more: Any) -> None:
        super().teardown_databases(old_config, **more)
        if old_config:
            with connection._nodb_cursor() as cursor:
                for name in self._left_behind(cursor, OURS, but=clean_database()):
                    cursor.execute(f'DROP DATABASE "{name}" WITH (FORCE)')

    def suite_result(self, suite: unittest.TestSuite, result: Any, **more: Any) -> int:
        if isinstance(result, Result):
            print("\n".join(result.timings()), flush=True)
        failed = super().suite_result(suite, result, **more)
        if not failed and result.testsRun < self.found:
            # Interrupted, or a lane that went away: what was not run is not green.
            print(f"only {result.testsRun} of {self.found} tests were run", flush=True)
            return 1
        return failed


def _place(suite: unittest.TestSuite) -> int:
    """By ORDER; the rest as Django has it."""
    package = type(next(iter(suite))).__module__.partition(".")[0]
    return ORDER.index(package) if package in ORDER else len(ORDER)
