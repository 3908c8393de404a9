"""Look whether a stand answers at an address, what it says of itself, and whether it keeps to the line protocol."""

from __future__ import annotations

import re
import selectors
import subprocess
import sys
import time
from dataclasses import dataclass

from django.conf import settings

from stand.worker.line import Hello, HelloRefused, Line, LineLost

WAIT_S = 3.0  # for hello: a stand says it first
CHECK_S = 30.0
CHECKED = re.compile(r"^(ok    |BROKEN) (.+)(?:\n {7}(.+))?", re.MULTILINE)


@dataclass(frozen=True)
class LineTrial:
    """`why` is empty where it can be used; `checks` are the rules of the protocol, each with what was wrong."""

    why: str
    hello: Hello | None = None
    checks: tuple[tuple[str, str], ...] = ()


def try_line(host: str, port: int) -> LineTrial:
    """Connects, listens and asks nothing that moves anything. Takes some seconds."""
    try:
        hello = _hello(host, port)
    except HelloRefused as reason:
        return LineTrial(f"A stand answers at {host}:{port}, but {reason}.")
    except LineLost as reason:
        return LineTrial(f"{str(reason)[0].upper()}{str(reason)[1:]}.")
    if hello is None:
        return LineTrial(
            f"Something answers at {host}:{port}, but it is no stand: nothing that the line protocol knows "
            f"came in {WAIT_S:.0f} s. Look at the port."
        )
    return LineTrial("", hello, _checks(host, port))


def _hello(host: str, port: int) -> Hello | None:
    line = Line.connect(host, port)
    try:
        with selectors.DefaultSelector() as selector:
            selector.register(line, selectors.EVENT_READ)
            deadline = time.monotonic() + WAIT_S
            while (left := deadline - time.monotonic()) > 0:
                selector.select(left)
                for message in line.read():
                    if isinstance(message, Hello):
                        return message
    finally:
        line.close()
    return None


def _checks(host: str, port: int) -> tuple[tuple[str, str], ...]:
    """The check for writers of adapters (./torvix conform), without its sweep.

    A program of its own: the application and what ships with it for stands know each other by the protocol alone.
    """
    command = [sys.executable, "-m", "standin.conformance", host, str(port)]
    try:
        done = subprocess.run(command, cwd=settings.ROOT, capture_output=True, text=True, timeout=CHECK_S)
    except subprocess.TimeoutExpired:
        return (("the check comes to an end", f"it did not in {CHECK_S:.0f} s"),)
    return tuple((rule, wrong if verdict == "BROKEN" else "") for verdict, rule, wrong in CHECKED.findall(done.stdout))
