"""The ladder of ignition timing that ends with one pull."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema
from torvix_core.units import quantities

from curves.reduction import correct
from curves.spark import messages, service
from programmes.models import Programme
from shop.permissions import is_person, units_of
from stand.models import Pull

router = Router(tags=["spark"])


class SparkRungOut(Schema):
    number: int
    degrees: float
    torque: float


class SparkLadderOut(Schema):
    """Empty where the pulls of this tune were all made with one setting."""

    torque_unit: str
    rungs: list[SparkRungOut]
    sentences: list[str]


@router.get("/pulls/{pull_id}/spark-ladder", response=SparkLadderOut, operation_id="spark_ladder")
def read_ladder(request: HttpRequest, pull_id: int) -> SparkLadderOut:
    """What the pulls up to this one say of the ignition timing: the last step against scatter, and the best setting."""
    assert is_person(request.user)
    seen = Programme.objects.visible_to(request.user)
    pull = get_object_or_404(Pull.objects.filter(session__programme__in=seen).select_related("session"), pk=pull_id)
    programme = Programme.objects.get(pk=pull.session.programme_id)
    pulls = correct.pulls_of(programme)
    found = service.work(programme, next(one for one in pulls if one.pk == pull.pk), pulls)
    unit = units_of(request.user)["torque"]
    return SparkLadderOut(
        torque_unit=unit, sentences=messages.sentences(found),
        rungs=[SparkRungOut(number=one.number, degrees=degrees, torque=float(quantities.from_si(mean, unit)))
               for one, degrees, mean in found.rungs] if found.ladder else [],
    )  # fmt: skip
