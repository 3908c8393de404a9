"""Reveals a practice test once it is decided: both calls beside the truth, and what other pulls would have bought."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime
from itertools import groupby
from typing import Any

import numpy as np
from django.db import transaction
from torvix_core.air.standards import Standard
from torvix_core.judging.effects import NotEnoughPulls
from torvix_core.planning import simulated_days
from torvix_core.units.checked import Array

from programmes.models import PracticeTest, PracticeTrait, Programme, Setup
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Refusal
from verdicts.comparison.aligned_pulls import Comparison
from verdicts.judging import answers
from verdicts.judging.choice import Choice
from verdicts.judging.service import Judgment
from verdicts.models import Decision
from verdicts.practice import messages
from verdicts.practice.truth import Truth, truth_of

DAYS, SEED = 400, 20_260_102  # of each way to run it; the same test gives the same answer
Visits = list[tuple[int, int, int]]


class NotDecided(Refusal):
    """Nobody has made a call yet."""

    code = "not_decided"


def of(programme: Programme) -> PracticeTest:
    """Refusal where it is none."""
    found = PracticeTest.objects.filter(programme=programme).first()
    if found is None:
        raise Refusal("This is no practice test.", code="no_practice")
    return found


@transaction.atomic
def reveal(person: Person, programme: Programme, at: datetime) -> PracticeTest:
    """Freeze what it came to. Refusal while nothing was run, or nobody has decided. A second time changes nothing."""
    require_operator(person)
    practice = PracticeTest.objects.select_for_update().get(pk=of(programme).pk)
    if practice.revealed_at is not None:
        return practice
    decision = programme.decisions.select_related("by", "setup").first()
    if decision is None:
        raise NotDecided("Decide first, under Decisions: the truth is revealed once there is a call.")
    found = answers.answer(person, programme, Choice(Standard(programme.standard)))
    practice.outcome = outcome(practice, found.judged, decision)
    practice.revealed_at, practice.revealed_by = at, person
    practice.save(update_fields=["outcome", "revealed_at", "revealed_by"])
    return practice


def outcome(practice: PracticeTest, judged: Judgment, decision: Decision) -> dict[str, Any]:
    """What is frozen: shares of the baseline's score over the duty, in per cent."""
    compared, setups = judged.comparison, list(practice.programme.setups.all())
    truth = truth_of(practice, setups, compared.speed_rpm)
    scores = np.array([judged.duty_mean(row.tolist(), compared.speed_rpm.tolist()) for row in truth.torque])
    base = next(place for place, setup in enumerate(setups) if setup.is_baseline)
    worth = scores / scores[base] - 1
    smallest = practice.programme.smallest_difference
    best = [place for place in range(len(setups)) if worth.max() - worth[place] < smallest]
    tool = None if judged.winner is None else compared.setups[judged.winner]
    return {
        "setups": [
            {"setup_id": setup.pk, "true_percent": float(worth[place]) * 100, "is_best": place in best,
             **_measured(judged, setup)}
            for place, setup in enumerate(setups)
        ],
        "person": {**_call(decision.setup, setups, worth, smallest, base), "by": str(decision.by),
                   "by_id": decision.by_id},
        "tool": _call(tool, setups, worth, smallest, base),
        "bought": _bought(compared, setups, worth, truth, smallest),
        "lessons": messages.lessons(practice, setups, truth),
        "traits": [PracticeTrait(trait).label for trait in practice.traits],
        "pulls": len(compared.kept),
    }  # fmt: skip


def _measured(judged: Judgment, setup: Setup) -> dict[str, float | None]:
    """The verdict's own figure over the baseline, where it has one."""
    places = {one.pk: place for place, one in enumerate(judged.comparison.setups)}
    place, base = places.get(setup.pk), judged.comparison.baseline
    if place is None or place == base or not judged.fitted.linked(place, base):
        return {"percent": None, "low": None, "high": None}
    found = judged.fitted.difference(place, base)
    return {"percent": float(found.change) * 100, "low": float(found.low) * 100, "high": float(found.high) * 100}


def _call(setup: Setup | None, setups: Sequence[Setup], worth: Array, smallest: float, base: int) -> dict[str, Any]:
    """What a call is worth: nobody called means that the baseline stays."""
    place = base if setup is None else [one.pk for one in setups].index(setup.pk)
    lost = float(worth.max() - worth[place])
    return {"setup_id": setup.pk if setup else None, "lost_percent": lost * 100, "is_right": lost < smallest}


def _bought(
    compared: Comparison, setups: Sequence[Setup], worth: Array, truth: Truth, smallest: float
) -> list[dict[str, Any]]:
    """How often a day with this truth calls the right winner: run as it was, with a return, with a pull more."""
    ran = [setup.pk for setup in compared.setups]
    base = ran[compared.baseline]
    order = [base, *(pk for pk in ran if pk != base)]
    own = {setup.pk: float(worth[place]) for place, setup in enumerate(setups)}
    if own[base] or len(order) < 2:  # the baseline itself was not run
        return []
    effects = np.array([own[pk] for pk in order])
    rows = [(order.index(one.pull.setup_id), one.pull.session_id) for one in compared.kept]
    days = list(dict.fromkeys(session for _, session in rows))
    visits: Visits = [
        (place, days.index(session), len(list(pulls))) for (place, session), pulls in groupby(rows)
    ]  # fmt: skip
    last = visits[-1][1]
    ways: list[tuple[str, Visits]] = [
        ("As it was run", visits),
        ("With a return to the baseline at the end", [*visits, (0, last, 2)]),
        ("With one more pull on each visit", [(place, day, pulls + 1) for place, day, pulls in visits]),
    ]
    return [{"label": label, **_odds(way, effects, truth, smallest)} for label, way in ways]


def _odds(visits: Visits, effects: Array, truth: Truth, smallest: float) -> dict[str, float | None]:
    """Shares of the days, in per cent; None where such a day cannot be judged."""
    plan = simulated_days.lay_out(visits, 300.0, 0)
    # The parts were warm when they were pulled: the gates saw to that.
    habits = replace(truth.habits, cold_part=0.0)
    read = simulated_days.scores(plan, effects, habits, DAYS, np.random.default_rng(SEED))
    try:
        found = simulated_days.odds(simulated_days.judge(plan, read, smallest), effects, smallest)
    except NotEnoughPulls:
        return {"right_percent": None, "nobody_percent": None, "wrong_percent": None}
    return {
        "right_percent": found.right * 100, "nobody_percent": found.nobody * 100, "wrong_percent": found.wrong * 100
    }  # fmt: skip
