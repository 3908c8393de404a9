"""Where the web server listens, under which names browsers may ask for it, and how the line to them is kept secret."""

from __future__ import annotations

import ipaddress
import os
import socket
import subprocess
from dataclasses import dataclass
from pathlib import Path

from ops.machine import PYTHON, ROOT, VAR, CannotGoOn, environment, say

LOOPBACK = ("127.0.0.1", "localhost", "::1")
ANY = ("0.0.0.0", "::")  # noqa: S104  # somebody asks for it by --host, and HTTPS is wanted then
TLS = VAR / "tls"


@dataclass(frozen=True)
class Door:
    """`certificate` and `key` are files; `proxy` is the address of a reverse proxy that does HTTPS for us."""

    port: int
    host: str = "127.0.0.1"
    names: tuple[str, ...] = ()
    certificate: Path | None = None
    key: Path | None = None
    proxy: str = ""

    def __post_init__(self) -> None:
        if bool(self.certificate) != bool(self.key):
            raise CannotGoOn("--tls-cert and --tls-key belong together: name both")
        for file in (self.certificate, self.key):
            if file and not file.is_file():
                raise CannotGoOn(f"there is no file {file}")
        if self.proxy and self.certificate:
            raise CannotGoOn("--behind-proxy means that the proxy has the certificate: leave out --tls-cert")
        if self.host not in LOOPBACK and not self.is_secret and not self.proxy:
            raise CannotGoOn(
                f"off this machine passwords must not travel in the clear. With --host {self.host} give --self-signed, "
                "or --tls-cert and --tls-key, or --behind-proxy ADDRESS (docs/running-a-shop.md)"
            )

    @property
    def is_secret(self) -> bool:
        return self.certificate is not None

    def environment(self) -> dict[str, str]:
        """The settings of the web server that follow from it."""
        hosts = dict.fromkeys([*LOOPBACK, *own_names(self.host), *self.names])
        hosts |= dict.fromkeys(filter(None, os.environ.get("TORVIX_HOSTS", "").split(",")))
        # IPv6 addresses stand in brackets in the Host header.
        settings = {"TORVIX_HOSTS": ",".join(f"[{host}]" if ":" in host else host for host in hosts)}
        if self.is_secret or self.proxy:
            settings["TORVIX_HTTPS"] = "1"
        return settings

    def uvicorn(self, port: int) -> list[str]:
        command = [str(PYTHON), "-m", "uvicorn", "config.asgi:application", "--host", self.host, "--port", str(port),
                   "--lifespan", "off", "--timeout-graceful-shutdown", "2", "--log-level", "warning"]  # fmt: skip
        if self.certificate and self.key:
            command += ["--ssl-certfile", str(self.certificate), "--ssl-keyfile", str(self.key)]
        # What a request says of where it came from is believed of nobody but a proxy that somebody named.
        proxy = self.proxy or os.environ.get("TORVIX_PROXY", "")
        return command + (["--forwarded-allow-ips", proxy] if proxy else ["--no-proxy-headers"])

    @staticmethod
    def judging(socket: Path) -> list[str]:
        """The process that works out what takes long. Only the web server of this machine reaches its socket."""
        return [str(PYTHON), "-m", "uvicorn", "config.asgi:judging", "--uds", str(socket), "--lifespan", "off",
                "--timeout-graceful-shutdown", "2", "--log-level", "warning", "--forwarded-allow-ips", "*"]  # fmt: skip

    def here(self, port: int) -> str:
        """As this machine itself reaches it."""
        host = "127.0.0.1" if self.host in ANY else self.host
        return f"{'https' if self.is_secret else 'http'}://{_bracketed(host)}:{port}/"

    def address(self, port: int) -> str:
        """As a browser elsewhere reaches it, where it can."""
        if self.proxy:
            return f"https://{self.names[0]}/" if self.names else self.here(port)
        if self.host in LOOPBACK:
            return self.here(port)
        host = self.names[0] if self.names else next(iter(own_names(self.host)), self.host)
        return f"https://{_bracketed(host)}:{port}/"


def _bracketed(host: str) -> str:
    return f"[{host}]" if ":" in host else host


def own_names(host: str) -> list[str]:
    """Names and addresses by which this machine is reached where it listens on `host`; addresses first."""
    if host in LOOPBACK:
        return []
    if host not in ANY:
        return [host]
    name = socket.gethostname()
    found: list[str] = []
    try:
        # No packet is sent: the system only says which of its addresses it would send one from.
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
            probe.connect(("192.0.2.1", 9))
            found.append(probe.getsockname()[0])
    except OSError:
        pass
    try:
        found += [str(entry[4][0]) for entry in socket.getaddrinfo(name, None)]
    except OSError:
        pass
    outside = [one for one in dict.fromkeys(found) if not ipaddress.ip_address(one.split("%")[0]).is_loopback]
    return [*outside, name]


def self_signed(names: tuple[str, ...], host: str) -> tuple[Path, Path]:
    """A certificate of our own for these names, made when there is none that fits; its fingerprint is printed.

    A browser asks once whether to trust it: whoever sits at it compares the fingerprint.
    """
    TLS.mkdir(parents=True, exist_ok=True, mode=0o700)
    wanted = list(dict.fromkeys([*names, *own_names(host), *LOOPBACK]))
    command = [str(PYTHON), "-m", "ops.certificate", str(TLS), *wanted]
    done = subprocess.run(command, cwd=ROOT, env=environment(), capture_output=True, text=True)
    if done.returncode:
        raise CannotGoOn(f"the certificate could not be made: {done.stderr.strip()[-300:]}")
    say(f"its own certificate, SHA-256 {done.stdout.strip()}")
    return TLS / "certificate.pem", TLS / "key.pem"


def check_certificate(file: Path) -> None:
    """CannotGoOn where it has run out or cannot be read."""
    done = subprocess.run([PYTHON, "-m", "ops.certificate", "--check", str(file)], cwd=ROOT, env=environment(),
                          capture_output=True, text=True)  # fmt: skip
    if done.returncode:
        raise CannotGoOn(done.stderr.strip().splitlines()[-1] if done.stderr.strip() else f"{file} cannot be read")
    if warning := done.stdout.strip():
        say(warning)
