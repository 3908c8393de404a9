"""What the correction of a pull cannot repair: said beside its number, and of a comparison as a whole.

Heat in the manifold, a tune that was found in other air, boost that is held to an absolute pressure, a large factor.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from django.db.models import Prefetch, Q
from torvix_core.air.standards import LARGE_CORRECTION, BoostSchool, Standard
from torvix_core.engine.settings import tune_item
from torvix_core.units import quantities

from curves.models import ChannelMean
from curves.reduction.correct import correction_of
from programmes.models import Programme
from programmes.plan.plans import SETTING
from shop.refusals import Refusal
from stand.models import Pull
from stand.weather import service as weather

SOAKED = 15.0  # K between the manifolds of two pulls that cost about 1 % of power [prac]
OTHER_AIR = 0.03  # of the factor between days, from which a jet no longer suits both [prac]
FEWEST_USUAL = 3  # pulls of a session from which one can be unusual
MANIFOLD = "manifold_temperature"
SCALES_ONLY = (
    "So large a factor only scales what was measured: what the engine wanted in that air, other jets and other spark, "
    "it cannot give back."
)
WHOLE_FACTOR = (
    "The whole factor is applied to a boosted engine. Where its boost is held to an absolute pressure, the controller "
    "has made up for the barometer already, and so much of the correction is too much."
)


def of_pulls(
    programme: Programme, pulls: Sequence[Pull], standard: Standard, units: Mapping[str, str]
) -> dict[int, list[str]]:
    """By pull, each thing in a sentence; needs their air, channel means and settings.

    A pull is held against the others that are given: its session for heat, its setup for the air of its tune.
    """
    factors = {pull.pk: _factor(pull, standard) for pull in pulls}
    heat, tuned_in = _heat(pulls), _tuned_in(pulls, factors)
    found = {}
    for pull in pulls:
        lines, factor = [], factors[pull.pk]
        if factor is not None and standard is not Standard.OBSERVED:
            if abs(factor - 1) > LARGE_CORRECTION:
                lines.append(SCALES_ONLY)
            if (first := tuned_in.get(pull.pk)) and (then := factors[first.pk]) and abs(factor - then) > OTHER_AIR:
                lines.append(
                    f"Its jets are those of pull {first.number}, whose air had a factor of {then:.3f}: jets do not "
                    "follow the air, and what the mixture costs is not corrected."
                )
            if is_wholly_corrected(programme):
                lines.append(WHOLE_FACTOR)
        if abs(hotter := heat.get(pull.pk, 0.0)) > SOAKED:
            unit, side = units["temperature"], "hotter" if hotter > 0 else "cooler"
            lines.append(
                f"Its manifold was {float(quantities.difference_from_si(abs(hotter), unit)):.0f} {unit} {side} than "
                "usual in its session: a standard corrects the air of the cell, not the heat of the manifold."
            )
        found[pull.pk] = lines
    return found


def of_pull(pull: Pull, standard: Standard, units: Mapping[str, str]) -> list[str]:
    """The same for one pull as the log of its test has it: all of its session and of its setup are looked at."""
    programme = pull.session.programme
    skins = ChannelMean.objects.filter(channel=MANIFOLD)
    beside = list(
        Pull.objects.filter(Q(session=pull.session_id) | Q(setup=pull.setup_id), session__programme=programme)
        .select_related("reduced", "session__programme")
        .prefetch_related(Prefetch("reduced__channel_means", skins), "settings")
        .order_by("number")
    )
    weather.give_air(beside)
    return of_pulls(programme, beside, standard, units)[pull.pk]


def is_wholly_corrected(programme: Programme) -> bool:
    """Whether the whole factor is applied to an engine that is boosted."""
    return bool(programme.boost_policy) and programme.boost_school == BoostSchool.UNBLOWN


def is_jetted(pull: Pull) -> bool:
    return any(tune_item(key.removeprefix(SETTING))[0] for key in pull.settings_in_force)


def manifold_temperature(pull: Pull) -> float | None:
    """Mean of the pull, K; None where it was not read."""
    reduced = getattr(pull, "reduced", None)
    means = None if reduced is None else reduced.means.get(MANIFOLD)
    value = float("nan") if means is None or not len(means) else float(np.nanmean(means))
    return value if np.isfinite(value) else None


def _factor(pull: Pull, standard: Standard) -> float | None:
    try:
        return correction_of(pull, standard)[0]
    except Refusal:
        return None


def _heat(pulls: Sequence[Pull]) -> dict[int, float]:
    """By pull, how much hotter its manifold was than the middle one of its session, K."""
    sessions: dict[int, dict[int, float]] = {}
    for pull in pulls:
        if (kelvin := manifold_temperature(pull)) is not None:
            sessions.setdefault(pull.session_id, {})[pull.pk] = kelvin
    return {
        pk: kelvin - float(np.median(list(found.values())))
        for found in sessions.values() if len(found) >= FEWEST_USUAL
        for pk, kelvin in found.items()
    }  # fmt: skip


def _tuned_in(pulls: Sequence[Pull], factors: Mapping[int, float | None]) -> dict[int, Pull]:
    """By pull, the first of its setup that had its jets, where it is another."""
    first: dict[tuple[int, frozenset[tuple[str, str]]], Pull] = {}
    found = {}
    for pull in sorted(pulls, key=lambda one: one.number):
        if factors[pull.pk] is None or not is_jetted(pull):
            continue
        jets = frozenset(
            (key, text) for key, text in pull.settings_in_force.items() if tune_item(key.removeprefix(SETTING))[0]
        )
        one = first.setdefault((pull.setup_id, jets), pull)
        if one is not pull:
            found[pull.pk] = one
    return found
