"""Practice tests of the scenario: one that was run, decided and revealed, and one that waits to be run."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from typing import Any

from torvix_core.air.standards import Standard

from demo.stand_day import run_session, simulated_stand
from programmes.plan import saving
from programmes.plan.plans import PlannedVisit
from programmes.practice.service import make
from shop.models import Person, Stand
from verdicts.decisions import service as decisions
from verdicts.judging.choice import Choice
from verdicts.practice import service as practice


def load(given: Sequence[Mapping[str, Any]], people: Mapping[str, Person], stand: Stand, seed: int) -> None:
    """Lines of the scenario: who makes it, what makes it hard, and what was run, decided and revealed."""
    for number, one in enumerate(given):
        person, at = people[one["by"]], datetime.fromisoformat(one["made"])
        programme = make(person, one["traits"], at, one["seed"])
        if "session" not in one:
            continue
        order = [PlannedVisit(*visit) for visit in one["order"]]
        saving.change_plan(person, programme, replace(saving.plan_in_force(programme), order=order), at)
        with simulated_stand("--stepped", "--seed", str(seed + number), "--engine", programme.practice.engine) as port:
            run_session(programme, one["session"], person, stand, port)
        evening = datetime.fromisoformat(one["session"]["opened"]) + timedelta(hours=4)
        setup = programme.setups.all()[one["call"]]
        choice = Choice(Standard(programme.standard))
        decisions.decide(person, programme, choice, setup, one["reason"], evening)
        practice.reveal(person, programme, evening)
