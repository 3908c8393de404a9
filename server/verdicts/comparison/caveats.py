"""What a reader of a comparison must know of the pulls behind it, in sentences."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from itertools import pairwise

import numpy as np
from django.db.models import Q
from torvix_core.air.standards import BOOST_SCHOOLS, LARGE_CORRECTION, BoostSchool, Standard
from torvix_core.pull import comparability
from torvix_core.pull.comparability import ComparabilityLevel
from torvix_core.pull.span_check import errors_apart
from torvix_core.units.grammar import numbered

from curves.comparability import messages as comparing_words
from curves.comparability import pull_screening
from curves.models import StandingTune
from curves.reduction import not_repaired
from curves.reduction.correct import CorrectedPull
from curves.reduction.nature import Nature, nature_of
from engines.sheet import sheets
from programmes.models import BoostPolicy, Candidate, MixturePolicy, Programme, Setup, TuneRule
from stand.instruments import service as instruments
from stand.models import Pull, PullOrigin, PullState, Purpose, Standing

SHARED_DAY = "The check lies inside one session, so it is in every difference across it."
LINKED_DAYS = "A setup that was run under both takes it out."


def not_comparable(blocked: Sequence[pull_screening.ScreenedPull]) -> list[str]:
    """What was left out because it is not comparable, and what was let in all the same, each with its reason."""
    lines = []
    for one in sorted(blocked, key=lambda judged: judged.pull.number):
        blocks = [check for check in one.checks if check.level is ComparabilityLevel.BLOCK]
        if not one.let_in and [check.key for check in blocks] == ["tune"]:
            continue  # `tunes` says it for the whole setup
        why = comparing_words.reasons(one.checks)
        held = [check for check in blocks if not check.usual and check.key != "tune"]
        against = (
            f"{one.pull} against pull {one.against.number}: {why}" if one.against and held else f"{one.pull}: {why}"
        )
        out = "A cold pull" if comparing_words.is_cold(one.checks) else "Not comparable"
        lines.append(
            f"Let in although not comparable: {against}. Reason: {one.let_in.reason}."
            if one.let_in
            else f"{out}, so not counted: {against}."
        )
    return lines


def tunes(judged: Collection[pull_screening.ScreenedPull], programme: Programme) -> list[str]:
    """Of each setup that was pulled with several tunes: which stands for it, by which rule, and what does not count."""
    by_choice, lines = programme.tune_rule == TuneRule.CHOSEN, []
    chosen = set(StandingTune.objects.filter(setup__programme=programme).values_list("setup_id", flat=True)
                 if by_choice else ())  # fmt: skip
    for setup in programme.setups.all():
        own = sorted((one for one in judged if one.pull.setup_id == setup.pk), key=lambda one: one.pull.number)
        checks = [check for one in own for check in one.checks if check.key == "tune"]
        if not checks:
            continue
        sides = {counts: [one.pull for one in own if one.counts is counts] for counts in (True, False)}
        rule = TuneRule(programme.tune_rule).label.lower()
        if by_choice and setup.pk not in chosen:
            rule = f"none is chosen yet: {TuneRule.LAST_MATCHED.label.lower()}"
        count = f"{_numbers(sides[True])} {'counts' if len(sides[True]) == 1 else 'count'}" if sides[True] else ""
        out = f"{_numbers(sides[False])} {'does' if len(sides[False]) == 1 else 'do'} not" if sides[False] else ""
        lines.append(f"{setup.letter} stands with {comparing_words.standing_words(checks)} ({rule}): "
                     f"{', '.join(filter(None, (count, out)))}.")  # fmt: skip
    return lines


def notes(
    pulls: Sequence[Pull],
    kept: Sequence[CorrectedPull],
    programme: Programme,
    setups: Sequence[Setup],
    standard: Standard,
) -> list[str]:
    """What a reader of the result must know of the pulls behind it."""
    lines = [*_made_of(kept), *_agreed(programme)]
    planned = [setup for setup in programme.setups.all() if setup.candidate == Candidate.IN]
    missing = [setup.letter for setup in planned if setup not in setups]
    if missing:
        lines.append(f"No accepted pull of {', '.join(missing)} yet.")
    if setups and not any(setup.is_baseline for setup in setups):
        lines.append(f"The baseline has no accepted pull: everything is held against {setups[0].letter}.")
    unjudged = [pull for pull in pulls if pull.state == PullState.COMPLETE and pull.standing == Standing.UNDECIDED
                and pull.purpose != Purpose.WARM_UP]  # fmt: skip
    if unjudged:
        lines.append(f"Not judged yet, so not counted: {_numbers(unjudged)}.")
    counted = {found.pull.pk for found in kept}
    first = [pull for pull in pulls if pull.purpose == Purpose.WARM_UP and pull.state == PullState.COMPLETE
             and pull.standing != Standing.ACCEPTED and pull.pk not in counted]  # fmt: skip
    if first:
        lines.append(f"First pulls after a change are excluded, they read high: {_numbers(first)}.")
    out = [
        pull for pull in pulls if pull.standing == Standing.EXCLUDED and pull not in first and pull.pk not in counted
    ]
    if out:
        lines.append(f"Excluded with a reason: {_numbers(out)}.")
    outside = [found.pull for found in kept if not found.inside]
    if outside:
        lines.append(
            f"Weather outside the range of the standard: {_numbers(outside)}. The factor is shown, not vouched for."
        )
    factors = np.array([found.factor for found in kept])
    if not outside and standard is not Standard.OBSERVED and (np.abs(factors - 1) > LARGE_CORRECTION).any():
        lines.append(
            "The correction is above 7 %: be careful with it, correction only scales what was measured. What the "
            "engine wanted in that air, other jets and other spark, it cannot give back."
        )
    lines += _not_repaired(kept, programme, standard)
    if any(found.pull.inertia_in_torque == "unknown" for found in kept):
        lines.append("The stand does not say whether inertia is in its torque: only equal sweep rates compare.")
    builds = {found.pull.build.revision for found in kept}
    if len(builds) > 1:
        revisions = ", ".join(str(revision) for revision in sorted(builds))
        lines.append(
            f"The accepted pulls were made with revisions {revisions} of the engine: part of a difference may be the "
            "engine's."
        )
    from_log = [found.pull for found in kept if found.pull.air is not None and found.pull.air.from_log]
    if from_log and standard is not Standard.OBSERVED:
        lines.append(f"Corrected by the weather log, not by their own weather: {_numbers(from_log)}.")
    unseen = [found.pull for found in kept if not set(comparability.TEMPERATURES) & set(found.pull.reduced.means)]
    if unseen:
        lines.append(
            f"No temperature was recorded: whether the engine was warm cannot be judged of {_numbers(unseen)}."
        )
    lines += _instruments(kept, programme)
    lost = [found.pull for found in kept if found.pull.samples_lost]
    if lost:
        lines.append(f"Samples were lost on the line: {_numbers(lost)}.")
    overridden = [found.pull for found in kept if found.pull.override_reason]
    if overridden:
        lines.append(f"Started outside a temperature window: {_numbers(overridden)}.")
    return lines


def _not_repaired(kept: Sequence[CorrectedPull], programme: Programme, standard: Standard) -> Iterator[str]:
    """What no correction takes out: heat in the manifold, a tune for other air, boost held to an absolute pressure."""
    read = [not_repaired.manifold_temperature(found.pull) for found in kept]
    skins = [kelvin for kelvin in read if kelvin is not None]
    if len(skins) > 1 and np.ptp(skins) > not_repaired.SOAKED:
        yield (
            f"The manifold was up to {np.ptp(skins):.0f} K hotter in one pull than in another: a standard corrects the "
            "air of the cell, not the heat that the manifold gives it."
        )
    days = {found.pull.session_id for found in kept}
    factors = np.array([found.factor for found in kept])
    if len(days) > 1 and not_repaired.is_jetted(kept[0].pull) and np.ptp(factors) > not_repaired.OTHER_AIR:
        yield (
            f"The air of the pulls differs by {np.ptp(factors) * 100:.0f} %, and jets do not follow it: a part of what "
            "differs between days is mixture, which no correction takes out."
        )
    if not_repaired.is_wholly_corrected(programme) and standard is not Standard.OBSERVED:
        yield not_repaired.WHOLE_FACTOR


def _instruments(kept: Sequence[CorrectedPull], programme: Programme) -> Iterator[str]:
    """Where the torque of some pulls was read by an instrument that was found to read otherwise than for the rest."""
    recorded = [found.pull for found in kept if found.pull.origin == PullOrigin.STAND]
    checks = [(error, own) for check, own in instruments.torque_checks(recorded)
              if (error := instruments.torque_error(check)) is not None]  # fmt: skip
    for (before, earlier), (after, later) in pairwise(checks):
        apart, known_to = errors_apart(before, after)
        if abs(apart) <= known_to and abs(apart) < programme.smallest_difference:
            continue
        one_day = {pull.session_id for pull in earlier} & {pull.session_id for pull in later}
        yield (
            f"By their span checks torque was read {100 * abs(apart):.2f} ± {100 * known_to:.2f} % "
            f"{'higher' if apart > 0 else 'lower'} for {_numbers(later)} than for {_numbers(earlier)}: that much is "
            "the instrument's, not the engine's, and nothing is corrected for it. "
            f"{SHARED_DAY if one_day else LINKED_DAYS}"
        )


def _made_of(kept: Sequence[CorrectedPull]) -> Iterator[str]:
    """What is not recorded from an engine, or not here."""
    programme = kept[0].pull.session.programme
    if programme.from_file_at is not None:
        yield (f"Read in from a file on {programme.from_file_at:%Y-%m-%d}: pulls, where they come from and who wrote "
               "what are according to that file.")  # fmt: skip
    simulated = [found.pull for found in kept if nature_of(found.pull) is Nature.SIMULATED]
    if len(simulated) == len(kept):
        yield "All pulls are of the simulated stand: no engine ran, so this is practice and no evidence."
    elif simulated:
        yield f"Of the simulated stand, where no engine ran: {_numbers(simulated)}."
    figures = [found.pull for found in kept if nature_of(found.pull) is Nature.FIGURES]
    if figures:
        yield f"Printed or typed figures, not a recording: {_numbers(figures)}."


def _agreed(programme: Programme) -> Iterator[str]:
    """What the plan agreed on that limits what a difference means."""
    if programme.stand_in:
        yield f"A stand-in test: {programme.stand_in}. It holds for the engine as it was tested."
        yield from _unblown(programme)
    if programme.mixture_policy == MixturePolicy.DELIVERED:
        yield "Every setup ran as delivered: a difference is the part's together with its tune."
    if programme.mixture_policy == MixturePolicy.FACTOR:
        yield "The mixture is part of the question: where it differs on purpose, a difference is the mixture's too."
    if programme.boost_policy:
        school = BOOST_SCHOOLS[BoostSchool(programme.boost_school)].lower()
        held = BoostPolicy(programme.boost_policy).label
        yield f"A boosted engine, school: {school}. {held}: never compare with pulls made the other way."


def _unblown(programme: Programme) -> Iterator[str]:
    """What a test without boost says of an engine that will have it; and the boosted test, where there is one."""
    if programme.boost_policy or not sheets.word(programme.build, "boost_hardware"):
        return
    yield (
        "Without boost it can tell how parts spread the air, tune the runners and suit the speed range. It cannot tell "
        "overlap under back pressure, what a turbine or a blower is asked for, or how hot the charge gets."
    )
    with_boost = Programme.objects.filter(
        build__engine=programme.build.engine_id, archived_at=None, sessions__isnull=False
    ).exclude(Q(pk=programme.pk) | Q(boost_policy=""))  # fmt: skip
    questions = list(dict.fromkeys(with_boost.order_by("-created_at").values_list("question", flat=True)))
    if questions:
        yield f"The same engine was run with boost: {questions[0]}"


def _numbers(pulls: Sequence[Pull]) -> str:
    return numbered("pull", [pull.number for pull in pulls])
