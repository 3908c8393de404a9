"""The commands of ./torvix."""

from __future__ import annotations

import argparse
import fcntl
import os
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TextIO

from ops import checks
from ops.cluster import Cluster, free_port, secret
from ops.machine import PYTHON, ROOT, VAR, CannotGoOn, build_web, environment, install, run, say
from ops.processes import Family, Stopped, wait_for

DATABASE = "torvix"
QUEUES = ("quick", "long")  # of jobs, a worker each, so that what somebody waits for is not held up
DEMO_STANDS = ("six", "four", "eight")  # the engines on the simulated stands of the demonstration
WEB_PORT, STAND_PORT, DATABASE_PORT, TEST_DATABASE_PORT = 8420, 7420, 54390, 54490


def main(arguments: list[str]) -> int:
    parser = argparse.ArgumentParser(prog="./torvix", description="Back-to-back engine testing on the dynamometer.")
    commands = parser.add_subparsers(dest="command", required=True)
    for name, what in (
        ("demo", "serve with the demonstration and a simulated stand"),
        ("serve", "serve your own data"),
    ):
        command = commands.add_parser(name, help=what)
        command.add_argument("--port", type=int, default=WEB_PORT, help="of the web server; the next free one is taken")
    for name, what in (("test", "everything: checks, then all tests"), ("check", "the checks alone, without tests")):
        command = commands.add_parser(name, help=what)
        if name == "test":
            command.add_argument("labels", nargs="*", help="only these tests, without the checks")
            told = "all that is tried by chance in full, not a short form of it: soak, properties, nasty input"
            command.add_argument("--long", action="store_true", help=told)
    perf = commands.add_parser("perf", help="benchmarks as ratios, measured side by side")
    perf.add_argument("--soak", action="store_true", help="200 kills and cuts at random moments instead, with a seed")
    told = "how often the verdict is wrong, into docs/calibration.md"
    perf.add_argument("--calibration", action="store_true", help=told)
    perf.add_argument("--table", action="store_true", help="write the figures into docs/performance.md")
    commands.add_parser("types", help="write the API's schema and the front end's types anew")
    # These have arguments, and a --help, of their own.
    for name, (_, what) in STAND_TOOLS.items():
        commands.add_parser(name, help=what, add_help=False)
    if arguments and arguments[0] in STAND_TOOLS:
        return stand_tool(*arguments)
    options = parser.parse_args(arguments)
    try:
        if options.command in ("demo", "serve"):
            serve(demo=options.command == "demo", port=options.port)
        else:
            return development(options)
    except CannotGoOn as reason:
        print(f"torvix: {reason}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 130
    return 0


STAND_TOOLS = {
    "standin": ("standin", "the simulated stand alone, to try an adapter or an application against"),
    "conform": ("standin.conformance", "does a stand speak the line protocol? For people who write an adapter"),
}


def stand_tool(name: str, *arguments: str) -> int:
    """Runs with Python's standard library alone, so nothing is installed for it."""
    env = {**os.environ, "TORVIX_PROG": f"./torvix {name}"}
    try:
        return subprocess.run([sys.executable, "-m", STAND_TOOLS[name][0], *arguments], cwd=ROOT, env=env).returncode
    except KeyboardInterrupt:
        return 130


@contextmanager
def only_one(name: str) -> Iterator[None]:
    """Two runs must not share a cluster; the second is told where the first is."""
    VAR.mkdir(exist_ok=True)
    with (VAR / f"{name}.lock").open("a+") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            lock.seek(0)
            raise CannotGoOn(f"already running here. {lock.read()}".strip()) from None
        told(lock, "")
        yield
        told(lock, "")


def told(lock: TextIO, text: str) -> None:
    lock.seek(0)
    lock.truncate()
    lock.write(text)
    lock.flush()


def serve(*, demo: bool, port: int) -> None:
    with only_one("serve"):
        install(tests=False)
        build_web()
        cluster = Cluster("pg", DATABASE_PORT)
        family = None
        try:
            cluster.start()
            fresh = cluster.make_database(DATABASE)
            env = environment(**cluster.settings(DATABASE), TORVIX_SECRET_KEY=secret("django"))
            family = Family(env)
            run([PYTHON, ROOT / "server/manage.py", "migrate", "--verbosity", "0"], what="the migration", env=env)
            if demo:
                _load_demo(cluster, env, fresh)
            else:
                run([PYTHON, ROOT / "server/manage.py", "first_owner"], what="making the owner", env=env)
            _start(family, demo=demo, port=port)
            family.watch(cluster.tend)
        except Stopped:
            say("stopping")
        finally:
            if family:
                family.stop()
            cluster.stop()


def _load_demo(cluster: Cluster, env: dict[str, str], fresh: bool) -> None:
    try:
        run([PYTHON, "-m", "demo"], what="loading the demonstration", env=env, cwd=ROOT)
    except CannotGoOn:
        if fresh:  # nothing of anybody's is in it yet; the next run starts clean
            cluster.drop_database(DATABASE)
        raise


def _start(family: Family, *, demo: bool, port: int) -> None:
    logs = VAR / "log"
    logs.mkdir(exist_ok=True)
    python, manage = str(PYTHON), str(ROOT / "server/manage.py")
    if demo:
        for number, engine in enumerate(DEMO_STANDS, 1):
            stand_port = free_port(STAND_PORT + 10 * number)
            point = [python, manage, "point_stand", "--name", f"Stand {number}", "--port", str(stand_port)]
            run(point, what="pointing the stand", env=family.env)
            simulate = [python, "-m", "standin", "--port", str(stand_port), "--warm", "--engine", engine]
            family.start(f"simulated stand {number}", simulate, logs / f"stand-{number}.log")
    port = free_port(port)
    address = f"http://127.0.0.1:{port}/"
    uvicorn = [python, "-m", "uvicorn", "config.asgi:application", "--host", "127.0.0.1", "--port", str(port)]
    uvicorn += ["--lifespan", "off", "--timeout-graceful-shutdown", "2", "--log-level", "warning"]
    # What a request says of where it came from is believed of nobody but a proxy that somebody named.
    proxy = os.environ.get("TORVIX_PROXY", "")
    uvicorn += ["--forwarded-allow-ips", proxy] if proxy else ["--no-proxy-headers"]
    family.start("web server", uvicorn, logs / "web.log")
    wait_for(address, family.children[-1])
    for queue in QUEUES:
        work = [python, manage, "procrastinate", "worker", "--queues", queue, "--name", queue, "--concurrency", "1"]
        family.start(f"job worker, {queue}", [*work, "--delete-jobs", "always"], logs / f"jobs-{queue}.log")
    described = stands(family.env)
    for stand in described:
        family.start(f"bench worker, stand {stand}", [python, manage, "bench", "--stand", stand],
                     logs / f"bench-{stand}.log")  # fmt: skip
    if not described:
        say("no stand is described yet, so no bench worker runs")
    with (VAR / "serve.lock").open("r+") as lock:
        told(lock, f"It serves {address}")
    say(f"serves {address} (Ctrl-C stops everything)")


def stands(env: dict[str, str]) -> list[str]:
    """The numbers of the stands that are described; each has a bench worker of its own."""
    rows = "Stand.objects.filter(on_line=True).order_by('pk').values_list('pk', flat=True)"
    query = f"from shop.models import Stand; print(*{rows})"
    command = [str(PYTHON), str(ROOT / "server/manage.py"), "shell", "--no-imports", "-c", query]
    return subprocess.run(command, env=env, capture_output=True, text=True).stdout.split()


def development(options: argparse.Namespace) -> int:
    """Checks, tests and benchmarks, on a cluster that may be thrown away."""
    with only_one("test"):
        install(tests=True)
        build_web()
        cluster = Cluster("pg-test", TEST_DATABASE_PORT, throwaway=True)
        try:
            cluster.start()
            env = environment(**cluster.settings("postgres"), TORVIX_SECRET_KEY=secret("tests"), TORVIX_TESTING="1")
            if options.command == "types":
                return checks.write_types(env)
            if options.command == "perf":
                chosen = [f"--{name}" for name in ("soak", "calibration", "table") if getattr(options, name)]
                return subprocess.run([PYTHON, "-m", "perf", *chosen], env=env, cwd=ROOT).returncode
            if options.command == "check":
                return checks.run_checks(env)
            return checks.run_everything(env | {"TORVIX_LONG": str(int(options.long))}, options.labels)
        finally:
            cluster.stop()
