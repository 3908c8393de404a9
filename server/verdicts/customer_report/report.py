"""The sheet that a customer takes along: composed once of the verdict's own numbers, and never changed after."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import numpy as np
from django.db import transaction
from torvix_core.judging.difference import DifferenceState
from torvix_core.units import quantities
from torvix_core.units.grammar import numbered

from curves.reduction.nature import Nature, head_of, nature_of
from programmes.models import Programme, Setup
from programmes.plan.plans import SETTING, Plan, PlannedSetup
from programmes.settings import tune_sizes
from programmes.settings.tune_sizes import SizeTables
from programmes.settings.tune_words import tune_words
from shop.models import Person
from shop.money import currency
from shop.permissions import require_operator, units_of
from shop.refusals import Invalid
from shop.texts import optional
from stand.instruments import service as instruments
from stand.models import Pull, Standing
from stand.session import cautions
from verdicts.comparison.aligned_pulls import Comparison, Counting
from verdicts.curves.service import drawn_curves, torque_means
from verdicts.customer_report.engine_lines import engine_lines
from verdicts.customer_report.estimate_lines import drawn_estimates, estimate_lines
from verdicts.customer_report.number_format import NOTHING, figure, plus_minus, signed, span
from verdicts.judging import answers, robustness
from verdicts.judging import choice as choices
from verdicts.judging import service as judging
from verdicts.judging.answers import PlacingOut, Verdict, WorkedVerdict
from verdicts.judging.choice import Choice
from verdicts.models import Sheet

FORMAT = 2
MEANINGS = (
    "Ahead: the 95 % interval of the difference lies on one side of zero, and the difference is larger than "
    "what matters. Equal: the whole interval lies inside what does not matter. A wash within x %: neither, and "
    "it is no more than that. Undecided: these pulls do not tell, and it may matter."
)
STANDINGS = {DifferenceState.EQUAL: "equal", DifferenceState.SMALL: "wash", DifferenceState.UNDECIDED: "undecided"}
HANDED_ON = (
    "The figures hold for this engine as it stood on this stand, in the range given. A change of camshaft, head or "
    "compression wants piston-to-valve clearance measured, a change of fuel or boost its mixture and knock margin "
    "looked at, before the engine runs. Local codes, makers' instructions and licensed practice come first."
)


@dataclass(frozen=True)
class ReportOptions:
    """What the sheet shows beside the verdict: the owner's name, prices, who has an interest in the outcome, and
    estimates that were kept, which nobody measured."""

    choice: Choice
    show_owner: bool = False
    show_prices: bool = False
    interests: str = ""
    remark: str = ""
    show_estimates: bool = False


def compose(person: Person, programme: Programme, wanted: ReportOptions, at: datetime) -> dict[str, Any]:
    """Everything that is printed, as text where it is text, in the person's units. Refusal where nothing is judged."""
    found = answers.answer(person, programme, wanted.choice)
    shown, units = answers.out(person, found), units_of(person)
    build, curves = programme.build, drawn_curves(found.comparison, found.curves, found.strip[0], units)
    simulated = any(nature_of(kept_pull.pull) is Nature.SIMULATED for kept_pull in found.comparison.kept)
    curves["estimates"] = drawn_estimates(programme, found, units) if wanted.show_estimates else []
    holds = robustness.sentence(found.judged, robustness.variations(found.judged, found.out))
    return {
        "format": FORMAT, "made_at": at.isoformat(), "question": programme.question, "simulated": simulated,
        "engine": str(build), "engine_lines": engine_lines(build, units), "meanings": MEANINGS,
        "peaks": _peaks(found, shown, units), "owner": build.engine.owner if wanted.show_owner else "",
        "answers_change": programme.answers_change, "held_constant": programme.held_constant,
        "standard": shown.standard_label, "rule": choices.rule(wanted.choice), "duty": shown.duty_label,
        "range": f"{shown.low_rpm:.0f} to {shown.high_rpm:.0f} rpm", "headline": shown.headline,
        "thresholds": shown.thresholds, "holds": holds,
        "heads": _heads(shown, programme, wanted),
        "ranking": [_row(found, placing, shown, wanted) for placing in shown.placings],
        "setups": _setups(found, units), "curves": curves, "table": _table(found, curves),
        "conditions": _conditions(programme, found, units), "excluded": _excluded(programme, found),
        "method": shown.method, "notes": shown.notes, "decision": _decision(programme),
        "handover": _handover(programme, found.plan),
        "estimates": estimate_lines(programme) if wanted.show_estimates else [],
        "interests": optional(wanted.interests, "interests", 300), "remark": optional(wanted.remark, "remark", 600),
        "cautions": [*cautions.of_engine(programme), HANDED_ON],
    }  # fmt: skip


def _heads(shown: Verdict, programme: Programme, wanted: ReportOptions) -> list[str]:
    base = next(setup.letter for setup in programme.setups.all() if setup.pk == shown.baseline_id)
    heads = ["Setup", "Pulls", f"Score, {shown.score_unit}", f"Power, {shown.power_unit}",
             f"To {base}, {shown.score_unit}, 95 %", f"To {base}, %", "Best, %", "Status"]  # fmt: skip
    return [*heads, f"Parts cost, {currency()}", f"per {shown.power_unit}"] if wanted.show_prices else heads


def _row(found: WorkedVerdict, one: PlacingOut, shown: Verdict, wanted: ReportOptions) -> dict[str, Any]:
    setup = next(setup for setup in found.comparison.setups if setup.pk == one.setup_id)
    against, percent = "baseline", NOTHING
    if one.to_baseline:
        against = plus_minus(one.to_baseline.value, one.to_baseline.low, one.to_baseline.high)
        percent = signed(one.to_baseline.percent, 2)
    elif not one.supported:
        against = "not comparable"
    known = one.chance_percent is not None and one.supported and not one.fails
    best = chance(one.chance_percent or 0.0) if known else NOTHING
    cells = [str(one.pulls), figure(one.score), figure(one.power), against, percent, best, standing(one, shown)]
    if wanted.show_prices:
        cost = "not known" if one.cost is None else figure(one.cost, 0)
        cells += [cost, figure(one.cost_per_power, 0)]
    return {"position": setup.position, "letter": setup.letter, "name": setup.name, "cells": cells}


def chance(percent: float) -> str:
    """As the screen tells it: never surer than 99, nor more hopeless than 1."""
    return "> 99" if percent > 99 else "< 1" if percent < 1 else figure(percent, 0)


def standing(one: PlacingOut, shown: Verdict) -> str:
    """Where a setup stands, in a word."""
    if not one.supported:
        return "not compared"
    if one.fails:
        return "out"
    if not one.with_the_best:
        return "behind"
    if sum(other.supported for other in shown.placings) == 1:
        return "alone"
    return "best" if shown.winner_id == one.setup_id else STANDINGS[DifferenceState(shown.level_state)]


def _setups(found: WorkedVerdict, units: Mapping[str, str]) -> list[dict[str, Any]]:
    """What every setup was, also those that lost or were never pulled; all but the baseline by what differs from it."""
    plan, kept = found.plan, {setup.pk for setup in found.comparison.setups}
    counted = {
        setup.pk: ", ".join(str(one.pull.number) for row, one in enumerate(found.comparison.kept)
                            if found.comparison.setup_of[row] == index)
        for index, setup in enumerate(found.comparison.setups)
    }  # fmt: skip
    rows, sizes = [], tune_sizes.tables(units)
    for place, one in enumerate(plan.setups):
        why = "" if one.pk in kept else one.reason or "no accepted pull"
        tune = _tune(found, one, sizes)
        # What was pulled has a tune of its own beside its parts: what was planned is not what ran.
        levels, base = ({key: text for key, text in of.levels().items() if not (tune and key.startswith(SETTING))}
                        for of in (one, plan.setups[0]))  # fmt: skip
        shown = {key: levels.get(key, "none") for key in {**base, **levels} if levels.get(key) != base.get(key)}
        rows.append({
            "position": one.position, "letter": one.letter, "name": one.name, "left": why,
            "parts": [f"{plan.label(key)}: {text}" for key, text in (shown if place else levels).items()],
            "tune": tune, "counted": counted.get(one.pk or 0, ""),
        })  # fmt: skip
    return rows


def _tune(found: WorkedVerdict, setup: PlannedSetup, sizes: SizeTables) -> list[str]:
    """What the setup was set to in the last pull that counts: its tune belongs to its figures."""
    last = [one.pull for one in found.comparison.kept if one.pull.setup_id == setup.pk][-1:]
    return [line for pull in last for line in tune_words(pull.settings_in_force, sizes)]


def _peaks(found: WorkedVerdict, shown: Verdict, units: Mapping[str, str]) -> dict[str, Any]:
    """Peaks with their speeds beside the averages over the duty, each named so that none is read as the other."""
    compared, torque = found.comparison, torque_means(found.comparison, found.curves)
    boost = {index: _boost(compared, index, units) for index in range(len(compared.setups))}
    heads = [
        "Setup",
        f"Peak torque, {units['torque']}",
        "at rpm",
        f"Peak power, {units['power']}",
        "at rpm",
        f"Average torque over the duty, {units['torque']}",
        f"Average power over the duty, {units['power']}",
    ]
    if any(boost.values()):
        heads.append(f"Boost held, {units['boost']}")
    of_setup = {one.setup_id: one for one in shown.placings}
    rows = []
    for index, setup in enumerate(compared.setups):
        top, strongest, longer = judging.peaks(compared, index, torque[index])
        climbing = " and climbing" if strongest.still_climbing else ""
        placing = of_setup[setup.pk]
        cells = [
            figure(float(quantities.from_si(top.value, units["torque"]))), f"{top.speed_rpm:.0f}",
            figure(float(quantities.from_si(strongest.value, units["power"]))),
            f"{strongest.speed_rpm:.0f}{climbing}{' (run further)' if longer else ''}",
            figure(placing.torque), figure(placing.power),
        ]  # fmt: skip
        rows.append({"position": setup.position, "letter": setup.letter,
                     "cells": cells + ([boost[index] or NOTHING] if any(boost.values()) else [])})  # fmt: skip
    return {"heads": heads, "rows": rows}


def _boost(compared: Comparison, index: int, units: Mapping[str, str]) -> str:
    """Lowest and highest boost of a setup over the speeds that are compared; empty where none was measured."""
    held = []
    for row, one in enumerate(compared.kept):
        values = one.pull.reduced.means.get("boost")
        if compared.setup_of[row] == index and values is not None:
            speed = np.array(one.pull.reduced.speed_rpm)
            inside = (speed >= compared.speed_rpm[0]) & (speed <= compared.speed_rpm[-1])
            held.append(np.asarray(values)[inside])
    if not held:
        return ""
    mean = np.mean([[each.min(), each.max()] for each in held], axis=0)
    return span([float(quantities.from_si(value, units["boost"])) for value in mean], 1)


def _table(found: WorkedVerdict, curves: Mapping[str, Any]) -> dict[str, Any]:
    """Torque and power of each setup for each 100 rpm; numbers, to be printed with one decimal."""
    heads = ["rpm"]
    columns = [curves["speed_rpm"]]
    for setup, curve in zip(found.comparison.setups, curves["setups"], strict=True):
        name = head_of(setup.letter, Nature(curve["nature"]))
        heads += [f"{name} {curves['torque_unit']}", f"{name} {curves['power_unit']}"]
        columns += [curve["torque"], curve["power"]]
    return {"heads": heads, "rows": [list(row) for row in zip(*columns, strict=True)]}


def _conditions(programme: Programme, found: WorkedVerdict, units: Mapping[str, str]) -> list[str]:
    """The stand, the day, the air and the sweep of the pulls that count."""
    told = []
    for session in dict.fromkeys(kept_pull.pull.session for kept_pull in found.comparison.kept):
        mine = [kept_pull for kept_pull in found.comparison.kept if kept_pull.pull.session_id == session.pk]
        airs = [one.pull.air for one in mine if one.pull.air is not None]
        parts = [f"{session.opened_at:%d %B %Y}, {session.stand}, {len(mine)} pulls that count"]
        if airs:
            pressure = [float(quantities.from_si(air.barometer, units["air_pressure"])) for air in airs]
            warmth = [float(quantities.from_si(air.temperature, units["temperature"])) for air in airs]
            parts.append(f"{span(pressure)} {units['air_pressure']}, {span(warmth)} {units['temperature']}, "
                         f"{span([air.relative_humidity * 100 for air in airs], 0)} % humidity")  # fmt: skip
        parts.append(f"factor {span([one.factor for one in mine], 4)}")
        if session.fuel:
            parts.append(f"fuel {session.fuel}")
        if trust := instruments.torque_words(session.stand, session.opened_at):
            parts.append(f"torque {trust}")
        told.append("; ".join(parts) + ".")
    return [
        *told,
        f"Sweep from {programme.sweep_start_rpm:.0f} to {programme.sweep_end_rpm:.0f} rpm at "
        f"{programme.sweep_rate_rpm_s:.0f} rpm/s; compared from {found.judged.low_rpm:.0f} to "
        f"{found.judged.high_rpm:.0f} rpm.",
    ]  # fmt: skip


def _excluded(programme: Programme, found: WorkedVerdict) -> list[str]:
    """Every pull that was made and does not count, by the reason."""
    kept = {kept_pull.pull.pk for kept_pull in found.comparison.kept}
    pulls = Pull.objects.filter(session__programme=programme).exclude(pk__in=kept).order_by("number")
    reasons: dict[str, list[int]] = {}
    for pull in pulls:
        why = pull.excluded_reason or (
            "not the first after a change" if found.comparison.counting is Counting.FIRST
            and not pull.first_after_change else
            "not comparable" if pull.standing == Standing.ACCEPTED else
            f"{pull.get_purpose_display().lower()}, {pull.get_standing_display().lower()}"
        )  # fmt: skip
        reasons.setdefault(why, []).append(pull.number)
    return [f"{numbered('Pull', numbers)}: {why}" for why, numbers in reasons.items()]


def _decision(programme: Programme) -> dict[str, str] | None:
    last = programme.decisions.select_related("by", "setup").first()
    if last is None:
        return None
    what = f"{last.setup.letter} {last.setup.name}" if last.setup else "No change"
    return {"what": what, "why": last.reason, "by": str(last.by), "at": f"{last.at:%d %B %Y}"}


def _handover(programme: Programme, plan: Plan) -> list[str]:
    """What the engine leaves with: every part and setting of the setup that was decided on."""
    last = programme.decisions.select_related("setup").first()
    return [] if last is None or last.setup is None else leaves_with(plan, last.setup)


def leaves_with(plan: Plan, setup: Setup) -> list[str]:
    """Every part and setting of a setup, as they were last adjusted."""
    planned = next((one for one in plan.setups if one.pk == setup.pk), None)
    levels = {} if planned is None else planned.levels()
    newest = {adjustment.key: adjustment.text for adjustment in setup.adjustments.all()}
    return [f"{plan.label(key)}: {newest.get(key, text)}" for key, text in {**levels, **newest}.items()]


@transaction.atomic
def issue(person: Person, programme: Programme, wanted: ReportOptions, change: str, at: datetime) -> Sheet:
    """Freeze a sheet. The first is version 1; every further one says what changed."""
    require_operator(person)
    Programme.objects.select_for_update().get(pk=programme.pk)
    last = programme.sheets.first()
    told = optional(change, "change", 300)
    if last is not None and not told:
        raise Invalid(
            "Say what changed against the version before.", fields={"change": "readers of the earlier one see it"}
        )
    return Sheet.objects.create(
        programme=programme, number=last.number + 1 if last else 1, document=compose(person, programme, wanted, at),
        change=told if last else "", by=person, at=at,
    )  # fmt: skip


def history_of(sheet: Sheet) -> list[dict[str, Any]]:
    """Every version of a programme's sheet, the newest first, for its reader."""
    rows = sheet.programme.sheets.select_related("by")
    return [{"number": row.number, "at": row.at, "by": str(row.by), "change": row.change, "this": row.pk == sheet.pk}
            for row in rows]  # fmt: skip
