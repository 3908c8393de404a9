"""The mixture adviser of one pull."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router
from torvix_core.tuning.mixture_advice import JetAdvice

from curves.mixture import jet_cases, messages, service
from programmes.models import Programme
from shop.permissions import is_person
from shop.schema import Schema
from stand.models import Pull

router = Router(tags=["mixture"])


class PredictedMixture(Schema):
    """Lambda at a speed with the jets that are advised, and between what it should lie in 95 of 100 cases."""

    speed_rpm: float
    expected: float
    low: float
    high: float


class MixtureAdviceOut(Schema):
    """Sentences; `jets` by the key of their setting where some are advised, so that they can be entered as fitted.

    `predicted` is the mixture curve that these jets should give; empty where none are advised.
    """

    reading: str
    banks: str
    hazard: str
    advice: str
    basis: list[str]
    scored: list[str]
    jets: dict[str, str]
    predicted: list[PredictedMixture]


@router.get("/pulls/{pull_id}/mixture-advice", response=MixtureAdviceOut, operation_id="mixture_advice")
def read_advice(request: HttpRequest, pull_id: int) -> MixtureAdviceOut:
    """Where the mixture of a pull lies, which jets should bring it to its target, and how earlier advice came out."""
    assert is_person(request.user)
    seen = Programme.objects.visible_to(request.user)
    rows = Pull.objects.filter(session__programme__in=seen).select_related(
        "reduced", "session__programme", "setup", "build"
    )
    rows = rows.prefetch_related("reduced__channel_means", "reduced__anomalies", "settings", "setup__parts")
    found = service.work(get_object_or_404(rows, pk=pull_id))
    mine = set(seen.values_list("pk", flat=True))
    jets = found.advice.jets if isinstance(found.advice, JetAdvice) else {}
    return MixtureAdviceOut(
        reading=messages.reading_words(found), banks=messages.bank_words(found), hazard=messages.hazard_words(found),
        advice=messages.advice_words(found), basis=messages.basis_words(found),
        # The same carburetor may have been on an engine that is nobody else's business.
        scored=[messages.scored_words(one) for one in found.scored if one.case.pull.session.programme_id in mine],
        predicted=_predicted(found),
        jets={f"{jet_cases.JET_KEY}{position}": f"{number:g}" for position, number in jets.items()},
    )  # fmt: skip


def _predicted(found: service.MixtureWork) -> list[PredictedMixture]:
    advice = found.advice
    if not isinstance(advice, JetAdvice) or found.speed_rpm is None:
        return []
    rows = zip(found.speed_rpm.tolist(), advice.curve.tolist(), advice.curve_low.tolist(), advice.curve_high.tolist(),
               strict=True)  # fmt: skip
    return [PredictedMixture(speed_rpm=speed, expected=at, low=low, high=high) for speed, at, low, high in rows]
