"""Load the demonstration: people and plans through the services, pulls by the bench worker from the simulated stand.

The finished session is not made up of numbers: a simulated stand whose time moves only when given makes every pull
over the line protocol, and the bench worker records it, as on any day, with the clock of the scenario.
"""

from __future__ import annotations

import json
import os
import socket
import subprocess
import sys
import time
import tomllib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from datetime import datetime, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any

from torvix_core.air.air import ZERO_CELSIUS
from torvix_core.air.standards import Standard
from torvix_core.engine.dimensions import STACK_ORDER

from demo import estimates, library, shelf, theories
from engines.models import Build, Part
from programmes.archive import service as archiving
from programmes.expectations.service import expect
from programmes.models import Programme, ProgrammeKind, Setup
from programmes.plan.plans import (
    Objective,
    Plan,
    PlannedSetup,
    PlannedStretch,
    PlannedVisit,
    Row,
    Sweep,
    Times,
    usual_row,
)
from programmes.plan.saving import plan_programme
from programmes.settings import tune_sizes
from programmes.settings.service import adjust, read_setting
from shop.models import Person, Shop, Stand, default_units
from stand.idle_cards import service as idle_cards
from stand.instruments import service as instruments
from stand.models import ENDED, Asks, Link, Pull, PullState, Purpose, Session
from stand.notes import service as notes
from stand.pulls import arming, keeping, starting
from stand.pulls.gates import compared_with, gates
from stand.session import changes, checklist, opening
from stand.worker.stand_worker import StandWorker
from verdicts.customer_report import links, report
from verdicts.decisions import service as decisions
from verdicts.judging.choice import Choice

SCENARIO, BOOSTED, EIGHT = (Path(__file__).with_name(f"{name}.toml") for name in ("scenario", "boosted", "eight"))
ROOT = Path(__file__).resolve().parents[1]
MEASURED = {  # what is found at each change that asks for it
    Asks.CLEARANCE: {"intake": "2.0 mm", "exhaust": "2.4 mm"},
    Asks.PHASE: {"left": "110.5", "right": "111.5"},
}
PATIENCE_S = 120.0  # a busy machine takes its time


STAND_PORT = 7420  # of the simulated stands of the demonstration: 7430, 7440, 7450


class LoadFailed(Exception):
    """The demonstration could not be made, with the reason."""


def scenario() -> dict[str, Any]:
    """The shop, its six and what is planned with it."""
    return tomllib.loads(SCENARIO.read_text(encoding="utf-8"))


def boosted() -> dict[str, Any]:
    """The turbocharged four on the shop's second stand."""
    return tomllib.loads(BOOSTED.read_text(encoding="utf-8"))


def eight() -> dict[str, Any]:
    """The eight on the third stand: a build step by step, and a verdict that is a wash."""
    return tomllib.loads(EIGHT.read_text(encoding="utf-8"))


def load(say: Callable[[str], None] = lambda _: None) -> bool:
    """Load the demonstration unless it is there. False if it was."""
    plans = [scenario(), boosted(), eight()]
    if Person.objects.filter(username=plans[0]["people"][0]["username"]).exists():
        questions = [given["question"] for plan in plans for given in plan["programmes"]]
        if Programme.objects.filter(question__in=questions).count() < len(questions):
            raise LoadFailed("the demonstration is there only in part: an earlier loading was cut off")
        _keep_stands(plans)
        Shop.objects.get_or_create(pk=1, defaults=plans[0]["shop"])  # loaded before there was one
        return False
    Shop.objects.create(pk=1, **plans[0]["shop"])
    people = {given["username"]: _person(given, plans[0]["password"]) for given in plans[0]["people"]}
    for plan in plans:
        _load_engine(plan, people, say)
    _keep_stands(plans)
    return True


def _keep_stands(plans: list[dict[str, Any]]) -> None:
    """From now on they are simulated stands of the application's own, which runs them."""
    for number, plan in enumerate(plans, 1):
        stands = Stand.objects.filter(name=plan["stand"], simulated="")
        stands.update(simulated=plan["simulated"], host="127.0.0.1", port=STAND_PORT + 10 * number)


def _load_engine(plan: dict[str, Any], people: dict[str, Person], say: Callable[[str], None]) -> None:
    """One engine with its parts, its stand and all that was planned and pulled with it."""
    day = datetime.fromisoformat(plan["day"])
    owner, before = next(iter(people.values())), day - timedelta(days=2)
    stand = Stand.objects.create(name=plan["stand"])
    build = library.describe(plan["engine"], owner, before, stand)
    parts = library.parts(plan["parts"], owner, before)
    _check_instruments(plan.get("instruments", {}), stand, owner, before)
    for kind, text in plan.get("tune_sizes", {}).items():
        tune_sizes.write(owner, kind, text)
    for number, given in enumerate(plan["programmes"]):
        person = people[given["planned_by"]]
        programme = _programme(given, _windows(plan), build, parts, person, day + timedelta(minutes=number - 30))
        setups = list(programme.setups.all())
        if customers := [people[username].pk for username in given.get("given_to", [])]:
            archiving.give_to(person, programme, customers, programme.created_at)
        for one in given.get("expected", []):
            expect(people[one["by"]], setups[one["setup"]], one["measure"], one["text"], one["sentence"],
                   programme.created_at)  # fmt: skip
        if "theories" in given:
            theories.write(programme, given["theories"], parts, person)
        if "shelf" in given:
            shelf.bring(programme, given["shelf"], person, programme.created_at)
        if "session" in given:
            count = sum(len(one["pulls"]) for one in given["session"])
            say(f"making {count} pulls on the simulated stand: {given['question']}")
            options = ("--stepped", "--seed", str(plan["seed"]), "--engine", plan["simulated"])
            with simulated_stand(*options) as port:
                for one in given["session"]:
                    session = _run_session(programme, one, person, stand, port)
            library.log_weather(given.get("weather", []), person, session)
            _conclude(programme, given, people, bench_day(given))
            estimates.keep(programme, given.get("between", []), parts, people, bench_day(given))
            if "successor" in plan["engine"]:
                library.succeed(plan["engine"]["successor"], person, build, day + timedelta(hours=20))


def _check_instruments(given: dict[str, Any], stand: Stand, owner: Person, at: datetime) -> None:
    """Torque by weights on an arm, oil beside a reference, as they were found before the day."""
    if span := given.get("span"):
        days = timedelta(days=span["days_before"])
        entry = {key: value for key, value in span.items() if key != "days_before"}
        instruments.write_span(owner, stand, instruments.SpanEntry(**entry), at - days)
    for one in given.get("reference", []):
        instruments.write_reference(
            owner, stand, one["channel"], one["reference"], one["reading"], one["known_to"], at, one.get("note", "")
        )
    for one in given.get("zero", []):
        instruments.write_zero(owner, stand, one["channel"], one["reading"], at)


def bench_day(given: dict[str, Any]) -> datetime:
    """The evening of a programme's last day on the stand."""
    return datetime.fromisoformat(given["session"][-1]["opened"]) + timedelta(hours=12)


def _conclude(programme: Programme, given: dict[str, Any], people: dict[str, Person], at: datetime) -> None:
    """What was decided of it, and the sheet that was handed out."""
    choice, setups = Choice(Standard(programme.standard)), list(programme.setups.all())
    if decided := given.get("decision"):
        setup = setups[decided["setup"]] if "setup" in decided else None
        decisions.decide(people[decided["by"]], programme, choice, setup, decided["reason"], at)
    if sheet := given.get("sheet"):
        person = people[sheet["by"]]
        wanted = report.ReportOptions(choice, show_owner=True, show_prices=True, interests=sheet["interests"])
        made = report.issue(person, programme, wanted, "", at + timedelta(hours=1))
        links.give(person, made, 60, sheet["given_to"], at + timedelta(hours=1))


def _windows(plan: dict[str, Any]) -> dict[str, tuple[float, float]]:
    """Windows in SI: temperatures in °C, pressures in kPa."""
    warm = {channel: (low + ZERO_CELSIUS, high + ZERO_CELSIUS) for channel, (low, high) in plan["windows"].items()}
    return warm | {channel: (low * 1e3, high * 1e3) for channel, (low, high) in plan.get("pressure", {}).items()}


def _person(given: dict[str, str], password: str) -> Person:
    return Person.objects.create_user(**given, password=password)


def _programme(
    given: dict[str, Any],
    windows: dict[str, tuple[float, float]],
    build: Build,
    parts: dict[str, Part],
    person: Person,
    at: datetime,
) -> Programme:
    keys = [row["key"] for row in given.get("rows", [])] or sorted(
        {parts[name].slot for setup in given["setups"] for name in setup["parts"]}
        | {key for setup in given["setups"] for key in setup.get("settings", {})},
        key=lambda key: [*STACK_ORDER, key].index(key),
    )
    usual = {key: usual_row(key) for key in keys}
    plan = Plan(
        question=given["question"],
        setups=[_setup(setup, parts) for setup in given["setups"]],
        rows=[_row(usual[key], keys) for key in keys],
        sessions=[
            PlannedStretch(datetime.fromisoformat(one["starts"]), one.get("paid_min"))
            for one in given.get("sessions", [])
        ],
        times=_times(given.get("times", {})),
        objective=Objective(**given.get("objective", {})),
        answers_change=given.get("answers_change", ""),
        stand_in=given.get("stand_in", ""),
        order=[PlannedVisit(*visit) for visit in given["order"]],
        sweep=Sweep(**given["sweep"]),
        range_rpm=(given["range_rpm"][0], given["range_rpm"][1]),
        windows=windows,
        held_constant=given["held_constant"],
        boost_policy=given.get("boost_policy", ""),
        kind=given.get("kind", ProgrammeKind.COMPARISON),
    )
    return plan_programme(person, at, build, plan)


def _setup(given: dict[str, Any], parts: dict[str, Part]) -> PlannedSetup:
    """A column of the matrix."""
    arrives = given.get("arrives")
    return PlannedSetup(
        given["name"], [parts[name] for name in given["parts"]],
        settings={key: read_setting(key, text, default_units()) for key, text in given.get("settings", {}).items()},
        pulls=given.get("pulls", 3), place=given.get("place", ""),
        available_at=datetime.fromisoformat(arrives) if arrives else None,
        candidate=given.get("candidate", "in"), reason=given.get("reason", ""), based_on=given.get("based_on"),
    )  # fmt: skip


def _row(usual: Row, keys: list[str]) -> Row:
    """A row with the usual minutes, under those of the plan's rows that usually lie above it."""
    work = usual.work
    return replace(usual, work=replace(work, under=tuple(key for key in work.under if key in keys)))


def _times(given: dict[str, Any]) -> Times:
    price = given.get("hour_price")
    return Times(**{**given, "hour_price": None if price is None else Decimal(price)})


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


def _run_session(programme: Programme, given: dict[str, Any], person: Person, stand: Stand, port: int) -> Session:
    Stand.objects.filter(pk=stand.pk).update(port=port)
    stand.refresh_from_db()
    opened = datetime.fromisoformat(given["opened"])
    bench = StandWorker(stand, clock=lambda: opened + timedelta(seconds=bench.stand_s - began))
    began = 0.0
    step = StepBy(bench)
    step.until(lambda: bench.hello is not None and bool(bench.air), "the stand to say hello")
    step.skip(1.0)
    began = bench.stand_s
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
