"""Which pulls of a programme may be held against each other, and which count only because somebody let them in."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

import numpy as np
from torvix_core.air.standards import Standard
from torvix_core.engine.geometry import power
from torvix_core.pull import comparability, warm_state
from torvix_core.pull.comparability import ComparabilityCheck, ComparabilityLevel, ComparabilityWindow, Facts
from torvix_core.pull.curve import shared_grid
from torvix_core.pull.reduction import StandInertia
from torvix_core.pull.warm_state import WarmState

from curves.comparability import tunes
from curves.models import ComparabilityOverride, ComparisonWindow, Reduced
from curves.reduction.correct import CorrectedPull, corrected
from curves.reduction.nature import Nature, nature_of
from programmes.models import BoostPolicy, MixturePolicy, Programme, Setup
from programmes.plan.plans import SETTING
from programmes.settings.service import at_full_throttle
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Invalid, Refusal
from shop.texts import optional
from stand.models import Pull, PullState, Purpose

SETTING_KEYS = {"spark_advance": "spark", "mixture_target": "mixture_target", "boost_target": "boost_target"}


@dataclass(frozen=True)
class ScreenedPull:
    """One pull held against another: the checks, and whether it counts. `against` None: nothing to hold it against."""

    pull: Pull
    against: Pull | None
    checks: Sequence[ComparabilityCheck]
    let_in: ComparabilityOverride | None

    @property
    def level(self) -> ComparabilityLevel:
        return comparability.worst(self.checks)

    @property
    def counts(self) -> bool:
        return self.level is not ComparabilityLevel.BLOCK or self.let_in is not None


def windows_of(programme: Programme) -> dict[str, ComparabilityWindow]:
    """The usual windows, with those that the programme has of its own."""
    own = {row.key: ComparabilityWindow(row.note, row.block) for row in programme.comparison_windows.all()}
    return {**comparability.WINDOWS, **own}


def configurations(programme: Programme) -> dict[int, dict[str, str]]:
    """Part in each slot and text of each setting, by setup: as planned."""
    found = {}
    for setup in programme.setups.prefetch_related("parts", "settings"):
        parts = {part.slot: part.name for part in setup.parts.all()}
        found[setup.pk] = parts | {setting.key: setting.text for setting in setup.settings.all()}
    return found


def facts_of(programme: Programme, found: CorrectedPull, configuration: Mapping[str, str]) -> Facts:
    """What a pull brings to a comparison, over the range that is compared; torque as observed."""
    pull = found.pull
    reduced: Reduced = pull.reduced
    there = at_full_throttle({**configuration, **pull.settings_in_force})
    plain = {_plain(key): text for key, text in there.items()}
    included = {StandInertia.INCLUDED: True, StandInertia.NOT_INCLUDED: False}.get(
        StandInertia(reduced.options.get("stand_inertia", pull.inertia_in_torque))
    )
    speed, torque = np.array(reduced.speed_rpm), np.array(reduced.torque)
    used = (speed >= programme.low_rpm - 1e-6) & (speed <= programme.high_rpm + 1e-6)
    return Facts(
        speed_rpm=speed[used],
        torque=torque[used],
        means={name: values[used] for name, values in reduced.means.items()},
        session=pull.session_id,
        setup=pull.setup_id,
        at_s=pull.started_at.timestamp() if pull.started_at else None,
        air_temperature=pull.air.temperature if pull.air else None,
        ambient=pull.air.barometer if pull.air else None,
        factor=found.factor,
        factor_inside=found.inside,
        sweep_rate_rpm_s=reduced.sweep_rate_rpm_s or 0.0,
        inertia_included=included,
        inertia=float(reduced.options.get("inertia", pull.inertia)),
        spark=tunes.number(plain.get("spark", "")),
        fuel=pull.session.fuel,
        operator=str(pull.operator),
        revision=pull.build.revision,
        first_after_change=pull.first_after_change and pull.purpose == Purpose.WARM_UP,
        resolution=pull.torque_step / 2 / float(torque.mean()) if pull.torque_step else 0.0,
        configuration=plain,
        planned={_plain(key): text for key, text in at_full_throttle(configuration).items()},
        stepwise=pull.purpose == Purpose.STEPS,
        simulated=nature_of(pull) is Nature.SIMULATED,
        boost_as_it_comes=programme.boost_policy == BoostPolicy.EQUAL_DRIVE,
        mixture_as_delivered=programme.mixture_policy == MixturePolicy.DELIVERED,
        mixture_is_factor=programme.mixture_policy == MixturePolicy.FACTOR,
    )


def _plain(key: str) -> str:
    """A slot or setting as the core calls it."""
    return SETTING_KEYS.get(key.removeprefix(SETTING), key.removeprefix(SETTING))


def judge(programme: Programme, kept: Sequence[CorrectedPull], first_pulls: bool = False) -> dict[int, ScreenedPull]:
    """Every kept pull held against the baseline nearest to it, by its primary key.

    `first_pulls`: all are the first after a change, a class of its own in which that is no difference.

    Temperatures are held against the usual ones of the session, so that a cold pull is out alone, whichever it is. For
    the rest, what the others of the session are held against is the earliest pull of the baseline that most of them
    agree with; other ones of the baseline that are comparable join it.
    """
    windows, configured = windows_of(programme), configurations(programme)
    let_in = {
        comparability_override.pull_id: comparability_override
        for comparability_override in ComparabilityOverride.objects.filter(
            pull__session__programme=programme
        ).select_related("by")
    }
    baselines = {setup.pk for setup in programme.setups.all() if setup.is_baseline}
    facts = {found.pull.pk: facts_of(programme, found, configured.get(found.pull.setup_id, {})) for found in kept}
    if first_pulls:
        facts = {key: replace(one, first_after_change=True) for key, one in facts.items()}
    of_session: dict[int, set[int]] = {}
    for found in kept:
        of_session.setdefault(found.pull.session_id, set()).add(found.pull.setup_id)

    warm = _warm_states(programme, kept, facts)
    retuned = tunes.retuned(programme, kept, facts, windows)

    def held(pull: Pull, against: Pull | None) -> ScreenedPull:
        usual = warm.get(pull.session_id, {})
        if against is None:
            checks = tuple(
                check
                for check in comparability.compare(facts[pull.pk], facts[pull.pk], windows, True, usual)
                if check.usual
            )
        else:
            linked = bool(of_session[pull.session_id] & of_session[against.session_id])
            checks = comparability.compare(facts[against.pk], facts[pull.pk], windows, linked, usual)
        if pull.pk in retuned:
            checks = (*checks, retuned[pull.pk])
        return ScreenedPull(pull, against, checks, let_in.get(pull.pk))

    judged: dict[int, ScreenedPull] = {}
    anchors: list[Pull] = []
    ordered = sorted((found.pull for found in kept), key=lambda one: one.number)
    for session in dict.fromkeys(pull.session_id for pull in ordered):
        of_baseline = [pull for pull in ordered if pull.session_id == session and pull.setup_id in baselines]
        others = [pull for pull in ordered if pull.session_id == session]
        first = _most_agreed(of_baseline, others, held)
        if first is None:
            continue
        judged[first.pk] = held(first, _nearest(anchors, first))
        if judged[first.pk].counts:
            anchors.append(first)
        for pull in of_baseline:
            if pull is not first:
                judged[pull.pk] = held(pull, _nearest(anchors, pull))
                if judged[pull.pk].counts:
                    anchors.append(pull)
    for found in kept:
        if found.pull.pk not in judged:
            judged[found.pull.pk] = held(found.pull, _nearest(anchors, found.pull))
    return {found.pull.pk: judged[found.pull.pk] for found in kept}


def _warm_states(
    programme: Programme, kept: Sequence[CorrectedPull], facts: Mapping[int, Facts]
) -> dict[int, dict[str, WarmState]]:
    """The usual temperatures of each session; of one with few pulls also by the other sessions and the plan."""
    readings = {found.pull.pk: comparability.temperatures(facts[found.pull.pk]) for found in kept}
    sessions: dict[int, list[int]] = {}
    for found in kept:
        sessions.setdefault(found.pull.session_id, []).append(found.pull.pk)
    # The plan's windows are where a pull may start: their middle is what the planner takes for warm.
    planned = {row.channel: (row.low + row.high) / 2 for row in programme.windows.all()
               if row.channel in comparability.TEMPERATURES}  # fmt: skip
    usual = {}
    for session, mine in sessions.items():
        elsewhere = [readings[pk] for other, rows in sessions.items() if other != session for pk in rows]
        usual[session] = warm_state.states_of(
            [readings[pk] for pk in mine], elsewhere or ([planned] if planned else [])
        )
    return usual


def _most_agreed(
    of_baseline: Sequence[Pull], others: Sequence[Pull], held: Callable[[Pull, Pull | None], ScreenedPull]
) -> Pull | None:
    """The earliest pull of the baseline that most pulls of its session are comparable with; None without any."""
    best, fewest = None, len(others) + 1
    for pull in of_baseline:
        is_cold = held(pull, None).level is ComparabilityLevel.BLOCK  # what is warm is not held against it
        agreed = 0
        for other in others:
            agreed += held(other, pull).level is not ComparabilityLevel.BLOCK
            if not is_cold and 2 * agreed > len(others):
                return pull  # most agree: in a long session the rest need not be compared
        blocked = len(others) - agreed + (len(others) if is_cold else 0)
        if blocked < fewest:
            best, fewest = pull, blocked
    return best


def _nearest(anchors: Sequence[Pull], pull: Pull) -> Pull | None:
    """Of the same session where there is one, else of another; the nearest by number."""
    here = [anchor for anchor in anchors if anchor.session_id == pull.session_id] or list(anchors)
    return min(here, key=lambda one: abs(one.number - pull.number), default=None)


def between(programme: Programme, first: Pull, second: Pull, standard: Standard) -> tuple[ComparabilityCheck, ...]:
    """The second pull held against the first. Refusal where one gave no curve."""
    configured = configurations(programme)
    facts = []
    for pull in (first, second):
        try:
            found, known = corrected(pull, standard), True
        except Refusal:
            found, known = _as_it_is(pull), False
        one = facts_of(programme, found, configured.get(pull.setup_id, {}))
        # A pull without air has no factor to be held against the other's.
        facts.append(one if known else replace(one, factor=None))
    return comparability.compare(facts[0], facts[1], windows_of(programme), _linked(programme, first, second))


def _as_it_is(pull: Pull) -> CorrectedPull:
    """The figures that there are, whatever they are corrected to. Refusal where there is no curve."""
    reduced: Reduced | None = getattr(pull, "reduced", None)
    if reduced is None or not reduced.speed_rpm:
        raise Refusal(f"{pull} gave no curve, so nothing can be held against it.", code="no_curve")
    speed, torque = np.array(reduced.speed_rpm), np.array(reduced.torque)
    return CorrectedPull(pull, speed, torque, power(torque, speed), 1.0, True)


def _linked(programme: Programme, first: Pull, second: Pull) -> bool:
    rows = Pull.objects.filter(session_id__in=(first.session_id, second.session_id), state=PullState.COMPLETE)
    setups: dict[int, set[int]] = {}
    for session, setup in rows.values_list("session_id", "setup_id").distinct():
        setups.setdefault(session, set()).add(setup)
    return bool(set.intersection(*setups.values())) if setups else False


def between_setups(
    programme: Programme, first: Setup, second: Setup, kept: Sequence[CorrectedPull]
) -> tuple[ComparabilityCheck, ...]:
    """The mean of the kept pulls of one setup against that of another. Refusal where one has none."""
    configured = configurations(programme)
    facts = []
    for setup in (first, second):
        own = [
            facts_of(programme, found, configured.get(setup.pk, {}))
            for found in kept
            if found.pull.setup_id == setup.pk
        ]
        if not own:
            raise Refusal(f"{setup} has no accepted pull yet.", code="nothing_kept")
        facts.append(_mean(own))
    of_session: dict[int, set[int]] = {}
    for found in kept:
        of_session.setdefault(found.pull.session_id, set()).add(found.pull.setup_id)
    mine = [of_session[found.pull.session_id] for found in kept if found.pull.setup_id == second.pk]
    theirs = [of_session[found.pull.session_id] for found in kept if found.pull.setup_id == first.pk]
    linked = any(one & other for one in mine for other in theirs)
    return comparability.compare(facts[0], facts[1], windows_of(programme), linked)


def _mean(facts: Sequence[Facts]) -> Facts:
    """One set of facts for several pulls: channels that all have, on the bins that all have."""
    speed, torque = shared_grid([fact.speed_rpm for fact in facts], [fact.torque for fact in facts])
    shared = set.intersection(*(set(fact.means) for fact in facts))
    speeds = [fact.speed_rpm for fact in facts]
    means = {name: shared_grid(speeds, [fact.means[name] for fact in facts])[1].mean(axis=0) for name in shared}

    def mean(values: Sequence[float | None]) -> float | None:
        known = [value for value in values if value is not None]
        return sum(known) / len(known) if len(known) == len(values) else None

    return replace(
        facts[0], speed_rpm=speed, torque=torque.mean(axis=0), means=means,
        at_s=mean([fact.at_s for fact in facts]), air_temperature=mean([fact.air_temperature for fact in facts]),
        factor=mean([fact.factor for fact in facts]), factor_inside=all(fact.factor_inside for fact in facts),
        sweep_rate_rpm_s=sum(fact.sweep_rate_rpm_s for fact in facts) / len(facts),
    )  # fmt: skip


def let_in(person: Person, pull: Pull, reason: str, at: datetime) -> ComparabilityOverride:
    """A pull that is not comparable counts all the same."""
    require_operator(person)
    plain = optional(reason, "reason", 300)
    if not plain:
        raise Invalid("Say why it may count.", fields={"reason": "why the difference does not matter here"})
    made, _ = ComparabilityOverride.objects.update_or_create(
        pull=pull, defaults={"reason": plain, "by": person, "at": at}
    )
    return made


def shut_out(person: Person, pull: Pull) -> None:
    """What the windows say holds again."""
    require_operator(person)
    ComparabilityOverride.objects.filter(pull=pull).delete()


def set_windows(person: Person, programme: Programme, wanted: Mapping[str, ComparabilityWindow]) -> None:
    """Windows of a programme's own, SI; a key that is not named goes back to the usual."""
    require_operator(person)
    wrong = {}
    for key, window in wanted.items():
        if key not in comparability.WINDOWS:
            wrong[key] = "there is no such check"
        elif not (np.isfinite([window.note, window.block]).all() and 0 <= window.note <= window.block):
            wrong[key] = "the first must not be below zero, nor above the second"
    if wrong:
        raise Invalid("The windows cannot be used: see the fields.", fields=wrong)
    programme.comparison_windows.exclude(key__in=wanted).delete()
    for key, window in wanted.items():
        ComparisonWindow.objects.update_or_create(
            programme=programme, key=key, defaults={"note": window.note, "block": window.block}
        )
