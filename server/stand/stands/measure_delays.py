"""By how much the further sources of a stand lag behind, measured while somebody moves the throttle: a job."""

from __future__ import annotations

import json
import subprocess
import sys
import time
from datetime import datetime
from typing import Any

from django.conf import settings

from jobs import kinds
from jobs import service as jobs
from jobs.kinds import Queue, Watch
from jobs.models import Job
from jobs.service import Unusable
from shop.models import Person
from shop.permissions import require_owner
from shop.refusals import Refusal
from stand.stands.let_go import let_go_of

KIND = "measure_delays"
SECONDS = 20.0
MOST_S = 60.0  # with what the sources take to say that they are there
LOOK_S = 0.2


def ask(person: Person, document: dict[str, Any], at: datetime, stand_id: int | None = None) -> Job:
    """The map as it is being written, for the stand that has it, if any; nothing is sent to the stand."""
    require_owner(person)
    if len(document.get("sources") or []) < 2:
        raise Refusal("There is one source: nothing lags behind another.", code="one_source")
    asked = {"map": document, "stand": stand_id}
    return jobs.ask(person, KIND, "delays", asked, at, about=str(document.get("stand") or "a new stand"))


def work(arguments: dict[str, Any], watch: Watch) -> dict[str, Any]:
    with let_go_of(arguments.get("stand"), MOST_S):
        return _measure(arguments, watch)


def _measure(arguments: dict[str, Any], watch: Watch) -> dict[str, Any]:
    """A program of its own reads the sources, as an adapter would. Unusable says why nothing can be known."""
    command = [sys.executable, "-m", "adapters.measure_delay", "--seconds", str(SECONDS)]
    with subprocess.Popen(
        command, cwd=settings.ROOT, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
    ) as process:
        assert process.stdin is not None
        process.stdin.write(json.dumps(arguments["map"]))
        process.stdin.close()
        process.stdin = None  # it has all that it gets
        begun = time.monotonic()
        while process.poll() is None:
            elapsed = time.monotonic() - begun
            if not watch.wanted() or elapsed > MOST_S:
                process.kill()
                break
            watch.tell(
                min(round(elapsed), round(SECONDS)), round(SECONDS),
                "Recording: bring the engine slowly up and down, twice, while this runs",
            )  # fmt: skip
            time.sleep(LOOK_S)
        answer, _ = process.communicate()
    if not watch.wanted():
        return {}
    if process.returncode:
        raise Unusable("The sources did not come to an end. Look at their addresses, and measure again.")
    found = json.loads(answer)
    if found["why"]:
        raise Unusable(f"{found['why'][:1].upper()}{found['why'][1:]}.")
    return {"lags": [{"source": name, "lag_s": lag, "error_s": error} for name, (lag, error) in found["lags"].items()]}


kinds.register(KIND, "Delays of sources measured", Queue.LONG, work, is_secret=True)
