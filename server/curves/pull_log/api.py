"""The log of pulls with their figures, and single curves."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema
from torvix_core.air.standards import Standard
from torvix_core.units import quantities

from curves.comparability import messages as comparing_words
from curves.comparability import pull_screening
from curves.post_pull import messages as after_words
from curves.post_pull.post_pull_check import after_pull
from curves.reduction import correct, messages
from curves.reduction.inspection import anomaly_words
from programmes.models import Programme
from shop.permissions import is_person, units_of
from shop.refusals import Invalid, Refusal
from stand.models import Pull

router = Router(tags=["curves"])


class PeakOut(Schema):
    value: float
    speed_rpm: float
    still_climbing: bool


class PullComparable(Schema):
    """Held against pull `against` of the baseline; `counts` says whether it is in the verdict."""

    against: int | None
    level: str
    line: str
    counts: bool
    let_in_reason: str


class PullRow(Schema):
    """A line of the log. Without a curve, `no_curve` says why."""

    id: int
    number: int
    setup_id: int
    revision: int
    started_at: datetime | None
    made_on: datetime  # its day also where nobody knows the hour, as of an imported one
    operator: str
    state: str
    state_label: str
    standing: str
    standing_label: str
    excluded_reason: str
    ended_why: str
    override_reason: str
    judged_by: str
    first_after_change: bool
    samples_lost: int
    factor: float | None
    factor_inside: bool
    peak_torque: PeakOut | None
    peak_power: PeakOut | None
    no_curve: str
    findings: list[str]
    anomalies: list[str]
    origin: str
    origin_label: str
    source: str
    comparable: PullComparable | None


class PullLog(Schema):
    torque_unit: str
    power_unit: str
    standard: str
    rows: list[PullRow]


class CurveOut(Schema):
    pull_id: int
    number: int
    setup_id: int
    torque_unit: str
    speed_rpm: list[float]
    torque: list[float]


def standard_asked(programme: Programme, asked: str) -> Standard:
    """The standard to look at: the one asked for, else the programme's."""
    from programmes.models import STANDARDS

    try:
        standard = Standard(asked or programme.standard)
        if standard not in STANDARDS:
            raise ValueError
    except ValueError as error:
        raise Invalid(f"There is no standard {asked!r}.", fields={"standard": ", ".join(STANDARDS)}) from error
    return standard


def _row(
    pull: Pull, standard: Standard, units: Mapping[str, str], judged: pull_screening.ScreenedPull | None
) -> PullRow:
    torque_unit, power_unit = units["torque"], units["power"]
    peaks: list[PeakOut | None] = [None, None]
    factor, inside, why = None, True, ""
    try:
        found = correct.corrected(pull, standard)
        factor, inside = found.factor, found.inside
        peaks = [
            PeakOut(value=float(quantities.from_si(top.value, unit)), speed_rpm=top.speed_rpm,
                    still_climbing=top.still_climbing)
            for top, unit in zip(found.peaks(), (torque_unit, power_unit), strict=True)
        ]  # fmt: skip
    except Refusal as refusal:
        why = str(refusal)
    reduced = getattr(pull, "reduced", None)
    return PullRow(
        id=pull.pk,
        number=pull.number,
        setup_id=pull.setup_id,
        revision=pull.build.revision,
        started_at=pull.started_at,
        made_on=pull.started_at or pull.armed_at,
        operator=str(pull.operator),
        state=pull.state,
        state_label=pull.get_state_display(),
        standing=pull.standing,
        standing_label=pull.get_standing_display(),
        excluded_reason=pull.excluded_reason,
        ended_why=pull.ended_why,
        override_reason=pull.override_reason,
        judged_by=str(pull.judged_by or ""),
        first_after_change=pull.first_after_change,
        samples_lost=pull.samples_lost,
        factor=factor,
        factor_inside=inside,
        peak_torque=peaks[0],
        peak_power=peaks[1],
        no_curve=why,
        findings=[messages.finding_words(finding) for finding in reduced.findings] if reduced else [],
        anomalies=[anomaly_words(odd, units) for odd in reduced.anomalies] if reduced else [],
        origin=pull.origin,
        origin_label=pull.get_origin_display(),
        source=pull.source,
        comparable=_comparable(judged, units) if judged else None,
    )


def _comparable(judged: pull_screening.ScreenedPull, units: Mapping[str, str]) -> PullComparable:
    return PullComparable(
        against=judged.against.number if judged.against else None,
        level=judged.level,
        line=comparing_words.line(judged.checks, units) if judged.against else "",
        counts=judged.counts,
        let_in_reason=judged.let_in.reason if judged.let_in else "",
    )


@router.get("/programmes/{programme_id}/pulls", response=PullLog, operation_id="pull_log")
def pull_log(request: HttpRequest, programme_id: int, standard: str = ""):
    assert is_person(request.user)
    programme = get_object_or_404(Programme.objects.visible_to(request.user), pk=programme_id)
    chosen, units = standard_asked(programme, standard), units_of(request.user)
    pulls = correct.pulls_of(programme)
    judged = pull_screening.judge(programme, correct.kept_of(pulls, Standard(programme.standard)))
    return PullLog(
        torque_unit=units["torque"],
        power_unit=units["power"],
        standard=chosen,
        rows=[_row(pull, chosen, units, judged.get(pull.pk)) for pull in pulls],
    )


@router.get("/pulls/{pull_id}/curve", response=CurveOut, operation_id="observed_curve")
def observed_curve(request: HttpRequest, pull_id: int):
    """The observed curve of one pull, for laying under a live one."""
    assert is_person(request.user)
    seen = Programme.objects.visible_to(request.user)
    pull = get_object_or_404(Pull.objects.select_related("reduced").filter(session__programme__in=seen), pk=pull_id)
    found, unit = correct.corrected(pull, Standard.OBSERVED), units_of(request.user)["torque"]
    return CurveOut(
        pull_id=pull.pk,
        number=pull.number,
        setup_id=pull.setup_id,
        torque_unit=unit,
        speed_rpm=found.speed_rpm.tolist(),
        torque=quantities.from_si(found.torque, unit).tolist(),
    )


class AfterPullOut(Schema):
    """Shares are in per cent. `sibling` is empty where no pull of the same setup went before; `ready` then, too.

    `repeats`: they overlay. `beside`: why they cannot confirm each other all the same.
    """

    pull: int
    sibling: int | None
    mean_percent: float | None
    worst_percent: float | None
    worst_rpm: float | None
    repeats: bool
    beside: str
    ready: bool
    observed: bool
    changed: list[str]
    climbs: bool
    climb_per_100_rpm: float | None
    power_unit: str
    extend_to_rpm: float | None
    hints: list[str]
    hazard: str


@router.get("/pulls/{pull_id}/after", response=AfterPullOut, operation_id="after_pull")
def read_after(request: HttpRequest, pull_id: int):
    """What a pull that has ended says at once: whether it repeats, what was changed, whether to sweep further."""
    assert is_person(request.user)
    seen = Programme.objects.visible_to(request.user)
    rows = Pull.objects.filter(session__programme__in=seen)
    pull = get_object_or_404(rows.select_related("reduced", "session__programme", "setup", "build"), pk=pull_id)
    found = after_pull(pull.session.programme, pull)
    lies, rises, unit = found.overlay, found.climb, units_of(request.user)["power"]
    return AfterPullOut(
        pull=pull.number, sibling=found.sibling.number if found.sibling else None,
        mean_percent=lies.mean * 100 if lies else None, worst_percent=lies.worst * 100 if lies else None,
        worst_rpm=lies.worst_rpm if lies else None, repeats=bool(lies and lies.ready),
        beside=found.beside if lies else "", ready=found.ready, observed=found.observed,
        changed=list(found.changed), climbs=bool(rises and rises.climbs),
        climb_per_100_rpm=float(quantities.from_si(rises.per_100_rpm, unit)) if rises else None, power_unit=unit,
        extend_to_rpm=found.extend_to_rpm, hints=after_words.hints(found, units_of(request.user)),
        hazard=after_words.hazard(found),
    )  # fmt: skip
