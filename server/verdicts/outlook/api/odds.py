"""Simulate a plan before it is paid for."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router

from jobs import service as jobs
from jobs.schemas import JobOut, job_out
from programmes.models import Programme
from shop.permissions import is_person, require_operator
from shop.schema import Schema
from verdicts.outlook import odds
from verdicts.prior.scatter_history import scatter_of

router = Router(tags=["odds"])


class AssumedEffect(Schema):
    """What a setup is assumed to be worth, as typed: per cent of the baseline."""

    setup_id: int
    text: str


class OddsIn(Schema):
    effects: list[AssumedEffect]
    days: str = "1000"
    refit: str = ""


class Assumptions(Schema):
    """What a simulation would begin with: what people expect, and the engine's own scatter."""

    effects: list[AssumedEffect]
    scatter_percent: float
    scatter_is_default: bool
    drift_percent_per_pull: float
    drift_sd_percent_per_pull: float
    cold_percent: float


def _programme(request: HttpRequest, programme_id: int) -> Programme:
    assert is_person(request.user)
    seen = Programme.objects.visible_to(request.user).select_related("build")
    return get_object_or_404(seen.prefetch_related("setups__expectations"), pk=programme_id)


@router.get("/programmes/{programme_id}/odds", response=Assumptions, operation_id="odds_assumptions")
def read_assumptions(request: HttpRequest, programme_id: int) -> Assumptions:
    programme = _programme(request, programme_id)
    scatter = scatter_of(programme)
    habits = odds.habits_of(scatter.history)
    return Assumptions(
        effects=[AssumedEffect(setup_id=setup, text=f"{share * 100:.3g}")
                 for setup, share in odds.expected_effects(programme).items()],
        scatter_percent=habits.scatter * 100,
        scatter_is_default=not scatter.degrees_of_freedom, drift_percent_per_pull=habits.drift_per_pull * 100,
        drift_sd_percent_per_pull=habits.drift_sd * 100,
        cold_percent=habits.cold_part * 100,
    )  # fmt: skip


@router.post("/programmes/{programme_id}/odds", response=JobOut, operation_id="simulate_plan")
def simulate(request: HttpRequest, programme_id: int, given: OddsIn) -> JobOut:
    """Run the plan many times on the simulated engine; the answer is a job."""
    assert is_person(request.user)
    require_operator(request.user)
    programme = _programme(request, programme_id)
    asked = odds.arguments(
        programme, {effect.setup_id: effect.text for effect in given.effects}, given.days, given.refit
    )
    subject, about = f"programme {programme.pk}", str(programme)
    return job_out(jobs.ask(request.user, odds.KIND, subject, asked, timezone.now(), about=about))
