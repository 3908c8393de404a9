"""PostgreSQL clusters of our own, on loopback: one that is kept, and one that tests may throw away."""

from __future__ import annotations

import errno
import hashlib
import os
import secrets
import shutil
import socket
import subprocess
import time
from dataclasses import dataclass
from pathlib import Path

from ops.machine import POSTGRES_BIN, ROOT, VAR, CannotGoOn, say

USER = "torvix"
TEND_S = 2.0  # between two tries to start it again


def free_port(wanted: int, host: str = "127.0.0.1") -> int:
    """The port wanted, or the next one that nobody listens on. CannotGoOn where the host is not this machine's."""
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    for port in range(wanted, wanted + 200):
        with socket.socket(family) as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind((host, port))
            except OSError as error:
                if error.errno in (errno.EADDRNOTAVAIL, errno.EACCES) or isinstance(error, socket.gaierror):
                    raise CannotGoOn(f"this machine cannot listen on {host}:{port}: {error.strerror}") from error
                continue
            return port
    raise CannotGoOn(f"no free port from {wanted} to {wanted + 199}; close something that listens there")


@dataclass
class Cluster:
    """One cluster in a folder of its own. `throwaway` trades safety of data for speed."""

    name: str
    wanted_port: int
    throwaway: bool = False
    port: int = 0
    tend_at: float = 0.0

    @property
    def home(self) -> Path:
        """A git-ignored folder here; where the server's user cannot reach that, one beside the system's own data."""
        here = VAR / self.name
        if os.geteuid() != 0 or all(parent.stat().st_mode & 0o001 for parent in here.parents):
            return here
        mark = hashlib.sha256(str(ROOT).encode()).hexdigest()[:12]
        return Path("/var/lib/postgresql") / f"torvix-{mark}-{self.name}"

    @property
    def password(self) -> str:
        return "" if self.throwaway else secret(f"{self.name}-password")

    def settings(self, database: str) -> dict[str, str]:
        """What the application must be told to find it."""
        return {
            "TORVIX_DB_HOST": "127.0.0.1",
            "TORVIX_DB_PORT": str(self.port),
            "TORVIX_DB_USER": USER,
            "TORVIX_DB_PASSWORD": self.password,
            "TORVIX_DB_NAME": database,
        }

    def start(self) -> None:
        """Make the cluster if it is new, and start it; another port is taken when its own is busy."""
        if not (self.home / "PG_VERSION").exists():
            self._create()
        self.stop()  # one left behind by a run that was killed
        while True:
            self.port = free_port(self.wanted_port)
            try:
                return self._start()
            except CannotGoOn:
                if free_port(self.port) == self.port:
                    raise
                # Somebody else took it between our look and our start: another copy of us, most likely.

    @property
    def is_running(self) -> bool:
        """By its own file and the process that it names."""
        try:
            process = Path("/proc") / (self.home / "postmaster.pid").read_text().split()[0]
            # One that was killed and that nobody has buried yet still has its number.
            return process.joinpath("stat").read_text().rsplit(")", 1)[1].split()[0] != "Z"
        except (OSError, ValueError, IndexError):
            return False

    def join(self) -> bool:
        """Use one that runs already, where it listens; False if none does."""
        if not self.is_running:
            return False
        try:
            self.port = int((self.home / "postmaster.pid").read_text().splitlines()[3])
        except (OSError, ValueError, IndexError):
            return False
        return True

    def tend(self) -> None:
        """Start it again where it went away, on the port that everybody knows."""
        if self.is_running or time.monotonic() < self.tend_at:
            return
        self.tend_at = time.monotonic() + TEND_S
        say(f"PostgreSQL is gone; started again (log: {self.home / 'server.log'})")
        try:
            self._start()
        except CannotGoOn as reason:
            say(f"{reason}; tried again in {TEND_S:.0f} s")

    def _start(self) -> None:
        options = f"-p {self.port} -c listen_addresses=127.0.0.1 -c unix_socket_directories=''"
        if self.throwaway:
            options += " -c fsync=off -c synchronous_commit=off -c full_page_writes=off"
        log = self.home / "server.log"
        if self._control("-l", str(log), "-w", "-o", options, "start").returncode:
            raise CannotGoOn(f"PostgreSQL did not start; see {log}")

    def stop(self) -> None:
        if (self.home / "postmaster.pid").exists():
            self._control("-m", "fast", "-w", "stop")

    def make_database(self, database: str) -> bool:
        """False if it was there."""
        query = f"SELECT 1 FROM pg_database WHERE datname = '{database}'"
        found = self._client("psql", "-tAc", query, "postgres")
        if found.returncode:
            raise CannotGoOn(f"PostgreSQL does not let us in: {found.stderr.strip()}")
        if found.stdout.strip():
            return False
        if (made := self._client("createdb", database)).returncode:
            raise CannotGoOn(f"the database {database} could not be made: {made.stderr.strip()}")
        return True

    def drop_database(self, database: str) -> None:
        self._client("dropdb", "--if-exists", "--force", database)

    def _create(self) -> None:
        say(f"making a PostgreSQL cluster in {self.home}")
        self.home.parent.mkdir(parents=True, exist_ok=True)
        self.home.mkdir(mode=0o700, exist_ok=True)
        if os.geteuid() == 0:
            shutil.chown(self.home, "postgres", "postgres")
        command = ["initdb", "-D", str(self.home), "-U", USER, "-E", "UTF8", "--locale=C.UTF-8"]
        if self.throwaway:
            done = self._as_owner(*command, "-A", "trust", "--no-sync")
        else:
            # The server's user must read the password, and nobody else.
            file = self.home.with_name(f"{self.name}.pw")
            file.touch(mode=0o600)
            file.write_text(self.password)
            if os.geteuid() == 0:
                shutil.chown(file, "postgres", "postgres")
            done = self._as_owner(*command, "-A", "scram-sha-256", f"--pwfile={file}")
            file.unlink()
        if done.returncode:
            shutil.rmtree(self.home, ignore_errors=True)
            raise CannotGoOn(f"initdb failed: {done.stderr.strip()}")

    def _control(self, *arguments: str) -> subprocess.CompletedProcess[str]:
        return self._as_owner("pg_ctl", "-D", str(self.home), *arguments)

    def _as_owner(self, program: str, *arguments: str) -> subprocess.CompletedProcess[str]:
        """PostgreSQL refuses to run as root, so root lends it to the user that Debian made for it."""
        command = [str(POSTGRES_BIN / program), *arguments]
        if os.geteuid() == 0:
            command = ["runuser", "-u", "postgres", "--", *command]
        # Files, not pipes: the server keeps what it inherits open for as long as it runs.
        log = VAR / f"{self.name}-{program}.log"
        with log.open("w") as out:
            code = subprocess.run(command, stdout=out, stderr=out, stdin=subprocess.DEVNULL, cwd="/").returncode
        return subprocess.CompletedProcess(command, code, "", log.read_text())

    def _client(self, program: str, *arguments: str) -> subprocess.CompletedProcess[str]:
        where = ["-h", "127.0.0.1", "-p", str(self.port), "-U", USER]
        return subprocess.run(
            [str(POSTGRES_BIN / program), *where, *arguments],
            env={**os.environ, "PGPASSWORD": self.password},
            capture_output=True,
            text=True,
        )


def secret(name: str) -> str:
    """A random secret made at first use and kept in a file that only its owner reads."""
    file = VAR / "secrets" / name
    if not file.exists():
        file.parent.mkdir(parents=True, mode=0o700, exist_ok=True)
        file.touch(mode=0o600)
        file.write_text(secrets.token_urlsafe(48))
    return file.read_text()
