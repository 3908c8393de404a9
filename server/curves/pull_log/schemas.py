"""The log of pulls with their figures, and single curves."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from torvix_core.air.standards import Standard
from torvix_core.units import quantities

from curves.comparability import messages as comparing_words
from curves.comparability import pull_screening
from curves.reduction import correct, messages
from curves.reduction.inspection import anomaly_words
from programmes.settings.tune_sizes import SizeTables
from programmes.settings.tune_words import changes, tune_words
from shop.refusals import Refusal
from shop.schema import Schema
from stand.models import Pull


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
    not_repaired: list[str]
    peak_torque: PeakOut | None
    peak_power: PeakOut | None
    no_curve: str
    findings: list[str]
    anomalies: list[str]
    origin: str
    origin_label: str
    source: str
    comparable: PullComparable | None
    tune: list[str]
    tune_changes: list[str]  # since the pull before of the same setup and session
    tune_stands: bool  # the one chosen for its setup


class PullLog(Schema):
    torque_unit: str
    power_unit: str
    standard: str
    tune_rule: str
    tune_chosen: bool  # by the rule, a pull is chosen in the log
    rows: list[PullRow]


class CurveOut(Schema):
    pull_id: int
    number: int
    setup_id: int
    torque_unit: str
    power_unit: str
    speed_rpm: list[float]
    torque: list[float]
    power: list[float]


def pull_row(
    pull: Pull, standard: Standard, units: Mapping[str, str], judged: pull_screening.ScreenedPull | None,
    before: Pull | None, tune_stands: bool, sizes: SizeTables, not_repaired: list[str],
) -> PullRow:  # fmt: skip
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
        not_repaired=not_repaired if factor is not None else [],
        peak_torque=peaks[0],
        peak_power=peaks[1],
        no_curve=why,
        findings=[messages.finding_words(finding) for finding in reduced.findings.all()] if reduced else [],
        anomalies=[anomaly_words(odd, units) for odd in reduced.anomalies.all()] if reduced else [],
        origin=pull.origin,
        origin_label=pull.get_origin_display(),
        source=pull.source,
        comparable=_comparable(judged, units) if judged else None,
        tune=tune_words(pull.settings_in_force, sizes),
        tune_changes=changes(before.settings_in_force, pull.settings_in_force) if before else [],
        tune_stands=tune_stands,
    )


def _comparable(judged: pull_screening.ScreenedPull, units: Mapping[str, str]) -> PullComparable:
    return PullComparable(
        against=judged.against.number if judged.against else None,
        level=judged.level,
        line=comparing_words.line(judged.checks, units) if judged.checks else "",
        counts=judged.counts,
        let_in_reason=judged.let_in.reason if judged.let_in else "",
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
