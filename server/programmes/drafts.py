"""A programme as somebody writes it down in the browser: texts in, a planned programme out, every slip at its field."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime

from torvix_core.standards import Standard
from torvix_core.typed import NotUnderstood, read_count, read_quantity

from engines.models import Build, Part
from engines.texts import named, optional
from programmes.models import STANDARDS, Programme
from programmes.services import PlannedSetup, Sweep, plan_programme
from shop.models import Person
from shop.refusals import Invalid

MOST_SETUPS = 26
MOST_STEPS = 100
# Temperatures a warm petrol engine is compared at, K; the shop's own come with its stands [prac]
USUAL_WINDOWS = {"oil_temperature": (353.15, 373.15), "coolant_temperature": (345.15, 359.15)}


@dataclass(frozen=True)
class DraftSetup:
    name: str
    part_ids: Sequence[int]


@dataclass(frozen=True)
class Draft:
    """What was typed. `order` holds the setup of each step, by its place, and the counted pulls."""

    question: str
    setups: Sequence[DraftSetup]
    order: Sequence[tuple[int, str]]
    texts: Mapping[str, str] = field(default_factory=dict)
    standard: str = Standard.ISO_1585_SI
    held_constant: str = ""


# Field, what it measures, unit, least and most
NUMBERS = (
    ("sweep_start_rpm", "speed", "rpm", 300.0, 20_000.0),
    ("sweep_end_rpm", "speed", "rpm", 500.0, 20_000.0),
    ("low_rpm", "speed", "rpm", 300.0, 20_000.0),
    ("high_rpm", "speed", "rpm", 500.0, 20_000.0),
    ("smallest_difference", "fraction", "%", 0.0, 0.2),
)


def plan(person: Person, at: datetime, build: Build, draft: Draft) -> Programme:
    """The programme of a draft. Invalid names every field that is wrong; nothing is made then."""
    wrong: dict[str, str] = {}
    numbers = _numbers(draft.texts, wrong)
    rate = _rate(draft.texts.get("sweep_rate", ""), wrong)
    setups = _setups(draft, wrong)
    order = _order(draft, wrong)
    if not wrong and numbers["sweep_start_rpm"] >= numbers["sweep_end_rpm"]:
        wrong["sweep_end_rpm"] = "The sweep must rise."
    if not wrong and numbers["low_rpm"] >= numbers["high_rpm"]:
        wrong["high_rpm"] = "The range must rise."
    if (
        not wrong
        and not numbers["sweep_start_rpm"] <= numbers["low_rpm"] < numbers["high_rpm"] <= numbers["sweep_end_rpm"]
    ):
        wrong["low_rpm"] = "The range that is compared must lie inside the sweep."
    if draft.standard not in STANDARDS:
        wrong["standard"] = f"choose one of {', '.join(map(str, STANDARDS))}"
    if wrong:
        raise Invalid("The programme is not complete: see the fields.", fields=wrong)
    programme = plan_programme(
        person, at, question=named(draft.question, "question", 200), build=build, setups=setups, order=order,
        sweep=Sweep(numbers["sweep_start_rpm"], numbers["sweep_end_rpm"], rate),
        range_rpm=(numbers["low_rpm"], numbers["high_rpm"]), windows=USUAL_WINDOWS,
        standard=Standard(draft.standard), held_constant=optional(draft.held_constant, "held_constant", 2000),
    )  # fmt: skip
    programme.smallest_difference = numbers["smallest_difference"]
    programme.save(update_fields=["smallest_difference"])
    return programme


def _numbers(texts: Mapping[str, str], wrong: dict[str, str]) -> dict[str, float]:
    found = {}
    for key, measure, unit, low, high in NUMBERS:
        try:
            found[key] = read_quantity(texts.get(key, ""), measure, unit, low, high).value
        except NotUnderstood as reason:
            wrong[key] = str(reason)
    return found


def _rate(text: str, wrong: dict[str, str]) -> float:
    try:
        return float(read_count(text, 20, 3000))
    except NotUnderstood as reason:
        wrong["sweep_rate"] = f"{reason} Rates are rpm a second."
        return 0.0


def _setups(draft: Draft, wrong: dict[str, str]) -> list[PlannedSetup]:
    if len(draft.setups) < 2:
        wrong["setups"] = "A comparison needs two setups or more."
    if len(draft.setups) > MOST_SETUPS:
        wrong["setups"] = f"{len(draft.setups)} setups; there are {MOST_SETUPS} letters."
    wanted = {pk for setup in draft.setups for pk in setup.part_ids}
    parts = Part.objects.in_bulk([pk for pk in wanted if abs(pk) < 2**62])
    made, names = [], set()
    for place, setup in enumerate(draft.setups):
        name = setup.name.strip()
        if not name or len(name) > 80 or "\x00" in name:
            wrong[f"setups.{place}.name"] = "Give the setup a name of at most 80 characters."
        elif name.casefold() in names:
            wrong[f"setups.{place}.name"] = "Another setup is called so."
        names.add(name.casefold())
        if missing := [pk for pk in setup.part_ids if pk not in parts]:
            wrong[f"setups.{place}.parts"] = f"There is no part {missing[0]}."
        made.append(PlannedSetup(name, [parts[pk] for pk in setup.part_ids if pk in parts]))
    return made


def _order(draft: Draft, wrong: dict[str, str]) -> list[tuple[int, int]]:
    order = []
    if not draft.order:
        wrong["order"] = "Say in which order the setups are pulled."
    if len(draft.order) > MOST_STEPS:
        wrong["order"] = f"{len(draft.order)} steps, at most {MOST_STEPS}."
    for place, (setup, pulls) in enumerate(draft.order[:MOST_STEPS]):
        if not 0 <= setup < len(draft.setups):
            wrong[f"order.{place}.setup"] = "There is no such setup."
        try:
            order.append((setup, read_count(pulls, 1, 30)))
        except NotUnderstood as reason:
            wrong[f"order.{place}.pulls"] = str(reason)
    return order
