"""Plan a programme, change its plan, and change what is in force in it."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime

from django.db import transaction
from torvix_core.air.standards import DEFINITIONS, Standard

from engines.models import Build
from programmes.models import (
    STANDARDS,
    DayRules,
    PlannedSession,
    Programme,
    Setup,
    SetupSetting,
    SlotWork,
    Step,
    Window,
)
from programmes.plan import criteria, versions
from programmes.plan.plans import PLAN_ROWS, Plan, PlannedSetup, of_programme
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Invalid


@transaction.atomic
def plan_programme(person: Person, at: datetime, build: Build, plan: Plan) -> Programme:
    """A new programme of a plan whose first setup is the baseline. Rows of another programme are made anew."""
    require_operator(person)
    setups = [replace(setup, pk=None, position=place) for place, setup in enumerate(plan.setups)]
    plan = replace(plan, setups=setups, order=[replace(visit, pk=None) for visit in plan.order])
    criteria.within_redline(plan.sweep.end_rpm + plan.extension_rpm, build)
    programme = Programme(build=build, created_at=at, created_by=person)
    _write_programme(programme, plan)
    for position, planned in enumerate(plan.setups):
        _write_setup(Setup(programme=programme, position=position, is_baseline=position == 0), planned)
    _write_day(programme, plan, {})
    # A change of plan leaves the windows alone: the form does not hold them.
    Window.objects.bulk_create(
        Window(programme=programme, channel=channel, low=low, high=high)
        for channel, (low, high) in plan.windows.items()
    )
    versions.keep(programme, plan_in_force(programme), person, at)
    return programme


@transaction.atomic
def change_plan(person: Person, programme: Programme, plan: Plan, at: datetime) -> Programme:
    """Put another plan in force. What was pulled stays as it was: its setup, its visits, and its plan on record."""
    require_operator(person)
    programme = Programme.objects.select_for_update().get(pk=programme.pk)
    criteria.within_redline(plan.sweep.end_rpm + plan.extension_rpm, programme.build)
    held = {setup.pk: setup for setup in programme.setups.prefetch_related("parts", "settings")}
    steps = {step.pk: step for step in programme.steps.all()}
    wrong = {**_changed_setups(held, plan), **_changed_visits(programme, steps, plan)}
    if wrong:
        raise Invalid("What has been pulled stays as it was: see the fields.", fields=wrong)
    _write_programme(programme, plan)
    kept = {planned.pk for planned in plan.setups if planned.pk}
    Step.objects.filter(programme=programme, setup__in=[pk for pk in held if pk not in kept]).delete()
    Setup.objects.filter(programme=programme).exclude(pk__in=kept).delete()
    free = (position for position in range(1000) if position not in {held[pk].position for pk in kept if pk})
    for planned in plan.setups:
        row = held[planned.pk] if planned.pk else Setup(programme=programme, position=next(free))
        _write_setup(row, planned)
    _write_day(programme, plan, steps)
    versions.keep(programme, plan_in_force(programme), person, at)
    return programme


def plan_in_force(programme: Programme) -> Plan:
    """The plan as the tables hold it, with the letters of its setups."""
    written = Programme.objects.select_related("day_rules").prefetch_related(*PLAN_ROWS).get(pk=programme.pk)
    return of_programme(written)


def _changed_setups(held: dict[int, Setup], plan: Plan) -> dict[str, str]:
    """What a change of plan would do to setups that were pulled, by field."""
    wrong = {}
    for place, planned in enumerate(plan.setups):
        if planned.pk is None:
            continue
        row = held.get(planned.pk)
        if row is None:
            wrong[f"setups.{place}.name"] = "This setup was taken out in the meantime. Reload the plan."
        elif row.pulled and _contents(row) != _planned_contents(planned):
            wrong[f"setups.{place}.parts"] = (
                f"{row.letter} has been pulled: what was on it stays. Plan another setup for the change."
            )
        elif row.is_baseline != (place == 0):
            wrong[f"setups.{place}.name"] = "The baseline stays the baseline."
    left = {planned.pk for planned in plan.setups}
    for row in held.values():
        if row.pk not in left and (row.pulled or row.is_baseline):
            wrong["setups"] = f"{row.letter} {row.name} has been pulled or is the baseline: it cannot be taken out."
    return wrong


def _contents(row: Setup) -> tuple[frozenset[int], frozenset[tuple[str, str]]]:
    return frozenset(part.pk for part in row.parts.all()), frozenset(
        (setting.key, setting.text) for setting in row.settings.all()
    )


def _planned_contents(planned: PlannedSetup) -> tuple[frozenset[int], frozenset[tuple[str, str]]]:
    return (
        frozenset(part.pk for part in planned.parts),
        frozenset((key, setting.text) for key, setting in planned.settings.items()),
    )


def _changed_visits(programme: Programme, steps: dict[int, Step], plan: Plan) -> dict[str, str]:
    """Visits that pulls were made for stay in the order, with their setup."""
    made = set(Step.objects.filter(programme=programme, pulls_made__isnull=False).values_list("pk", flat=True))
    kept = {visit.pk: plan.setups[visit.setup].pk for visit in plan.order if visit.pk}
    for pk in made:
        if kept.get(pk) != steps[pk].setup_id:
            return {"order": f"Visit {steps[pk].position + 1} has been pulled already: it stays in the order."}
    return {}


def _write_programme(programme: Programme, plan: Plan) -> None:
    objective = plan.objective
    programme.question, programme.standard = plan.question, plan.standard
    programme.low_rpm, programme.high_rpm = plan.range_rpm
    programme.sweep_start_rpm, programme.sweep_end_rpm = plan.sweep.start_rpm, plan.sweep.end_rpm
    programme.sweep_rate_rpm_s, programme.extension_rpm = plan.sweep.rate_rpm_s, plan.extension_rpm
    programme.smallest_difference, programme.held_constant = plan.smallest_difference, plan.held_constant
    programme.kind, programme.answers_change, programme.stand_in = plan.kind, plan.answers_change, plan.stand_in
    programme.boost_school, programme.boost_policy = plan.boost_school, plan.boost_policy
    programme.mixture_policy = plan.mixture_policy
    programme.tune_rule = plan.tune_rule
    programme.duty = {"preset": objective.preset, "points": [list(point) for point in objective.points]}
    programme.height_limit, programme.must_look_stock = objective.height_limit, objective.must_look_stock
    programme.cost_ceiling, programme.fixed_slots = objective.cost_ceiling, list(objective.fixed_slots)
    programme.save()


def _write_setup(row: Setup, planned: PlannedSetup) -> None:
    row.name, row.planned_pulls, row.visits, row.place = planned.name, planned.pulls, planned.visits, planned.place
    row.available_at, row.candidate, row.candidate_reason = planned.available_at, planned.candidate, planned.reason
    row.protected = planned.protected
    row.save()
    if row.pulled:
        return
    row.parts.set(planned.parts)
    row.settings.all().delete()
    SetupSetting.objects.bulk_create(
        SetupSetting(setup=row, key=key, text=setting.text, value=setting.value)
        for key, setting in planned.settings.items()
    )


def _write_day(programme: Programme, plan: Plan, steps: dict[int, Step]) -> None:
    rows = list(programme.setups.order_by("position"))
    by_pk = {row.pk: row for row in rows}
    new = iter([row for row in rows if row.pk not in {planned.pk for planned in plan.setups}])
    made = [by_pk[planned.pk] if planned.pk else next(new) for planned in plan.setups]
    for row, planned in zip(made, plan.setups, strict=True):
        row.based_on = None if planned.based_on is None else made[planned.based_on]
        row.save(update_fields=["based_on"])
    _write_order(programme, plan, made, steps)
    for held in (programme.works, programme.planned_sessions):
        held.all().delete()
    SlotWork.objects.bulk_create(
        SlotWork(programme=programme, key=row.key, label=row.label, remove_min=row.work.remove_min,
                 install_min=row.work.install_min, under=list(row.work.under))
        for row in plan.rows
    )  # fmt: skip
    PlannedSession.objects.bulk_create(
        PlannedSession(programme=programme, position=position, starts_at=one.starts_at, paid_min=one.paid_min)
        for position, one in enumerate(plan.sessions)
    )
    times = plan.times
    DayRules.objects.update_or_create(programme=programme, defaults={
        "warm_up_min": times.warm_up_min, "pull_min": times.pull_min, "cool_down_min": times.cool_down_min,
        "conditioning_pulls": times.conditioning_pulls, "return_every": times.return_every,
        "return_pulls": times.return_pulls, "fuel_available": times.fuel_available, "fuel_pull": times.fuel_pull,
        "fuel_warm_up": times.fuel_warm_up, "hour_price": times.hour_price,
        "tuning_min": times.tuning_min, "check_pass_first": times.check_pass_first,
    })  # fmt: skip


def _write_order(programme: Programme, plan: Plan, made: list[Setup], steps: dict[int, Step]) -> None:
    """Visits that are still in the order keep their row, because pulls count towards it."""
    Step.objects.filter(programme=programme).exclude(pk__in=[visit.pk for visit in plan.order if visit.pk]).delete()
    # Positions are unique: what stays steps aside before it is numbered anew.
    for aside, step in enumerate(steps.values()):
        Step.objects.filter(pk=step.pk).update(position=10_000 + aside)
    for position, visit in enumerate(plan.order):
        row = steps.get(visit.pk or 0) or Step(programme=programme)
        row.position, row.setup, row.pulls, row.session = position, made[visit.setup], visit.pulls, visit.session
        row.save()


def choose_build(person: Person, programme: Programme, build: Build) -> Programme:
    """Go on with another revision of the same engine. Pulls that were made stay with theirs."""
    require_operator(person)
    if build.engine_id != programme.build.engine_id:
        raise Invalid("A test stays with its engine.", fields={"build_id": "choose a revision of the same engine"})
    criteria.within_redline(programme.sweep_end_rpm, build)
    programme.build = build
    programme.save(update_fields=["build"])
    return programme


@transaction.atomic
def choose_standard(person: Person, programme: Programme, standard: str, at: datetime) -> Programme:
    """Put a standard in force for everybody who reads this programme."""
    require_operator(person)
    if standard not in STANDARDS:
        raise Invalid(
            "This standard cannot be used here.", fields={"standard": f"choose one of {', '.join(map(str, STANDARDS))}"}
        )
    programme.standard = Standard(standard)
    programme.save(update_fields=["standard"])
    versions.keep(programme, plan_in_force(programme), person, at)
    return programme


def standard_label(standard: str) -> str:
    return DEFINITIONS[Standard(standard)].label
