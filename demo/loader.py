"""Load the demonstration: people and plans through the services, pulls by the bench worker from the simulated stand.

The finished session is not made up of numbers: a simulated stand whose time moves only when given makes every pull
over the line protocol, and the bench worker records it, as on any day, with the clock of the scenario.
"""

from __future__ import annotations

import tomllib
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any

from torvix_core.air.air import ZERO_CELSIUS
from torvix_core.air.standards import Standard
from torvix_core.engine.dimensions import STACK_ORDER

from demo import estimates, library, mapped_stand, practice, seasons, shelf, theories
from demo.stand_day import LoadFailed, run_session, simulated_stand
from engines.models import Build, Part
from programmes.archive import service as archiving
from programmes.expectations.service import expect
from programmes.models import Programme, ProgrammeKind
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
from programmes.settings.service import read_setting
from shop.models import Person, Shop, Stand, default_units
from stand.instruments import service as instruments
from verdicts.customer_report import links, report
from verdicts.decisions import service as decisions
from verdicts.judging.choice import Choice

SCENARIO, BOOSTED, EIGHT, SEASONS = (
    Path(__file__).with_name(f"{name}.toml") for name in ("scenario", "boosted", "eight", "seasons")
)
STAND_PORT = (
    7420  # of the simulated stands of the demonstration: 7430, 7440, 7450; scenario.toml has those of the mapped one
)


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
    say("reading in the tests of earlier seasons")
    seasons.load(tomllib.loads(SEASONS.read_text(encoding="utf-8")), people)
    say("running a practice test on the simulated stand")
    of_shop = plans[0]
    practice.load(of_shop["practice"], people, Stand.objects.get(name=of_shop["stand"]), of_shop["seed"])
    _keep_stands(plans)
    mapped_stand.add(of_shop["mapped_stand"], Stand.objects.get(name=of_shop["stand"]))
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
                    session = run_session(programme, one, person, stand, port)
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
