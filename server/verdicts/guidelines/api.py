"""Guidelines of the shop: the list, one with all that speaks of it, and what they expect of a plan."""

from __future__ import annotations

from django.db.models import QuerySet
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router
from torvix_core.beyond.deciding import DECIDING

from shop.models import Person, Role
from shop.permissions import person_of, units_of
from shop.refusals import NotAllowed
from verdicts.access import programme_of, programme_with_parts
from verdicts.guidelines import answers, predictions, schemas, service
from verdicts.guidelines.evidence import gather
from verdicts.guidelines.messages import CLAIMS, dimension_unit
from verdicts.models import Explanation, Grade, Guideline, GuidelineMeasure

router = Router(tags=["guidelines"])


def _seen(person: Person) -> QuerySet[Guideline]:
    """What a shop holds to be so is its own: customers see their tests alone."""
    if person.role == Role.CUSTOMER:
        raise NotAllowed("Guidelines are for those who work in the shop.")
    return Guideline.objects.select_related("written_by")


def _whole(person: Person, guideline_id: int) -> schemas.GuidelineOut:
    found = get_object_or_404(_seen(person), pk=guideline_id)
    return answers.whole(person, gather(person, [found])[0])


@router.get("/guidelines", response=list[schemas.GuidelineRow], operation_id="guidelines")
def read_guidelines(request: HttpRequest, archived: bool = False) -> list[schemas.GuidelineRow]:
    """Every guideline with what the tests say of it now; those out of the lists where these are asked for."""
    person = person_of(request)
    found = list(_seen(person).filter(archived_at__isnull=not archived))
    return [answers.row(person, one) for one in gather(person, found)]


@router.get("/guideline-choices", response=schemas.GuidelineChoices, operation_id="guideline_choices")
def read_choices(request: HttpRequest) -> schemas.GuidelineChoices:
    units = units_of(person_of(request))
    return schemas.GuidelineChoices(
        slots=[
            schemas.SlotChoice(slot=slot.value, label=slot.label, variables=[
                schemas.VariableChoice(key=one.key, label=one.label, unit=dimension_unit(one, units))
                for one in service.variables_of(slot.value)
            ])
            for slot in DECIDING
        ],
        measures=[schemas.GuidelineChoice(value=value, label=label) for value, label in GuidelineMeasure.choices],
        claims=[schemas.GuidelineChoice(value=claim.value, label=label) for claim, label in CLAIMS.items()],
        grades=[schemas.GuidelineChoice(value=value, label=label) for value, label in Grade.choices],
    )  # fmt: skip


@router.post("/guidelines", response=schemas.GuidelineOut, operation_id="write_guideline")
def write_guideline(request: HttpRequest, given: schemas.GuidelineIn) -> schemas.GuidelineOut:
    person = person_of(request)
    return _whole(person, service.write(person, given.texts, timezone.now()).pk)


@router.get("/guidelines/{guideline_id}", response=schemas.GuidelineOut, operation_id="guideline")
def read_guideline(request: HttpRequest, guideline_id: int) -> schemas.GuidelineOut:
    return _whole(person_of(request), guideline_id)


@router.put("/guidelines/{guideline_id}", response=schemas.GuidelineOut, operation_id="rewrite_guideline")
def rewrite_guideline(request: HttpRequest, guideline_id: int, given: schemas.GuidelineIn) -> schemas.GuidelineOut:
    person = person_of(request)
    found = get_object_or_404(_seen(person), pk=guideline_id)
    service.write(person, given.texts, timezone.now(), found)
    return _whole(person, guideline_id)


@router.put("/guidelines/{guideline_id}/archived", response=schemas.GuidelineOut, operation_id="archive_guideline")
def archive_guideline(
    request: HttpRequest, guideline_id: int, given: schemas.GuidelineArchivedIn
) -> schemas.GuidelineOut:
    person = person_of(request)
    service.archive(person, get_object_or_404(_seen(person), pk=guideline_id), given.archived, timezone.now())
    return _whole(person, guideline_id)


@router.post("/guidelines/{guideline_id}/explanations", response=schemas.GuidelineOut, operation_id="explain_guideline")
def explain_guideline(request: HttpRequest, guideline_id: int, given: schemas.ExplanationIn) -> schemas.GuidelineOut:
    person = person_of(request)
    found = get_object_or_404(_seen(person), pk=guideline_id)
    measured_by = None if given.programme_id is None else programme_of(person, given.programme_id)
    service.explain(person, found, given.text, given.grade, measured_by, given.separated_by, timezone.now())
    return _whole(person, guideline_id)


@router.put(
    "/explanations/{explanation_id}/withdrawn", response=schemas.GuidelineOut, operation_id="withdraw_explanation"
)
def withdraw_explanation(request: HttpRequest, explanation_id: int, given: schemas.WithdrawnIn) -> schemas.GuidelineOut:
    person = person_of(request)
    found = get_object_or_404(Explanation.objects.filter(guideline__in=_seen(person)), pk=explanation_id)
    service.withdraw(person, found, given.withdrawn, timezone.now())
    return _whole(person, found.guideline_id)


@router.get(
    "/programmes/{programme_id}/guideline-predictions", response=list[schemas.GuidelinePrediction],
    operation_id="guideline_predictions",
)  # fmt: skip
def read_predictions(request: HttpRequest, programme_id: int) -> list[schemas.GuidelinePrediction]:
    """What the guidelines expect of the setups of a test, against its baseline."""
    person = person_of(request)
    programme = programme_with_parts(person, programme_id)
    return [] if person.role == Role.CUSTOMER else predictions.of_test(person, programme)
