"""Versions of a plan: what was in force when a pull was made."""

from __future__ import annotations

from dataclasses import asdict
from datetime import datetime
from typing import Any

from torvix_core.air.standards import BOOST_SCHOOLS, DEFINITIONS, BoostSchool, Standard
from torvix_core.engine.dimensions import Slot

from programmes.models import (
    BoostPolicy,
    Candidate,
    MixturePolicy,
    Place,
    PlanVersion,
    Programme,
    ProgrammeKind,
    TuneRule,
)
from programmes.plan.plans import Plan
from shop.models import Person


def document(plan: Plan) -> dict[str, Any]:
    """The whole plan in plain words and numbers, so that it can be read when the tables have moved on."""
    return {
        "question": plan.question, "answers_change": plan.answers_change, "kind": ProgrammeKind(plan.kind).label,
        "standard": DEFINITIONS[Standard(plan.standard)].label,
        "boost_school": BOOST_SCHOOLS[BoostSchool(plan.boost_school)],
        "mixture_policy": MixturePolicy(plan.mixture_policy).label,
        "tune_rule": TuneRule(plan.tune_rule).label,
        "boost_policy": BoostPolicy(plan.boost_policy).label,
        "stand_in": plan.stand_in, "held_constant": plan.held_constant,
        "sweep": f"{plan.sweep.start_rpm:g} to {plan.sweep.end_rpm:g} rpm at {plan.sweep.rate_rpm_s:g} rpm/s",
        "range": f"{plan.range_rpm[0]:g} to {plan.range_rpm[1]:g} rpm", "extension_rpm": plan.extension_rpm,
        "smallest_difference_percent": round(plan.smallest_difference * 100, 6),
        "duty": _duty(plan), "height_limit_m": plan.objective.height_limit,
        "must_look_stock": plan.objective.must_look_stock,
        "fixed_slots": [Slot(slot).label for slot in plan.objective.fixed_slots],
        "cost_ceiling": None if plan.objective.cost_ceiling is None else str(plan.objective.cost_ceiling),
        "setups": [
            {
                "letter": setup.letter, "name": setup.name,
                "has": {plan.label(key): level for key, level in setup.levels().items()}, "pulls": setup.pulls,
                "visits": setup.visits, "place": Place(setup.place).label,
                "available_at": setup.available_at.isoformat() if setup.available_at else "",
                "candidate": Candidate(setup.candidate).label, "reason": setup.reason,
                "protected": setup.protected,
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


def keep(programme: Programme, plan: Plan, person: Person, at: datetime) -> PlanVersion:
    """Put the plan on record: in place of the newest version while no pull was armed under it, else after it."""
    newest = programme.versions.order_by("number").last()
    written = document(plan)
    if newest is not None and newest.document == written:
        return newest
    if newest is not None and newest.used_at is None:
        newest.document, newest.made_at, newest.made_by = written, at, person
        newest.save(update_fields=["document", "made_at", "made_by"])
        return newest
    number = newest.number + 1 if newest else 1
    return PlanVersion.objects.create(programme=programme, number=number, made_at=at, made_by=person, document=written)


def mark_used(programme: Programme, at: datetime) -> int:
    """A pull is armed under the plan in force: its version is closed. Its number; 0 for a plan without a record."""
    newest = programme.versions.order_by("number").last()
    if newest is None:
        return 0
    if newest.used_at is None:
        programme.versions.filter(pk=newest.pk, used_at=None).update(used_at=at)
    return newest.number
