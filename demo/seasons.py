"""Tests of earlier seasons on engines of others, read in from files, and the guidelines that they speak of."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime, time
from typing import Any

from torvix_core.engine.dimensions import Slot
from torvix_core.engine.evidence import Origin

from demo import shelf
from engines.builds.service import describe_engine
from engines.models import Part
from engines.parts.service import PartFacts, add_part
from programmes.plan.plans import Plan, PlannedSetup, PlannedVisit, Sweep
from programmes.plan.saving import plan_programme
from shop.models import Person
from verdicts.guidelines import service as guidelines
from verdicts.guidelines.service import GuidelineTexts

PLACE = {
    "stand": "Stand at the lake", "fuel": "Pump fuel, 98", "barometer_kpa": 96.9, "air_c": 17.0, "humidity": 0.55,
}  # fmt: skip


def load(given: Mapping[str, Any], people: Mapping[str, Person]) -> None:
    for one in given["engines"]:
        _test(one, people[given["planned_by"]])
    for one in given["guidelines"]:
        _guideline(one, people)


def _test(given: Mapping[str, Any], person: Person) -> None:
    """One engine, its two manifolds, and the files of a day."""
    at = datetime.combine(datetime.fromisoformat(given["day"]), time(18), UTC)
    build = describe_engine(person, at, given["name"], given["catalog"], origin=Origin.CATALOG, owner=given["owner"])
    made: list[Part] = [
        add_part(person, at, Slot(one["slot"]), PartFacts(one["name"]), one["lines"], origin=Origin.MEASURED)
        for one in given["parts"]
    ]
    count = len(given["worth"][0])
    programme = plan_programme(person, at, build, Plan(
        question=given["question"],
        setups=[PlannedSetup(part.name, [part], pulls=count) for part in made],
        order=[PlannedVisit(place, count) for place in range(len(made))],
        sweep=Sweep(shelf.FIRST_RPM, shelf.LAST_RPM, shelf.SWEEP_RPM_S),
        range_rpm=(2600, 5200),
    ))  # fmt: skip
    files = [
        {"name": f"{made[setup].name.lower()} {number}.csv", "setup": setup, "worth": worth}
        for setup, pulls in enumerate(given["worth"])
        for number, worth in enumerate(pulls, 1)
    ]
    if given.get("in_turn", True):
        files.sort(key=lambda file: str(file["name"])[-5])  # by its number: one of each, then the next
    shelf.bring(
        programme, {**PLACE, "seed": given["seed"], "day": given["day"], "files": files, "sheets": []}, person, at
    )


def _guideline(given: Mapping[str, Any], people: Mapping[str, Person]) -> None:
    at = datetime(2026, 11, 26, 17, tzinfo=UTC)
    texts = {key: text for key, text in given.items() if key not in ("by", "explanations")}
    held = guidelines.write(people[given["by"]], GuidelineTexts(**texts), at)
    for one in given.get("explanations", []):
        guidelines.explain(people[one["by"]], held, one["text"], one["grade"], None, one.get("separated_by", ""), at)
