"""Compare the setups of a programme: who leads where, who leads over a range, and what that is worth."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from torvix_core import effects, verdict
from torvix_core.checked import Array
from torvix_core.comparability import Level
from torvix_core.curve import OutsideTheCurve, average, shared_grid
from torvix_core.effects import Effects, NotEnoughPulls
from torvix_core.standards import BOOST_SCHOOLS, LARGE_CORRECTION, BoostSchool, Standard

from curves import comparing, comparing_words
from curves.services import CorrectedPull, corrected, pulls_of
from programmes.models import BoostPolicy, Candidate, MixturePolicy, Programme, Setup
from shop.refusals import Invalid, Refusal
from stand.models import Pull, PullState, Standing


class NothingKept(Refusal):
    """There is no accepted pull to compare."""

    code = "nothing_kept"


@dataclass(frozen=True)
class Comparison:
    """The kept pulls of a programme on their common bins. Setups without a kept pull are not in it.

    torque and power are (pulls, bins), N·m and W; `setup_of` holds each pull's index in `setups`.
    """

    programme: Programme
    standard: Standard
    setups: Sequence[Setup]
    kept: Sequence[CorrectedPull]
    setup_of: NDArray[np.int_]
    speed_rpm: Array
    torque: Array
    power: Array
    torque_effects: Effects | None  # None where scatter is not known
    notes: Sequence[str]

    @property
    def baseline(self) -> int:
        """Index of the baseline, or of the first setup while the baseline has no kept pull."""
        return next((index for index, setup in enumerate(self.setups) if setup.is_baseline), 0)

    def means(self, curves: Array) -> Array:
        """(setups, bins)."""
        return np.stack([curves[self.setup_of == index].mean(axis=0) for index in range(len(self.setups))])


@dataclass(frozen=True)
class RangeVerdict:
    """The ranking over a range; torque N·m and power W, averages over the range."""

    low_rpm: float
    high_rpm: float
    placings: Sequence[verdict.Placing]
    power: Array
    counts: NDArray[np.int_]
    repeatability: float
    degrees_of_freedom: int
    drift: float | None  # last visit to the baseline against the first, share
    notes: Sequence[str] = field(default_factory=list)


def compare(programme: Programme, standard: Standard) -> Comparison:
    """Lay the kept pulls of a programme over each other under one standard."""
    pulls = pulls_of(programme)
    kept, notes = [], []
    for pull in pulls:
        if pull.standing == Standing.ACCEPTED:
            try:
                kept.append(corrected(pull, standard))
            except Refusal as refusal:
                notes.append(str(refusal))
    if not kept:
        raise NothingKept(notes[0] if notes else "No pull is kept yet. Make a pull at the stand, and keep it.")
    judged = comparing.judge(programme, kept)
    notes += _not_comparable([one for one in judged.values() if one.level is Level.BLOCK])
    kept = [found for found in kept if judged[found.pull.pk].counts]
    present = {found.pull.setup_id for found in kept}
    setups = [setup for setup in programme.setups.all() if setup.pk in present]
    index = {setup.pk: number for number, setup in enumerate(setups)}
    setup_of = np.array([index[found.pull.setup_id] for found in kept])
    speed, torque = shared_grid([found.speed_rpm for found in kept], [found.torque for found in kept])
    if len(speed) < 3:
        raise NothingKept("The kept pulls share fewer than three bins of speed, so they cannot be compared.")
    _, power = shared_grid([found.speed_rpm for found in kept], [found.power for found in kept])
    try:
        fitted = effects.pool_neighbours(effects.fit(torque, setup_of, len(setups)))
    except NotEnoughPulls as reason:
        fitted = None
        notes.append(f"No intervals: {reason}.")
    return Comparison(
        programme, standard, setups, kept, setup_of, speed, torque, power, fitted,
        [*notes, *_notes(pulls, kept, programme, setups, standard)],
    )  # fmt: skip


def _not_comparable(blocked: Sequence[comparing.Judged]) -> list[str]:
    """What was left out because it is not comparable, and what was let in all the same, each with its reason."""
    told = []
    for one in sorted(blocked, key=lambda judged: judged.pull.number):
        why = comparing_words.reasons(one.checks)
        against = f"{one.pull} against pull {one.against.number}: {why}" if one.against else str(one.pull)
        told.append(
            f"Let in although not comparable: {against}. Reason: {one.let_in.reason}."
            if one.let_in
            else f"Not comparable, so not counted: {against}."
        )
    return told


def _notes(
    pulls: Sequence[Pull],
    kept: Sequence[CorrectedPull],
    programme: Programme,
    setups: Sequence[Setup],
    standard: Standard,
) -> list[str]:
    """What a reader of the result must know of the pulls behind it."""
    notes = list(_agreed(programme))
    planned = [setup for setup in programme.setups.all() if setup.candidate == Candidate.IN]
    missing = [setup.letter for setup in planned if setup not in setups]
    if missing:
        notes.append(f"No kept pull of {', '.join(missing)} yet.")
    unjudged = [pull for pull in pulls if pull.state == PullState.COMPLETE and pull.standing == Standing.UNDECIDED]
    if unjudged:
        notes.append(f"Not judged yet, so not counted: {_numbers(unjudged)}.")
    out = [pull for pull in pulls if pull.standing == Standing.EXCLUDED]
    if out:
        notes.append(f"Left out with a reason: {_numbers(out)}.")
    outside = [found.pull for found in kept if not found.inside]
    if outside:
        notes.append(
            f"Weather outside the range of the standard: {_numbers(outside)}. The factor is shown, not vouched for."
        )
    factors = np.array([found.factor for found in kept])
    if not outside and standard is not Standard.OBSERVED and (np.abs(factors - 1) > LARGE_CORRECTION).any():
        notes.append("The correction is above 7 %: be careful with it, correction only scales what was measured.")
    if any(found.pull.inertia_in_torque == "unknown" for found in kept):
        notes.append("The stand does not say whether inertia is in its torque: only equal sweep rates compare.")
    builds = {found.pull.build.revision for found in kept}
    if len(builds) > 1:
        revisions = ", ".join(str(revision) for revision in sorted(builds))
        notes.append(
            f"The kept pulls were made with revisions {revisions} of the engine: part of a difference may be the "
            "engine's."
        )
    from_log = [found.pull for found in kept if found.pull.air is not None and found.pull.air.from_log]
    if from_log and standard is not Standard.OBSERVED:
        notes.append(f"Corrected by the weather log, not by their own weather: {_numbers(from_log)}.")
    sessions = {found.pull.session_id for found in kept}
    if len(sessions) > 1:
        notes.append(
            f"The kept pulls come from {len(sessions)} sessions: what changed from day to day is not taken out, "
            "so compare setups of one session."
        )
    lost = [found.pull for found in kept if found.pull.samples_lost]
    if lost:
        notes.append(f"Samples were lost on the line: {_numbers(lost)}.")
    overridden = [found.pull for found in kept if found.pull.override_reason]
    if overridden:
        notes.append(f"Started outside a temperature window: {_numbers(overridden)}.")
    return notes


def _agreed(programme: Programme) -> Iterator[str]:
    """What the plan agreed on that limits what a difference means."""
    if programme.stand_in:
        yield f"A stand-in test: {programme.stand_in}. It holds for the engine as it was tested."
    if programme.mixture_policy == MixturePolicy.DELIVERED:
        yield "Every setup ran as delivered: a difference is the part's together with its tune."
    if programme.boost_policy:
        school = BOOST_SCHOOLS[BoostSchool(programme.boost_school)].lower()
        held = BoostPolicy(programme.boost_policy).label
        yield f"A boosted engine, school: {school}. {held}: never compare with pulls made the other way."


def _numbers(pulls: Sequence[Pull]) -> str:
    return f"pull{'s' if len(pulls) > 1 else ''} {', '.join(str(pull.number) for pull in pulls)}"


def judge(comparison: Comparison, low_rpm: float | None = None, high_rpm: float | None = None) -> RangeVerdict:
    """Rank the setups by average torque over a range; without one, the programme's as far as all ran."""
    programme, speed = comparison.programme, comparison.speed_rpm
    low = max(programme.low_rpm, speed[0]) if low_rpm is None else low_rpm
    high = min(programme.high_rpm, speed[-1]) if high_rpm is None else high_rpm
    try:
        scores = average(speed, comparison.torque, low, high)
        power = average(speed, comparison.power, low, high)
    except OutsideTheCurve as error:
        raise Invalid(
            f"All setups were run from {speed[0]:.0f} to {speed[-1]:.0f} rpm. Choose a range inside it.",
            fields={"low": str(error), "high": str(error)},
        ) from error
    except ValueError as error:
        raise Invalid(
            "The range must rise: its lower end below its upper.", fields={"low": "must be below the upper end"}
        ) from error
    try:
        fitted = effects.fit(scores, comparison.setup_of, len(comparison.setups))
    except NotEnoughPulls as reason:
        raise NothingKept(f"No verdict yet: {reason}.", code="not_enough_pulls") from reason
    counts = np.bincount(comparison.setup_of, minlength=len(comparison.setups))
    return RangeVerdict(
        low_rpm=low,
        high_rpm=high,
        placings=verdict.rank(fitted, comparison.baseline, programme.smallest_difference),
        power=np.array([power[comparison.setup_of == index].mean() for index in range(len(comparison.setups))]),
        counts=counts,
        repeatability=float(fitted.repeatability),
        degrees_of_freedom=fitted.degrees_of_freedom,
        drift=_drift(comparison, scores),
        notes=comparison.notes,
    )


@dataclass(frozen=True)
class Scatter:
    """Scatter of a single pull as a share of its score, and how many degrees of freedom it rests on; 0 is a default."""

    share: float
    degrees_of_freedom: int
    programmes: int


DEFAULT_SCATTER = 0.004  # [-], of an engine that nobody has pulled twice [prac]
MOST_PROGRAMMES = 20  # of one engine's history that are looked at, the newest


def scatter_of(programme: Programme) -> Scatter:
    """What the engine's pulls so far say of its scatter, over its programmes' own ranges; else the default."""
    history = Programme.objects.filter(build__engine=programme.build.engine_id).select_related("build")
    squares, degrees, counted = 0.0, 0, 0
    for one in history.prefetch_related("setups", "build__installation")[:MOST_PROGRAMMES]:
        try:
            found = judge(compare(one, Standard(one.standard)))
        except Refusal:
            continue
        # ISO 5725's repeatability is 2.8 times the scatter, as the core has it.
        share = found.repeatability / effects.REPEATABILITY
        squares += share**2 * found.degrees_of_freedom
        degrees += found.degrees_of_freedom
        counted += 1
    return Scatter(float(np.sqrt(squares / degrees)), degrees, counted) if degrees else Scatter(DEFAULT_SCATTER, 0, 0)


def _drift(comparison: Comparison, scores: Array) -> float | None:
    """Last visit to the baseline against the first, if it was visited more than once."""
    visits: list[list[float]] = []
    for before, at, score in zip([-1, *comparison.setup_of], comparison.setup_of, scores, strict=False):
        if at == comparison.baseline:
            if before != at:
                visits.append([])
            visits[-1].append(float(score))
    return float(np.mean(visits[-1]) / np.mean(visits[0]) - 1) if len(visits) > 1 else None


def strip(comparison: Comparison) -> tuple[tuple[verdict.Lead, ...], tuple[verdict.Crossover, ...]]:
    """Who leads where, and where the lead passes on; empty while scatter is not known or there is one setup."""
    if comparison.torque_effects is None or len(comparison.setups) < 2:
        return (), ()
    leads = verdict.lead_strip(
        comparison.speed_rpm, comparison.torque, comparison.setup_of, len(comparison.setups),
        comparison.programme.smallest_difference,
    )  # fmt: skip
    return leads, verdict.lead_crossovers(comparison.speed_rpm, comparison.torque_effects, leads)
