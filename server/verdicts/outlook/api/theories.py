"""Theories that compete, and which setup tells them apart with how many pulls."""

from __future__ import annotations

from itertools import combinations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router, Schema
from torvix_core.planning import theory_separation

from programmes.expectations import theories
from programmes.models import Programme, Theory
from shop.models import Person
from shop.permissions import is_person
from verdicts.prior.scatter_history import scatter_of

router = Router(tags=["theories"])


class PredictionText(Schema):
    setup_id: int
    text: str


class TheoryIn(Schema):
    name: str
    predictions: list[PredictionText]


class TheoriesIn(Schema):
    theories: list[TheoryIn]


class SeparationOut(Schema):
    """What two theories predict of a setup, per cent, and the pulls per setup that tell them apart; none if none do."""

    one: str
    other: str
    setup_id: int
    one_percent: float
    other_percent: float
    apart_percent: float
    pulls: int | None


class TheoriesOut(Schema):
    theories: list[TheoryIn]
    separations: list[SeparationOut]


def _programme(person: Person, programme_id: int) -> Programme:
    seen = Programme.objects.visible_to(person).select_related("build")
    return get_object_or_404(seen.prefetch_related("setups", "theories__predictions"), pk=programme_id)


def _text(low: float, high: float) -> str:
    return f"{low * 100:.4g}" if low == high else f"{low * 100:.4g} to {high * 100:.4g}"


def to_schema(programme: Programme) -> TheoriesOut:
    held = list(programme.theories.all())
    setups = [setup for setup in programme.setups.all() if not setup.is_baseline]
    scatter = scatter_of(programme) if len(held) > 1 else None

    def ranges(theory: Theory) -> list[theory_separation.Range | None]:
        found = {prediction.setup_id: (prediction.low, prediction.high) for prediction in theory.predictions.all()}
        return [found.get(setup.pk) for setup in setups]

    return TheoriesOut(
        theories=[
            TheoryIn(name=one.name, predictions=[
                PredictionText(setup_id=prediction.setup_id, text=_text(prediction.low, prediction.high))
                for prediction in one.predictions.all()
            ])
            for one in held
        ],
        separations=[
            SeparationOut(
                one=one.name, other=other.name, setup_id=setups[each.setup].pk, one_percent=each.one * 100,
                other_percent=each.other * 100, apart_percent=each.apart * 100, pulls=each.pulls,
            )
            for one, other in combinations(held, 2)
            if scatter is not None
            for each in theory_separation.separations(
                ranges(one), ranges(other), scatter.history
            )
        ],
    )  # fmt: skip


@router.get("/programmes/{programme_id}/theories", response=TheoriesOut, operation_id="theories")
def read_theories(request: HttpRequest, programme_id: int) -> TheoriesOut:
    assert is_person(request.user)
    return to_schema(_programme(request.user, programme_id))


@router.put("/programmes/{programme_id}/theories", response=TheoriesOut, operation_id="write_theories")
def write_theories(request: HttpRequest, programme_id: int, given: TheoriesIn) -> TheoriesOut:
    person = request.user
    assert is_person(person)
    explained = [
        theories.TheoryText(theory.name, {prediction.setup_id: prediction.text for prediction in theory.predictions})
        for theory in given.theories
    ]
    theories.write(person, _programme(person, programme_id), explained, timezone.now())
    return to_schema(_programme(person, programme_id))
