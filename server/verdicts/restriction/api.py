"""Where the restriction is: evidence for and against each place, a hint, and the swap that would tell most."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Query, Router
from torvix_core.regimes.restriction import LABELS

from programmes.plan.saving import plan_in_force
from shop.permissions import is_person, units_of
from shop.schema import Schema
from verdicts.access import programme_of
from verdicts.comparison.aligned_pulls import compare
from verdicts.judging.schemas import ChoiceIn
from verdicts.restriction.messages import evidence_sentence, hint_sentences
from verdicts.restriction.service import of_place, restriction

router = Router(tags=["restriction"])


class EvidenceOut(Schema):
    """`kind`: swap, channel or paper; `side`: for, against or open."""

    kind: str
    side: str
    sentence: str


class PlaceOut(Schema):
    """What freeing a place would give at the top, %, all its evidence together."""

    place: str
    label: str
    percent: float
    low: float
    high: float
    named: bool
    evidence: list[EvidenceOut]


class RestrictionOut(Schema):
    low_rpm: float
    high_rpm: float
    sentences: list[str]
    places: list[PlaceOut]


@router.get("/programmes/{programme_id}/restriction", response=RestrictionOut, operation_id="restriction")
def read_restriction(request: HttpRequest, programme_id: int, given: Query[ChoiceIn]) -> RestrictionOut:
    assert is_person(request.user)
    programme, units = programme_of(request.user, programme_id), units_of(request.user)
    choice = given.read(programme)
    found = restriction(compare(programme, choice.standard, choice.counting), plan_in_force(programme), choice)
    smallest = programme.smallest_difference
    return RestrictionOut(
        low_rpm=found.low_rpm, high_rpm=found.high_rpm, sentences=hint_sentences(found, units),
        places=[
            PlaceOut(
                place=one.place, label=LABELS[one.place], percent=one.gain * 100, low=one.low * 100,
                high=one.high * 100, named=one.place is found.hint.place,
                evidence=[
                    EvidenceOut(kind=each.clue.kind, side=each.clue.side(smallest),
                                sentence=evidence_sentence(each, units, smallest))
                    for each in of_place(found, one.place)
                ],
            )
            for one in found.weighed
        ],
    )  # fmt: skip
