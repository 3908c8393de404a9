"""Sessions of the scenario: run by the bench worker on a simulated stand, with the clock of the scenario.

The stand's time moves only when it is given; every pull goes over the line protocol, as on any day.
"""

from __future__ import annotations

import json
import os
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from programmes.models import Programme, Setup
from programmes.settings.service import adjust
from shop.models import Person, Stand
from stand.idle_cards import service as idle_cards
from stand.models import ENDED, Asks, Link, Pull, PullState, Purpose, Session
from stand.notes import service as notes
from stand.pulls import arming, keeping, starting
from stand.pulls.gates import compared_with, gates
from stand.session import changes, checklist, opening
from stand.worker.stand_worker import StandWorker

ROOT = Path(__file__).resolve().parents[1]
MEASURED = {  # what is found at each change that asks for it
    Asks.CLEARANCE: {"intake": "2.0 mm", "exhaust": "2.4 mm"},
    Asks.PHASE: {"left": "110.5", "right": "111.5"},
}
PATIENCE_S = 120.0  # a busy machine takes its time


class LoadFailed(Exception):
    """The demonstration could not be made, with the reason."""


@contextmanager
def simulated_stand(*options: str) -> Iterator[int]:
    """A simulated stand in a process of its own, on a free port, for as long as the block runs."""
    process = subprocess.Popen(
        [sys.executable, "-m", "standin", "--port", "0", *options],
        cwd=ROOT,
        env={**os.environ, "PYTHONUNBUFFERED": "1"},
        stdout=subprocess.PIPE,
        text=True,
    )
    try:
        assert process.stdout is not None
        line = process.stdout.readline()
        if not line:
            raise LoadFailed("the simulated stand did not start")
        yield int(line.rsplit(":", 1)[1])
    finally:
        process.terminate()
        process.wait(10)
        if process.stdout:
            process.stdout.close()


def say_to_stand(port: int, name: str, **arguments: Any) -> dict[str, Any]:
    """A command straight to the stand, as somebody at its console would give it; the reply."""
    with socket.create_connection(("127.0.0.1", port), timeout=5) as line:
        line.sendall(json.dumps({"type": "command", "id": 1, "name": name, "arguments": arguments}).encode() + b"\n")
        # Until the reply: a client that leaves earlier may not have been heard.
        for heard in line.makefile("rb"):
            if (message := json.loads(heard))["type"] == "reply":
                return message  # type: ignore[no-any-return]
    raise LoadFailed(f"the simulated stand did not answer {name!r}")


class StepBy:
    """Turns a bench worker by hand until something has come about."""

    def __init__(self, bench: StandWorker) -> None:
        self.bench = bench

    def until(self, done: Callable[[], bool], what: str) -> None:
        deadline = time.monotonic() + PATIENCE_S
        while not done():
            if time.monotonic() > deadline:
                bench = self.bench
                raise LoadFailed(
                    f"waited in vain for {what}; the stand is {'linked' if bench.line else 'not linked'}, its state "
                    f"{bench.state!r}, {len(bench.waiting)} commands wait for an answer"
                )
            self.bench.turn(0.005)

    def skip(self, seconds: float) -> None:
        """Let the engine idle; the link then holds the temperatures of that moment."""
        assert self.bench.line is not None
        goal = self.bench.stand_s + seconds
        self.bench.line.send(0, "skip", {"seconds": seconds})
        self.until(lambda: self.bench.stand_s >= goal - 1e-6, "time to pass")
        self.report()

    def report(self) -> None:
        """Write what the link knows now: a pull of scenario time passes faster than the worker's own second."""
        self.bench.write_link()
        self.bench.turn(0.0)

    def fault(self, channel: str, kind: str | None) -> None:
        self.say("fault", {"channel": channel, "kind": kind})

    def say(self, name: str, arguments: dict[str, Any]) -> None:
        """A command that only a simulated stand takes."""
        assert self.bench.line is not None
        self.bench.line.send(0, name, arguments)


def run_session(programme: Programme, given: dict[str, Any], person: Person, stand: Stand, port: int) -> Session:
    Stand.objects.filter(pk=stand.pk).update(port=port)
    stand.refresh_from_db()
    opened = datetime.fromisoformat(given["opened"])
    bench = StandWorker(stand, clock=lambda: opened + timedelta(seconds=bench.stand_s - began))
    began = 0.0
    step = StepBy(bench)
    step.until(lambda: bench.hello is not None and bool(bench.air), "the stand to say hello")
    step.skip(1.0)
    began = bench.stand_s
    step.report()
    session = opening.open_session(person, programme, stand, opened)
    setups = list(programme.setups.all())
    for one in given["pulls"]:
        _make_pull(step, session, setups[one["setup"]], person, one)
    opening.close_session(person, session, bench.clock() + timedelta(minutes=8))
    bench.close()
    return session


def _make_pull(step: StepBy, session: Session, setup: Setup, person: Person, given: dict[str, Any]) -> None:
    """Change what has to be changed, see to the list, arm, warm up, wait for the gates, sweep, judge, note."""
    bench = step.bench
    if minutes := given.get("change_min"):
        changes.begin(person, session, setup, bench.clock())
        step.skip(minutes * 60)
    for key, text in given.get("set", {}).items():
        adjust(person, setup, key, text, bench.clock())
    step.report()
    _see_to_everything(session, setup, person, bench.clock())
    if swap := given.get("swap"):
        changes.record(person, session, setup, swap, bench.clock())
    wanted = arming.PullRequest(purpose=given.get("purpose", ""))
    pull = arming.arm(person, session, setup, bench.clock(), wanted)
    step.until(lambda: (bench.state == "armed" and not bench.waiting) or _is_over(pull), "the stand to arm")
    if _is_over(pull):
        pull.refresh_from_db()
        raise LoadFailed(f"{pull} of {session.programme} could not be armed: {pull.ended_why}")
    step.skip(given.get("warm", 2) * 60)
    if not given.get("override"):
        _wait_for_gates(step, pull)
    if fault := given.get("fault"):
        step.fault(fault["channel"], fault["kind"])
    if trouble := given.get("trouble"):
        step.say("script", {"lines": [{**trouble, "pull": bench_pulls(pull)}]})
    starting.start(person, pull, given.get("override", ""))
    step.until(lambda: _is_over(pull), "the pull to end")
    if fault:
        step.fault(fault["channel"], None)
    if trouble:
        step.say("trouble", {"kind": trouble["trouble"], "on": False})
    pull.refresh_from_db()
    at = bench.clock() + timedelta(seconds=40)
    for kind, text, *speed in given.get("notes", []):
        notes.write(person, session, kind, text, at, pull=pull, rpm=speed[0] if speed else None)
    if idle := given.get("idle"):
        _fill_idle_card(person, session, setup, idle, at)
    if reason := given.get("exclude"):
        keeping.exclude(person, pull, at, reason)
    elif pull.purpose == Purpose.SWEEP and pull.state == PullState.COMPLETE:
        keeping.keep(person, pull, at)


def _fill_idle_card(person: Person, session: Session, setup: Setup, idle: dict[str, str], at: datetime) -> None:
    """What was seen, beside what the stand reads at idle."""
    measured = {field: str(value) for field, value in idle.items() if field in idle_cards.MEASURED}
    chosen = {field: value for field, value in idle.items() if field in idle_cards.CHOICES}
    entry = idle_cards.IdleEntry(measured, chosen, note=idle.get("note", ""))
    idle_cards.write(person, session, setup, entry, at)


def _is_over(pull: Pull) -> bool:
    return Pull.objects.filter(pk=pull.pk, state__in=ENDED).exists()


def bench_pulls(pull: Pull) -> int:
    """The stand's own count of sweeps: those of the programme that began."""
    return Pull.objects.filter(session__programme=pull.session.programme).exclude(started_at=None).count() + 1


def _see_to_everything(session: Session, setup: Setup, person: Person, at: datetime) -> None:
    for one in checklist.due(session, setup):
        if one.tick is None:
            measured = MEASURED.get(Asks(one.item.asks), {})
            words = "As marked" if one.item.asks == Asks.WORDS else ""
            checklist.tick(person, session, setup, one.item, words, measured, at)


def _wait_for_gates(step: StepBy, pull: Pull) -> None:
    """Until every gate is open, at most as long as anybody would wait."""
    programme = pull.session.programme
    like = compared_with(programme) if pull.purpose == Purpose.SWEEP else ()
    for _ in range(90):
        link = Link.objects.get(stand=pull.session.stand)
        if all(gate.side == "inside" for gate in gates(programme, link, like)):
            return
        step.skip(30)
    raise LoadFailed(f"{pull} of {programme} waits in vain for its gates")
