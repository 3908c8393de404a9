"""Load the demonstration: people and plans through the services, pulls by the bench worker from the simulated stand.

The finished session is not made up of numbers: a simulated stand whose time moves only when told makes every pull
over the line protocol, and the bench worker records it, as on any day, with the clock of the scenario.
"""

from __future__ import annotations

import os
import subprocess
import sys
import time
import tomllib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from torvix_core.air import ZERO_CELSIUS

from demo import library
from engines.models import Build, Part
from programmes.expectations import expect
from programmes.models import Programme
from programmes.services import PlannedSetup, Sweep, plan_programme
from shop.models import Person, Stand
from stand import services
from stand.bench import Bench
from stand.models import ENDED, Pull, Session

SCENARIO = Path(__file__).with_name("scenario.toml")
ROOT = Path(__file__).resolve().parents[1]
PATIENCE_S = 30.0


class LoadFailed(Exception):
    """The demonstration could not be made, with the reason."""


def scenario() -> dict[str, Any]:
    return tomllib.loads(SCENARIO.read_text(encoding="utf-8"))


def load(say: Callable[[str], None] = lambda _: None) -> bool:
    """Load the demonstration unless it is there. False if it was."""
    plan = scenario()
    if Person.objects.filter(username=plan["people"][0]["username"]).exists():
        questions = [told["question"] for told in plan["programmes"]]
        if Programme.objects.filter(question__in=questions).count() < len(questions):
            raise LoadFailed("the demonstration is there only in part: an earlier loading was cut off")
        return False
    people = {told["username"]: _person(told, plan["password"]) for told in plan["people"]}
    owner, before = next(iter(people.values())), datetime.fromisoformat(plan["day"]) - timedelta(days=2)
    stand = Stand.objects.create(name=plan["stand"])
    build = library.describe(plan["engine"], owner, before, stand)
    parts = library.parts(plan["parts"], owner, before)
    day = datetime.fromisoformat(plan["day"])
    for number, told in enumerate(plan["programmes"]):
        person = people[told["planned_by"]]
        programme = _programme(told, plan["windows"], build, parts, person, day + timedelta(minutes=number - 30))
        setups = list(programme.setups.all())
        for one in told.get("expected", []):
            expect(
                people[one["by"]],
                setups[one["setup"]],
                one["measure"],
                one["text"],
                one["sentence"],
                programme.created_at,
            )
        if told.get("pulls"):
            say(f"making {len(told['pulls'])} pulls on the simulated stand")
            with simulated_stand("--stepped", "--seed", str(plan["seed"])) as port:
                session = _run_session(programme, told["pulls"], person, stand, port, day)
            library.log_weather(told.get("weather", []), person, session)
            library.succeed(plan["engine"]["successor"], person, build, day + timedelta(hours=20))
    return True


def _person(told: dict[str, str], password: str) -> Person:
    return Person.objects.create_user(**told, password=password)


def _programme(
    told: dict[str, Any],
    windows: dict[str, list[float]],
    build: Build,
    parts: dict[str, Part],
    person: Person,
    at: datetime,
) -> Programme:
    return plan_programme(
        person,
        at,
        question=told["question"],
        build=build,
        setups=[PlannedSetup(setup["name"], [parts[name] for name in setup["parts"]]) for setup in told["setups"]],
        order=[(setup, pulls) for setup, pulls in told["order"]],
        sweep=Sweep(**told["sweep"]),
        range_rpm=(told["range_rpm"][0], told["range_rpm"][1]),
        windows={channel: (low + ZERO_CELSIUS, high + ZERO_CELSIUS) for channel, (low, high) in windows.items()},
        held_constant=told["held_constant"],
    )


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


class StepBy:
    """Turns a bench worker by hand until something has come about."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench

    def until(self, done: Callable[[], bool], what: str) -> None:
        deadline = time.monotonic() + PATIENCE_S
        while not done():
            if time.monotonic() > deadline:
                raise LoadFailed(f"waited in vain for {what}")
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
        self.bench.flush_writes()

    def fault(self, channel: str, kind: str | None) -> None:
        assert self.bench.line is not None
        self.bench.line.send(0, "fault", {"channel": channel, "kind": kind})


def _run_session(
    programme: Programme, pulls: list[dict[str, Any]], person: Person, stand: Stand, port: int, day: datetime
) -> Session:
    Stand.objects.filter(pk=stand.pk).update(port=port)
    stand.refresh_from_db()
    bench = Bench(stand, clock=lambda: day + timedelta(seconds=bench.stand_s))
    step = StepBy(bench)
    step.until(lambda: bench.hello is not None and bool(bench.air), "the stand to say hello")
    session = services.open_session(person, programme, stand, day)
    setups = list(programme.setups.all())
    step.skip(1.0)
    for told in pulls:
        _make_pull(step, session, setups[told["setup"]], person, told)
    services.close_session(person, session, bench.clock() + timedelta(minutes=8))
    bench.stopping = True
    bench.run()
    return session


def _make_pull(step: StepBy, session: Session, setup: Any, person: Person, told: dict[str, Any]) -> None:
    bench = step.bench
    step.report()
    pull = services.arm(person, session, setup, bench.clock())
    step.until(lambda: bench.state == "armed" and not bench.waiting, "the stand to arm")
    step.skip(told["warm"] * 60)
    if fault := told.get("fault"):
        step.fault(fault["channel"], fault["kind"])
    services.start(person, pull, told.get("override", ""))
    step.until(lambda: Pull.objects.get(pk=pull.pk).state in ENDED, "the pull to end")
    if fault:
        step.fault(fault["channel"], None)
    pull.refresh_from_db()
    at = bench.clock() + timedelta(seconds=40)
    if reason := told.get("exclude"):
        services.exclude(person, pull, at, reason)
    else:
        services.keep(person, pull, at)
