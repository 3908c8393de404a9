"""Serving a shop: database, web server, job workers and the processes of the stands, started and looked after."""

from __future__ import annotations

import fcntl
import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import TextIO

from ops import upgrading
from ops.cluster import Cluster, free_port, secret
from ops.database import Elsewhere, given_url
from ops.machine import PYTHON, ROOT, VAR, CannotGoOn, build_web, environment, install, run, say
from ops.network import Door
from ops.nightly import Nightly
from ops.processes import Family, Stopped, wait_for
from ops.stands import Stands

DATABASE = "torvix"
DATABASE_PORT = 54390
LONGEST_FOLDER = 90  # letters; the path of a socket has 107 at most
QUEUES = ("quick", "long")  # of jobs, a worker each, so that what somebody waits for is not held up
MANAGE = str(ROOT / "server" / "manage.py")


@contextmanager
def only_one(name: str) -> Iterator[None]:
    """Two runs must not share a cluster; the second learns where the first is."""
    VAR.mkdir(exist_ok=True)
    with (VAR / f"{name}.lock").open("a+") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            lock.seek(0)
            raise CannotGoOn(f"already running here. {lock.read()}".strip()) from None
        write_in(lock, "")
        yield
        write_in(lock, "")


def write_in(lock: TextIO, text: str) -> None:
    lock.seek(0)
    lock.truncate()
    lock.write(text)
    lock.flush()


@dataclass(frozen=True)
class Wanted:
    """Which of the processes run here: a machine may have the web server alone, or the workers."""

    web: bool = True
    jobs: bool = True
    stands: bool = True


@contextmanager
def database(*, shared: bool = False) -> Iterator[tuple[dict[str, str], Cluster | Elsewhere, bool]]:
    """The environment that leads to it, what looks after it, and whether it was made just now.

    `shared`: where ./torvix serve has it running, that one is used and left running.
    """
    found = given_url()
    if found:
        found.check()
        yield environment(**found.settings(), TORVIX_SECRET_KEY=secret("django")), found, False
        return
    cluster = Cluster("pg", DATABASE_PORT)
    if shared and cluster.join():
        yield environment(**cluster.settings(DATABASE), TORVIX_SECRET_KEY=secret("django")), cluster, False
        return
    try:
        cluster.start()
        fresh = cluster.make_database(DATABASE)
        yield environment(**cluster.settings(DATABASE), TORVIX_SECRET_KEY=secret("django")), cluster, fresh
    finally:
        cluster.stop()


def serve(door: Door, *, demo: bool = False, wanted: Wanted = Wanted()) -> None:
    with only_one("serve"):
        install(tests=False)
        build_web()
        family = None
        try:
            with database() as (env, kept, fresh):
                try:
                    family = Family(env | door.environment())
                    family.hear_signals()
                    upgrading.bring_up_to_date(env)
                    if demo:
                        _load_demo(kept, env, fresh)
                    stands = _start(family, door, wanted)

                    nightly = Nightly(VAR / "log" / "backup.log")

                    def tend() -> None:
                        kept.tend()
                        stands.tend()
                        nightly.tend()

                    family.watch(tend)
                finally:
                    if family:
                        family.stop()
        except Stopped:
            say("stopping")


def _judging_socket() -> Path:
    """In a folder of our own: who writes to it says for whom a request is. Short, as sockets want it."""
    folder = VAR / "judging"
    if len(str(folder)) > LONGEST_FOLDER:
        folder = Path(tempfile.gettempdir()) / f"torvix-{os.getpid()}"
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    folder.chmod(0o700)
    socket = folder / "socket"
    socket.unlink(missing_ok=True)  # of a run that was killed
    return socket


def _load_demo(kept: Cluster | Elsewhere, env: dict[str, str], fresh: bool) -> None:
    try:
        run([PYTHON, "-m", "demo"], what="loading the demonstration", env=env, cwd=ROOT)
    except CannotGoOn:
        if fresh and isinstance(kept, Cluster):  # nothing of anybody's is in it yet; the next run starts clean
            kept.drop_database(DATABASE)
        raise


def _start(family: Family, door: Door, wanted: Wanted) -> Stands:
    logs = VAR / "log"
    logs.mkdir(exist_ok=True)
    python = str(PYTHON)
    stands = Stands(family, VAR / "stands.json", logs)
    if wanted.web:
        port = free_port(door.port, door.host)
        address = door.address(port)
        socket = _judging_socket()
        family.env["TORVIX_JUDGING_SOCKET"] = str(socket)
        family.start("judging process", door.judging(socket), logs / "judging.log")
        family.start("web server", door.uvicorn(port), logs / "web.log")
        wait_for(door.here(port), family.children[-1])
    if wanted.jobs:
        for queue in QUEUES:
            work = [python, MANAGE, "work_jobs", "--queue", queue]
            family.start(f"job worker, {queue}", work, logs / f"jobs-{queue}.log")
    if wanted.stands:
        stands.start()
    if not wanted.web:
        say("works without a web server (Ctrl-C stops everything)")
        return stands
    with (VAR / "serve.lock").open("r+") as lock:
        write_in(lock, f"It serves {address}")
    run([PYTHON, MANAGE, "first_run", "--address", address], what="looking whether the shop is new", env=family.env)
    say(f"serves {address} (Ctrl-C stops everything)")
    return stands
