"""Maps of stands as they are written, read and taken; and whether one has passed a conformance run as it is."""

from __future__ import annotations

from typing import Any

from adapters import stand_map
from adapters.stand_map import MapProblem, StandMap, digest
from jobs.models import Job, JobState
from shop.models import Stand
from shop.refusals import Invalid

CONFORMANCE = "conform_map"  # the kind of job


def checked(document: dict[str, Any]) -> StandMap:
    """Invalid names the places. What it says itself of having passed is not believed."""
    try:
        return _proven(_fitting(stand_map.checked(document)))
    except MapProblem as problem:
        raise Invalid("This map is not whole: see the marked places.", fields=places(problem)) from problem


def read(text: str) -> StandMap:
    """The map that a file is; Invalid names the places."""
    try:
        return _proven(_fitting(stand_map.read(text)))
    except MapProblem as problem:
        wrong = "; ".join(f"{place}: {why}" if place else why for place, why in problem.errors.items())
        raise Invalid(f"This file is no map that can be used: {wrong}.", fields=places(problem)) from problem


def places(problem: MapProblem) -> dict[str, str]:
    return {f"map.{place}" if place else "map": why for place, why in problem.errors.items()}


def _fitting(found: StandMap) -> StandMap:
    from adapters.dbc import check_fit  # where it is used: it brings in the reader of such files

    check_fit(found)
    return found


def _proven(found: StandMap) -> StandMap:
    """With the digest where this very map passed here, as a job or as that of a stand; else it only reports."""
    if found.control:
        passed = digest(found)
        by_job = Job.objects.filter(kind=CONFORMANCE, state=JobState.DONE, result__digest=passed)
        known = by_job.exists() or any(
            stand_map.read(text).has_conformed
            for text in Stand.objects.filter(map__contains=f'"{passed}"').values_list("map", flat=True)
        )
        found.control.conformed = passed if known else ""
    return found
