"""The commands of ./torvix."""

from __future__ import annotations

import argparse
import os
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager, nullcontext
from pathlib import Path

from ops import backup, checks, network, upgrading
from ops.cluster import Cluster, secret
from ops.machine import PYTHON, ROOT, VAR, CannotGoOn, build_web, environment, install, say
from ops.network import Door
from ops.serving import MANAGE, Wanted, database, only_one, serve

WEB_PORT, TEST_DATABASE_PORT = 8420, 54490


def main(arguments: list[str]) -> int:
    parser = argparse.ArgumentParser(prog="./torvix", description="Back-to-back engine testing on the dynamometer.")
    commands = parser.add_subparsers(dest="command", required=True)
    for name, what in (
        ("demo", "serve with the demonstration and a simulated stand"),
        ("serve", "serve your own data"),
    ):
        _serving_options(commands.add_parser(name, help=what))
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
    save = commands.add_parser("backup", help="database, secrets and spool into one file, read back")
    save.add_argument("file", nargs="?", type=Path, help="var/backups/torvix-DATE.tar if left out")
    save.add_argument("--nightly", action="store_true", help="only the newest of the nightly ones are kept")
    bring = commands.add_parser("restore", help="a backup into an empty place")
    bring.add_argument("file", type=Path)
    upgrade = commands.add_parser(
        "upgrade", help="back up and bring the database up to date; put back where that fails"
    )
    upgrade.add_argument("--back", type=Path, metavar="BACKUP", help="the shop as it was in this backup instead")
    commands.add_parser("types", help="write the API's schema and the front end's types anew")
    for name, (_, what) in SHOP_TOOLS.items():
        commands.add_parser(name, help=what, add_help=False)
    # These have arguments, and a --help, of their own.
    for name, (_, what) in STAND_TOOLS.items():
        commands.add_parser(name, help=what, add_help=False)
    if arguments and arguments[0] in STAND_TOOLS:
        return stand_tool(*arguments)
    try:
        if arguments and arguments[0] in SHOP_TOOLS:
            return shop_tool(*arguments)
        options = parser.parse_args(arguments)
        if options.command in ("demo", "serve"):
            serve(_door(options), demo=options.command == "demo", wanted=_wanted(options))
        elif options.command in ("backup", "restore", "upgrade"):
            keep(options)
        else:
            return development(options)
    except CannotGoOn as reason:
        print(f"torvix: {reason}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 130
    return 0


def _serving_options(command: argparse.ArgumentParser) -> None:
    command.add_argument("--port", type=int, default=WEB_PORT, help="of the web server; the next free one is taken")
    command.add_argument("--host", default="127.0.0.1", help="0.0.0.0 for the whole network; HTTPS is wanted then")
    what_for = "a name under which browsers ask for it; may be given again"
    command.add_argument("--name", action="append", default=[], dest="names", metavar="NAME", help=what_for)
    command.add_argument("--tls-cert", type=Path, metavar="FILE", help="certificate, PEM")
    command.add_argument("--tls-key", type=Path, metavar="FILE", help="its key, PEM")
    command.add_argument("--self-signed", action="store_true", help="a certificate of its own, fingerprint printed")
    what_for = "a reverse proxy there does HTTPS and says where a request came from"
    command.add_argument("--behind-proxy", default="", metavar="ADDRESS", help=what_for)
    for name, what in (("web", "web server"), ("jobs", "job workers"), ("stands", "bench workers")):
        command.add_argument(f"--no-{name}", action="store_true", help=f"the {what} run on another machine")


def _door(options: argparse.Namespace) -> Door:
    certificate, key, names = options.tls_cert, options.tls_key, tuple(options.names)
    if options.self_signed and not certificate:
        install(tests=False)
        certificate, key = network.self_signed(names, options.host)
    elif certificate and key:
        Door(options.port, options.host, names, certificate, key)  # whether the files are there, before they are read
        install(tests=False)
        network.check_certificate(certificate)
    return Door(options.port, options.host, names, certificate, key, options.behind_proxy)


def _wanted(options: argparse.Namespace) -> Wanted:
    return Wanted(web=not options.no_web, jobs=not options.no_jobs, stands=not options.no_stands)


# What the owner may do at the terminal as well, and a bench worker on the machine beside its stand.
SHOP_TOOLS = {
    "bench": ("bench", "hold the line to one stand: --stand NAME, with TORVIX_DATABASE_URL from another machine"),
    "rebuild": ("rebuild", "curves that an older Torvix made, made anew: --check says what would differ"),
    "person": ("person", "people: add, reset, unlock, list"),
    "stand": ("stand", "stands: add, try, list"),
}


def shop_tool(name: str, *arguments: str) -> int:
    """A command of the server on the database that `serve` uses; started for it where it does not run."""
    install(tests=False)
    with database(shared=True) as (env, _, _), rebuild_worker(env) if name == "rebuild" else nullcontext():
        command = [str(PYTHON), MANAGE, SHOP_TOOLS[name][0], *arguments]
        try:
            return subprocess.run(command, env={**env, "TORVIX_PROG": f"./torvix {name}"}).returncode
        except KeyboardInterrupt:
            return 130


@contextmanager
def rebuild_worker(env: dict[str, str]) -> Iterator[None]:
    """One more job worker while it lasts: the work goes on where nothing serves, and faster where something does."""
    log = VAR / "log" / "rebuild.log"
    log.parent.mkdir(exist_ok=True)
    with log.open("ab") as out:
        command = [str(PYTHON), MANAGE, "work_jobs", "--queue", "long"]
        # In a group of its own: Ctrl-C is for the command, which stops the job first.
        worker = subprocess.Popen(command, env=env, stdout=out, stderr=out, start_new_session=True)
        try:
            yield
        finally:
            worker.terminate()
            worker.wait()


def keep(options: argparse.Namespace) -> None:
    """Backups, while the shop runs; putting one in its place only while it does not."""
    install(tests=False)
    if options.command == "backup":
        with database(shared=True) as (env, _, _):
            backup.back_up(env, backup.named(backup.NIGHTLY) if options.nightly else options.file)
        if options.nightly:
            backup.thin_out()
        return
    with only_one("serve"), database() as (env, _, _):
        if options.command == "restore":
            backup.restore(env, options.file)
        elif options.back:
            upgrading.go_back(env, options.back)
        else:
            build_web()
            if upgrading.bring_up_to_date(env) is None:
                say("the database is up to date")


STAND_TOOLS = {
    "standin": ("standin", "the simulated stand alone, to try an adapter or an application against"),
    "conform": ("standin.conformance", "does a stand speak the line protocol? For people who write an adapter"),
    "adapter": ("adapters", "link a stand that speaks Modbus, MQTT, CAN, OPC UA or lines of text, by its map"),
}


def stand_tool(name: str, *arguments: str) -> int:
    """The stand-in and the check run with Python's standard library alone; what speaks a standard needs its library."""
    python: str | Path = sys.executable
    if name == "adapter" or "--over" in arguments:
        install(tests=False)
        python = PYTHON
    env = {**os.environ, "TORVIX_PROG": f"./torvix {name}", "PYTHONPATH": str(ROOT / "core")}
    try:
        return subprocess.run([python, "-m", STAND_TOOLS[name][0], *arguments], cwd=ROOT, env=env).returncode
    except KeyboardInterrupt:
        return 130


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
