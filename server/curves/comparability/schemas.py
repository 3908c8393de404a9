"""Comparability: of two pulls or setups, of all kept pulls, its windows, and letting a pull in."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from torvix_core.air.standards import Standard
from torvix_core.pull import comparability
from torvix_core.pull.comparability import ComparabilityCheck

from curves.comparability import messages as comparing_words
from curves.comparability import pull_screening
from curves.reduction import correct
from programmes.models import Programme
from shop.schema import Schema


class ComparisonCheckOut(Schema):
    key: str
    name: str
    level: str
    level_label: str
    found: str
    window: str
    effect: str
    basis: str
    planned: bool


class ComparisonOut(Schema):
    level: str
    line: str
    checks: list[ComparisonCheckOut]


class JudgedOut(Schema):
    """`against` is the number of the pull that it was held against; none where there is none."""

    pull_id: int
    number: int
    against: int | None
    level: str
    line: str
    counts: bool
    let_in_reason: str
    let_in_by: str


class ComparisonWindowOut(Schema):
    key: str
    name: str
    unit: str
    note: float
    block: float
    usual: bool


class ComparisonWindowIn(Schema):
    key: str
    note: float
    block: float


class WindowsIn(Schema):
    windows: list[ComparisonWindowIn]


class ReasonIn(Schema):
    reason: str = ""


def comparison_out(checks: Sequence[ComparabilityCheck], units: Mapping[str, str]) -> ComparisonOut:
    return ComparisonOut(
        level=comparability.worst(checks),
        line=comparing_words.line(checks, units),
        checks=[
            ComparisonCheckOut(
                key=check.key, name=comparing_words.NAMES[check.key], level=check.level,
                level_label=comparing_words.LEVELS[check.level], found=comparing_words.found_words(check, units),
                window=comparing_words.window_words(check, units), effect=comparing_words.effect_words(check),
                basis=comparing_words.BASES[check.basis], planned=check.planned,
            )
            for check in checks
        ],
    )  # fmt: skip


def judged_out(programme: Programme, units: Mapping[str, str]) -> list[JudgedOut]:
    kept = correct.kept_of(correct.pulls_of(programme), Standard(programme.standard))
    return [
        JudgedOut(
            pull_id=one.pull.pk, number=one.pull.number, against=one.against.number if one.against else None,
            level=one.level, line=comparing_words.line(one.checks, units) if one.checks else "", counts=one.counts,
            let_in_reason=one.let_in.reason if one.let_in else "", let_in_by=str(one.let_in.by) if one.let_in else "",
        )
        for one in pull_screening.judge(programme, kept).values()
    ]  # fmt: skip


def windows_out(programme: Programme, units: Mapping[str, str]) -> list[ComparisonWindowOut]:
    return [
        ComparisonWindowOut(
            key=key, name=comparing_words.NAMES[key], unit=comparing_words.unit_of(key, units),
            note=comparing_words.shown(key, window.note, units), block=comparing_words.shown(key, window.block, units),
            usual=window == comparability.WINDOWS[key],
        )
        for key, window in pull_screening.windows_of(programme).items()
    ]  # fmt: skip
