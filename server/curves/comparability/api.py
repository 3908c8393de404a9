"""Comparability: of two pulls or setups, of all kept pulls, its windows, and letting a pull in."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router
from torvix_core.air.standards import Standard
from torvix_core.pull.comparability import ComparabilityWindow

from curves.comparability import messages as comparing_words
from curves.comparability import pull_screening, tunes
from curves.comparability.schemas import (
    ComparisonOut,
    ComparisonWindowOut,
    JudgedOut,
    ReasonIn,
    WindowsIn,
    comparison_out,
    judged_out,
    windows_out,
)
from curves.reduction import correct
from programmes.models import Programme
from shop.models import Person
from shop.permissions import is_person, units_of
from shop.refusals import Invalid
from stand.models import Pull

router = Router(tags=["comparability"])
WINDOWS = "/programmes/{programme_id}/comparison-windows"


@router.get("/programmes/{programme_id}/comparability", response=ComparisonOut, operation_id="comparability")
def read_comparison(
    request: HttpRequest, programme_id: int, first: int | None = None, second: int | None = None,
    first_setup: int | None = None, second_setup: int | None = None,
) -> ComparisonOut:  # fmt: skip
    """Two pulls by their ids, or the kept pulls of two setups: the second against the first."""
    assert is_person(request.user)
    programme = _programme(request.user, programme_id)
    pulls, units = correct.pulls_of(programme), units_of(request.user)
    if first_setup is not None and second_setup is not None:
        one, other = (get_object_or_404(programme.setups, pk=pk) for pk in (first_setup, second_setup))
        kept = correct.kept_of(pulls, Standard(programme.standard))
        return comparison_out(pull_screening.between_setups(programme, one, other, kept), units)
    known = {pull.pk: pull for pull in pulls}
    if first not in known or second not in known:
        raise Invalid("Name two pulls of this test, or two of its setups.", fields={"first": "not a pull of it"})
    return comparison_out(
        pull_screening.between(programme, known[first], known[second], Standard(programme.standard)), units
    )


@router.get("/programmes/{programme_id}/comparability-results", response=list[JudgedOut], operation_id="judged_pulls")
def read_judged(request: HttpRequest, programme_id: int) -> list[JudgedOut]:
    """Every kept pull held against the baseline nearest to it."""
    assert is_person(request.user)
    return judged_out(_programme(request.user, programme_id), units_of(request.user))


@router.get(WINDOWS, response=list[ComparisonWindowOut], operation_id="comparison_windows")
def read_windows(request: HttpRequest, programme_id: int) -> list[ComparisonWindowOut]:
    assert is_person(request.user)
    return windows_out(_programme(request.user, programme_id), units_of(request.user))


@router.put(WINDOWS, response=list[ComparisonWindowOut], operation_id="set_comparison_windows")
def set_windows(request: HttpRequest, programme_id: int, given: WindowsIn) -> list[ComparisonWindowOut]:
    assert is_person(request.user)
    programme, units = _programme(request.user, programme_id), units_of(request.user)
    wanted = {
        window.key: ComparabilityWindow(
            comparing_words.stored(window.key, window.note, units),
            comparing_words.stored(window.key, window.block, units),
        )
        for window in given.windows
    }
    pull_screening.set_windows(request.user, programme, wanted)
    return windows_out(programme, units)


@router.post("/pulls/{pull_id}/let-in", response=list[JudgedOut], operation_id="let_pull_in")
def let_in(request: HttpRequest, pull_id: int, given: ReasonIn) -> list[JudgedOut]:
    assert is_person(request.user)
    pull = _pull(request.user, pull_id)
    pull_screening.let_in(request.user, pull, given.reason, timezone.now())
    return judged_out(pull.session.programme, units_of(request.user))


@router.delete("/pulls/{pull_id}/let-in", response=list[JudgedOut], operation_id="shut_pull_out")
def shut_out(request: HttpRequest, pull_id: int) -> list[JudgedOut]:
    assert is_person(request.user)
    pull = _pull(request.user, pull_id)
    pull_screening.shut_out(request.user, pull)
    return judged_out(pull.session.programme, units_of(request.user))


@router.post("/pulls/{pull_id}/standing-tune", response=list[JudgedOut], operation_id="choose_tune")
def choose_tune(request: HttpRequest, pull_id: int) -> list[JudgedOut]:
    """The tune of this pull stands for its setup, where the rule of the test is a chosen one."""
    assert is_person(request.user)
    pull = _pull(request.user, pull_id)
    tunes.choose_tune(request.user, pull, timezone.now())
    return judged_out(pull.session.programme, units_of(request.user))


def _programme(person: Person, programme_id: int) -> Programme:
    return get_object_or_404(Programme.objects.visible_to(person), pk=programme_id)


def _pull(person: Person, pull_id: int) -> Pull:
    seen = Programme.objects.visible_to(person)
    return get_object_or_404(
        Pull.objects.select_related("session__programme").filter(session__programme__in=seen), pk=pull_id
    )
