"""The log of pulls with their figures, and single curves."""

from __future__ import annotations

from django.db.models import prefetch_related_objects
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router
from torvix_core.air.standards import Standard
from torvix_core.engine.geometry import power
from torvix_core.units import quantities

from curves.comparability import pull_screening
from curves.models import StandingTune
from curves.post_pull import messages as after_words
from curves.post_pull.post_pull_check import after_pull
from curves.pull_log.schemas import AfterPullOut, CurveOut, PullLog, PullRow, pull_row
from curves.reduction import correct, not_repaired
from curves.reduction.standard import standard_asked
from programmes.models import Programme, TuneRule
from programmes.settings import tune_sizes
from shop.permissions import is_person, units_of
from stand.models import Pull

router = Router(tags=["curves"])


@router.get("/programmes/{programme_id}/pulls", response=PullLog, operation_id="pull_log")
def pull_log(request: HttpRequest, programme_id: int, standard: str = "") -> PullLog:
    assert is_person(request.user)
    programme = get_object_or_404(Programme.objects.visible_to(request.user), pk=programme_id)
    chosen, units = standard_asked(programme, standard), units_of(request.user)
    pulls = correct.pulls_of(programme)
    prefetch_related_objects(pulls, "reduced__findings", "reduced__anomalies")
    judged = pull_screening.judge(programme, correct.kept_of(pulls, Standard(programme.standard)))
    standing = set(StandingTune.objects.filter(setup__programme=programme).values_list("pull_id", flat=True))
    rows: list[PullRow] = []
    sizes = tune_sizes.tables(units)
    beyond = not_repaired.of_pulls(programme, pulls, chosen, units)
    before: dict[tuple[int, int], Pull] = {}
    for pull in sorted(pulls, key=lambda one: one.number):
        visit = pull.session_id, pull.setup_id
        rows.append(pull_row(
            pull, chosen, units, judged.get(pull.pk), before.get(visit), pull.pk in standing, sizes, beyond[pull.pk]
        ))  # fmt: skip
        before[visit] = pull
    return PullLog(torque_unit=units["torque"], power_unit=units["power"], standard=chosen,
                   tune_rule=TuneRule(programme.tune_rule).label, tune_chosen=programme.tune_rule == TuneRule.CHOSEN,
                   rows=rows)  # fmt: skip


@router.get("/pulls/{pull_id}/curve", response=CurveOut, operation_id="observed_curve")
def observed_curve(request: HttpRequest, pull_id: int) -> CurveOut:
    """The observed curve of one pull, for laying under a live one."""
    assert is_person(request.user)
    seen = Programme.objects.visible_to(request.user)
    pull = get_object_or_404(Pull.objects.select_related("reduced").filter(session__programme__in=seen), pk=pull_id)
    found, units = correct.corrected(pull, Standard.OBSERVED), units_of(request.user)
    return CurveOut(
        pull_id=pull.pk,
        number=pull.number,
        setup_id=pull.setup_id,
        torque_unit=units["torque"],
        power_unit=units["power"],
        speed_rpm=found.speed_rpm.tolist(),
        torque=quantities.from_si(found.torque, units["torque"]).tolist(),
        power=quantities.from_si(power(found.torque, found.speed_rpm), units["power"]).tolist(),
    )


@router.get("/pulls/{pull_id}/post-pull-check", response=AfterPullOut, operation_id="after_pull")
def read_after(request: HttpRequest, pull_id: int) -> AfterPullOut:
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
