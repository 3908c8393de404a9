"""How the day goes against its plan."""

from __future__ import annotations

from datetime import datetime

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router

from programmes.models import Programme
from programmes.order import orders
from programmes.plan import plans
from shop.permissions import is_person
from shop.schema import Schema
from stand.progress import service as progress

router = Router(tags=["progress"])


class DoneOut(Schema):
    """Pulls of one setup in a row; `setup` is a place in the plan, `pulls` their numbers."""

    setup: int
    session: int
    starts_at: datetime
    ends_at: datetime
    pulls: list[int]


class LeftOut(Schema):
    setup: int
    pulls: int
    change_min: float
    pulling_min: float
    ends_at: datetime
    fits: bool


class ProgressOut(Schema):
    """`projected` and `late_min` are empty before the first pull and once all is done."""

    done: list[DoneOut]
    left: list[LeftOut]
    now: datetime
    planned_start: datetime | None
    planned_finish: datetime | None
    paid_until: datetime | None
    paid_left_min: float | None
    projected: datetime | None
    late_min: float | None


@router.get("/programmes/{programme_id}/progress", response=ProgressOut, operation_id="progress")
def read_progress(request: HttpRequest, programme_id: int) -> ProgressOut:
    assert is_person(request.user)
    seen = Programme.objects.visible_to(request.user).select_related("build__engine", "day_rules")
    programme = get_object_or_404(seen.prefetch_related(*plans.PLAN_ROWS, "build__readings"), pk=programme_id)
    plan = plans.of_programme(programme)
    laid = orders.lay_out(plan, programme.build)
    found = progress.progress(programme, plan, laid.finishes_at, timezone.now())
    return ProgressOut(
        done=[DoneOut(setup=one.setup, session=one.session, starts_at=one.starts_at, ends_at=one.ends_at,
                      pulls=list(one.pulls)) for one in found.done],
        left=[LeftOut(setup=one.setup, pulls=one.pulls, change_min=one.change_min, pulling_min=one.pulling_min,
                      ends_at=one.ends_at, fits=one.fits) for one in found.left],
        now=found.now, planned_start=plans.origin(plan), planned_finish=laid.finishes_at, paid_until=found.paid_until,
        paid_left_min=found.paid_left_min, projected=found.projected, late_min=found.late_min,
    )  # fmt: skip
