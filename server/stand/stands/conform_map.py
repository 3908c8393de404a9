"""Whether a stand does what its map says, before it may take commands: a job that has it armed, swept and stopped."""

from __future__ import annotations

import json
import queue
import subprocess
import sys
import threading
import time
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.conf import settings

from adapters import conform, stand_map
from jobs import kinds
from jobs import service as jobs
from jobs.kinds import Queue, Watch
from jobs.models import Job
from jobs.service import Unusable
from shop import audit
from shop.models import Person, Stand
from shop.permissions import require_owner
from shop.refusals import Invalid, Refusal
from stand.models import Session
from stand.stands import maps
from stand.stands.let_go import let_go_of

RULES = 9  # that are tried
MOST_S = 240.0
END_S = 60.0  # for stopping the stand, where nobody wants the run any more
LOOK_S = 0.2
LEAST_RPM, MOST_RPM = 500.0, 20_000.0


@dataclass(frozen=True)
class Run:
    """What is asked for. `at_the_stop`: somebody is, and nobody is near the engine; said by whoever asks."""

    map: dict[str, Any]
    start_rpm: float
    end_rpm: float
    at_the_stop: bool


def ask(person: Person, stand: Stand | None, run: Run, at: datetime) -> Job:
    """`stand` is None for one that is being added. Invalid and Refusal say what is missing, before anything moves."""
    require_owner(person)
    found = maps.checked(run.map)
    if found.control is None:
        raise Refusal("This map has no commands: there is nothing to try.", code="no_control")
    wrong: dict[str, str] = {}
    if not LEAST_RPM <= run.start_rpm <= MOST_RPM:
        wrong["start_rpm"] = f"give a speed from {LEAST_RPM:.0f} rpm"
    if not run.start_rpm + conform.LEAST_SWEEP_RPM <= run.end_rpm <= MOST_RPM:
        wrong["end_rpm"] = f"{conform.LEAST_SWEEP_RPM:.0f} rpm above the start, or more"
    if not run.at_the_stop:
        wrong["at_the_stop"] = "the engine is swept: somebody stands at the wired stop, and nobody near the engine"
    if wrong:
        raise Invalid("The run cannot begin yet: see the fields.", fields=wrong)
    if stand and Session.objects.filter(stand=stand, closed_at=None).exists():
        raise Refusal(f"A session is open on {stand}. Close it first: the run sweeps its engine.", code="session_open")
    audit.note(person, f"asked for a conformance run of {found.stand}: its engine is swept and stopped by its map", at)
    arguments = {
        "map": stand_map.plain(found), "speeds": [run.start_rpm, run.end_rpm], "stand": stand.pk if stand else None,
    }  # fmt: skip
    return jobs.ask(person, maps.CONFORMANCE, "conformance", arguments, at, about=found.stand)


def work(arguments: dict[str, Any], watch: Watch) -> dict[str, Any]:
    with let_go_of(arguments["stand"], MOST_S + END_S):
        return _run(arguments, watch)


def _run(arguments: dict[str, Any], watch: Watch) -> dict[str, Any]:
    """A program of its own does it, as an adapter would. It stops the stand however this ends: its input closes."""
    command = [sys.executable, "-m", "adapters.conform", "--speeds", *map(str, arguments["speeds"])]
    checks: list[dict[str, str]] = []
    passed = None
    with subprocess.Popen(
        command, cwd=settings.ROOT, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
    ) as process:
        assert process.stdin is not None
        process.stdin.write(json.dumps(arguments["map"]) + "\n")
        process.stdin.flush()
        lines = _lines_of(process)
        until, is_ended = time.monotonic() + MOST_S, False
        while True:
            if not is_ended and (not watch.wanted() or time.monotonic() > until):
                is_ended, until = True, time.monotonic() + END_S
                process.stdin.close()  # it stops the stand, and ends
            try:
                line = lines.get(timeout=LOOK_S)
            except queue.Empty:
                if is_ended and time.monotonic() > until:
                    process.kill()
                continue
            if line is None:
                break
            said = json.loads(line)
            passed = said.get("digest", passed)
            if "rule" in said:
                checks.append(said)
                watch.tell(len(checks), RULES, said["rule"])
    if passed is None:
        raise Unusable(f"The run did not come to its end. Look at the stand. {conform.NOT_KNOWN}")
    return {"checks": checks, "digest": passed}


def _lines_of(process: subprocess.Popen[str]) -> queue.Queue[str | None]:
    """As they come; None at the end."""
    found: queue.Queue[str | None] = queue.Queue()

    def read() -> None:
        assert process.stdout is not None
        for line in process.stdout:
            found.put(line)
        found.put(None)

    threading.Thread(target=read, daemon=True).start()
    return found


kinds.register(maps.CONFORMANCE, "Conformance run of a stand", Queue.LONG, work, is_secret=True)
