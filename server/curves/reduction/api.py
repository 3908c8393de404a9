"""The inspector: one pull raw and reduced, and how it is to be reduced."""

from __future__ import annotations

import numpy as np
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router
from torvix_core.pull import inertia
from torvix_core.units import quantities

from curves.reduction import inspection
from curves.reduction.schemas import (
    InertiaOut,
    InspectionOut,
    RawOut,
    ReduceIn,
    SeriesOut,
    inertia_out,
    inspection_out,
    listed_out,
    unit_out,
)
from curves.reduction.standard import standard_asked
from programmes.models import Programme
from shop.models import Person
from shop.permissions import is_person, require_operator, units_of
from shop.refusals import Invalid, Refusal
from stand.live.display import channel_name
from stand.models import Pull
from stand.pulls.samples import units_by_channel

router = Router(tags=["inspector"])


def _pull(person: Person, pull_id: int) -> Pull:
    seen = Programme.objects.visible_to(person)
    rows = Pull.objects.filter(session__programme__in=seen).select_related(
        "reduced", "session__programme", "session__stand", "setup", "build", "operator", "judged_by"
    )
    return get_object_or_404(rows, pk=pull_id)


@router.get("/pulls/{pull_id}/raw", response=RawOut, operation_id="raw_samples")
def read_raw(request: HttpRequest, pull_id: int) -> RawOut:
    """Every channel as it was recorded, in the person's units; thinned to what a screen can show."""
    assert is_person(request.user)
    pull, units = _pull(request.user, pull_id), units_of(request.user)
    wanted = {name: unit_out(name, units) for name in units_by_channel(pull)}
    channels = inspection.raw_channels(pull, wanted)
    time = channels[0].time if channels else np.empty(0)
    return RawOut(
        time_s=[round(float(value), 4) for value in time],
        series=[
            SeriesOut(
                key=channel.name, name=channel_name(channel.name), unit=channel.unit, values=listed_out(channel.values)
            )
            for channel in channels
        ],
        thinned=len(time) >= inspection.MOST_POINTS,
    )


@router.get("/pulls/{pull_id}/inspection", response=InspectionOut, operation_id="inspection")
def read_inspection(request: HttpRequest, pull_id: int, standard: str = "") -> InspectionOut:
    assert is_person(request.user)
    pull = _pull(request.user, pull_id)
    chosen = standard_asked(pull.session.programme, standard)
    return inspection_out(pull, chosen, units_of(request.user))


@router.put("/pulls/{pull_id}/reduction", response=InspectionOut, operation_id="reduce_as")
def reduce_as(request: HttpRequest, pull_id: int, given: ReduceIn, standard: str = "") -> InspectionOut:
    """Reduce it with cuts or inertia of one's own; the raw samples stay as they are."""
    assert is_person(request.user)
    pull, units = _pull(request.user, pull_id), units_of(request.user)
    settings = given.model_dump()
    if settings["inertia"] is not None:
        settings["inertia"] = float(quantities.to_si(settings["inertia"], units["inertia"]))
    inspection.reduce_as(request.user, pull, inspection.ReductionSettings(**settings), timezone.now())
    pull = _pull(request.user, pull_id)
    return inspection_out(pull, standard_asked(pull.session.programme, standard), units)


@router.get("/pulls/{pull_id}/inertia", response=InertiaOut, operation_id="inertia_from_two_rates")
def estimate_inertia(request: HttpRequest, pull_id: int, other: int) -> InertiaOut:
    """The inertia that two pulls of one setup at different sweep rates give."""
    assert is_person(request.user)
    require_operator(request.user)
    units = units_of(request.user)
    pulls = [_pull(request.user, pull_id), _pull(request.user, other)]
    if pulls[0].setup_id != pulls[1].setup_id:
        raise Invalid("Both pulls must be of one setup.", fields={"other": "a pull of the same setup"})
    torques, rates, speeds = [], [], []
    for pull in pulls:
        if (reduced := getattr(pull, "reduced", None)) is None or reduced.sweep_rate_rpm_s is None:
            raise Refusal(f"{pull} gave no curve from samples.", code="no_curve")
        torques.append(np.array(reduced.torque) - inertia_out(reduced))
        rates.append(reduced.sweep_rate_rpm_s)
        speeds.append(np.array(reduced.speed_rpm))
    shared, one, two = np.intersect1d(speeds[0], speeds[1], return_indices=True)
    try:
        found = inertia.from_two_rates(
            (torques[0][one], torques[1][two]), (np.full(len(shared), rates[0]), np.full(len(shared), rates[1]))
        )
    except ValueError as error:
        raise Invalid(f"No inertia from these two: {error}.", fields={"other": str(error)}) from error
    unit = units["inertia"]
    value, half = (float(quantities.from_si(part, unit)) for part in (found.inertia, found.half_width))
    return InertiaOut(
        inertia=value, half_width=half, unit=unit, bins=found.bins,
        words=f"{value:.3g} ± {half:.2g} {unit} from {found.bins} bins at {rates[0]:.0f} and {rates[1]:.0f} rpm/s",
    )  # fmt: skip
