"""Versions of a plan: what was in force when a pull was made, and how one differs from the next, in words."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import asdict
from datetime import datetime
from typing import Any

from torvix_core.air.standards import BOOST_SCHOOLS, DEFINITIONS, BoostSchool, Standard

from programmes.models import BoostPolicy, Candidate, MixturePolicy, Place, PlanVersion, Programme, ProgrammeKind
from programmes.plan.plans import Plan
from shop.models import Person

# Key of the document, what it is called, and the texts behind stored words
TEXTS: tuple[tuple[str, str], ...] = (
    ("question", "The question"),
    ("answers_change", "What the answers change"),
    ("kind", "The kind of test"),
    ("standard", "The standard"),
    ("boost_school", "The school of boost"),
    ("mixture_policy", "The mixture"),
    ("boost_policy", "The boost"),
    ("stand_in", "What it stands in for"),
    ("held_constant", "What is held constant"),
    ("sweep", "The sweep"),
    ("range", "The range compared"),
    ("extension_rpm", "The extension of a sweep, rpm,"),
    ("smallest_difference_percent", "The smallest difference that matters, per cent,"),
    ("duty", "The duty"),
    ("height_limit_m", "The height limit, m,"),
    ("must_look_stock", "That it must look stock"),
    ("cost_ceiling", "The cost ceiling"),
)


def document(plan: Plan) -> dict[str, Any]:
    """The whole plan in plain words and numbers, so that it can be read when the tables have moved on."""
    return {
        "question": plan.question, "answers_change": plan.answers_change, "kind": ProgrammeKind(plan.kind).label,
        "standard": DEFINITIONS[Standard(plan.standard)].label,
        "boost_school": BOOST_SCHOOLS[BoostSchool(plan.boost_school)],
        "mixture_policy": MixturePolicy(plan.mixture_policy).label,
        "boost_policy": BoostPolicy(plan.boost_policy).label,
        "stand_in": plan.stand_in, "held_constant": plan.held_constant,
        "sweep": f"{plan.sweep.start_rpm:g} to {plan.sweep.end_rpm:g} rpm at {plan.sweep.rate_rpm_s:g} rpm/s",
        "range": f"{plan.range_rpm[0]:g} to {plan.range_rpm[1]:g} rpm", "extension_rpm": plan.extension_rpm,
        "smallest_difference_percent": round(plan.smallest_difference * 100, 6),
        "duty": _duty(plan), "height_limit_m": plan.objective.height_limit,
        "must_look_stock": plan.objective.must_look_stock,
        "cost_ceiling": None if plan.objective.cost_ceiling is None else str(plan.objective.cost_ceiling),
        "setups": [
            {
                "letter": setup.letter, "name": setup.name,
                "has": {plan.label(key): level for key, level in setup.levels().items()}, "pulls": setup.pulls,
                "visits": setup.visits, "place": Place(setup.place).label,
                "available_at": setup.available_at.isoformat() if setup.available_at else "",
                "candidate": Candidate(setup.candidate).label, "reason": setup.reason,
                "based_on": "" if setup.based_on is None else plan.setups[setup.based_on].letter,
            }
            for setup in plan.setups
        ],
        "order": [[plan.setups[visit.setup].letter, visit.pulls, visit.session] for visit in plan.order],
        "sessions": [[session.starts_at.isoformat(), session.paid_min] for session in plan.sessions],
        "times": {key: str(value) if key == "hour_price" and value is not None else value
                  for key, value in asdict(plan.times).items()},
        "works": {row.label: [row.work.remove_min, row.work.install_min, [plan.label(key) for key in row.work.under]]
                  for row in plan.rows},
    }  # fmt: skip


def _duty(plan: Plan) -> str:
    if plan.objective.preset != "drawn":
        return plan.objective.preset.replace("_", " ")
    return "drawn: " + ", ".join(f"{speed:g} rpm {weight:g}" for speed, weight in plan.objective.points)


def differences(before: Mapping[str, Any], after: Mapping[str, Any]) -> list[str]:
    """How a plan differs from another, a sentence each."""
    return [*_of_texts(before, after), *_of_setups(before, after), *_of_day(before, after)]


def _of_texts(before: Mapping[str, Any], after: Mapping[str, Any]) -> Iterator[str]:
    for key, label in TEXTS:
        one, other = before.get(key), after.get(key)
        if one != other:
            yield f"{label}: {_shown(one)} becomes {_shown(other)}."


def _of_setups(before: Mapping[str, Any], after: Mapping[str, Any]) -> Iterator[str]:
    olds, news = ({setup["letter"]: setup for setup in each["setups"]} for each in (before, after))
    for letter, new in news.items():
        old = olds.get(letter)
        if old is None:
            yield f"{letter} {new['name']} is new: {_contents(new['has'])}."
            continue
        if old["name"] != new["name"]:
            yield f"{letter} is called {new['name']}, before {old['name']}."
        for label in [*old["has"], *(key for key in new["has"] if key not in old["has"])]:
            one, other = old["has"].get(label, ""), new["has"].get(label, "")
            if one != other:
                yield f"{letter}, {label.lower()}: {_shown(one)} becomes {_shown(other)}."
        for key, told in (("pulls", "pulls"), ("visits", "visits"), ("place", "place"), ("based_on", "built on"),
                          ("available_at", "arrives")):  # fmt: skip
            if old[key] != new[key]:
                yield f"{letter}, {told}: {_shown(old[key])} becomes {_shown(new[key])}."
        if (old["candidate"], old["reason"]) != (new["candidate"], new["reason"]):
            why = f": {new['reason']}" if new["reason"] else ""
            yield f"{letter}: {new['candidate'].lower()}{why}."
    for letter, old in olds.items():
        if letter not in news:
            yield f"{letter} {old['name']} is taken out."


def _of_day(before: Mapping[str, Any], after: Mapping[str, Any]) -> Iterator[str]:
    if before["order"] != after["order"]:
        one, other = (", ".join(f"{visit[0]} {visit[1]}×" for visit in each["order"]) for each in (before, after))
        yield f"Running order: {one or 'nothing'} becomes {other or 'nothing'}."
    if before["sessions"] != after["sessions"]:
        yield f"Sessions: {len(before['sessions'])} become {len(after['sessions'])}, with other times."
    for key in after["times"]:
        one, other = before["times"].get(key), after["times"][key]
        if one != other:
            label = key.replace("_min", ", minutes").replace("_", " ").capitalize()
            yield f"{label}: {_shown(one)} becomes {_shown(other)}."
    for label in [*before["works"], *(key for key in after["works"] if key not in before["works"])]:
        one, other = before["works"].get(label), after["works"].get(label)
        if one and other and one != other:
            yield f"Work on the {label.lower()}: {one[0]:g} + {one[1]:g} min becomes {other[0]:g} + {other[1]:g} min."


def _contents(levels: Mapping[str, str]) -> str:
    return ", ".join(levels.values()) or "nothing in any slot"


def _shown(value: object) -> str:
    if value is None or value == "":
        return "nothing"
    if isinstance(value, bool):
        return "yes" if value else "no"
    return f"{value:g}" if isinstance(value, float) else str(value)


def keep(programme: Programme, plan: Plan, person: Person, at: datetime) -> PlanVersion:
    """Put the plan on record: in place of the newest version while no pull was armed under it, else after it."""
    newest = programme.versions.order_by("number").last()
    written = document(plan)
    if newest is not None and newest.document == written:
        return newest
    if newest is not None and newest.used_at is None:
        before = programme.versions.filter(number=newest.number - 1).first()
        newest.changes = differences(before.document, written) if before else []
        newest.document, newest.made_at, newest.made_by = written, at, person
        newest.save(update_fields=["document", "changes", "made_at", "made_by"])
        return newest
    changes = differences(newest.document, written) if newest else []
    number = newest.number + 1 if newest else 1
    return PlanVersion.objects.create(
        programme=programme, number=number, made_at=at, made_by=person, document=written, changes=changes
    )


def mark_used(programme: Programme, at: datetime) -> int:
    """A pull is armed under the plan in force: its version is closed. Its number; 0 for a plan without a record."""
    newest = programme.versions.order_by("number").last()
    if newest is None:
        return 0
    if newest.used_at is None:
        programme.versions.filter(pk=newest.pk, used_at=None).update(used_at=at)
    return newest.number
