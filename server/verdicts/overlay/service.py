"""Curves of several tests over each other: as shapes, unless a session or a setup that both tests ran links them."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime

import numpy as np
from django.http import Http404
from torvix_core.air.standards import Standard
from torvix_core.judging.effects import CONFIDENCE
from torvix_core.units.checked import Array

from curves.reduction.correct import corrected
from curves.reduction.nature import Nature, nature_of
from programmes.models import Programme, Setup
from shop.models import Person
from shop.refusals import Invalid, Refusal
from stand.models import Pull
from verdicts.comparison.aligned_pulls import Comparison, compare
from verdicts.comparison.setup_identity import identity_of

MOST_CURVES = 8
FEWEST_BINS = 3
KEY = re.compile(r"^([sp])(\d{1,18})$")


@dataclass(frozen=True)
class OverlaidCurve:
    """A setup's curve, or that of one pull (half widths None), under the standard; torque in N·m, (bins,)."""

    key: str
    programme: Programme
    setup: Setup
    pull: Pull | None
    ran_at: datetime
    nature: Nature
    speed_rpm: Array
    torque: Array
    half_width: Array | None


@dataclass(frozen=True)
class LinkedGain:
    """What one curve gains over the first, by speed, shares with 95 % intervals; `through` names what links them."""

    key: str
    nature: Nature
    speed_rpm: Array
    change: Array
    low: Array
    high: Array
    through: str


@dataclass(frozen=True)
class LaidOver:
    """`shape_why` says why the curves stand as shares of their own peaks; empty where all are linked."""

    curves: Sequence[OverlaidCurve]
    gains: Sequence[LinkedGain]
    shape_why: str
    missing: Sequence[str]  # in words, what could not be laid down


def lay_over(person: Person, keys: Sequence[str], standard: Standard) -> LaidOver:
    """Setups (s and their number) and pulls (p) of any tests that the person may see, in the order given.

    Invalid names what is no key, or more than MOST_CURVES; what has no curve under the standard is named. Http404 where
    the person may see none of them.
    """
    wanted = _read(keys)
    programmes = _programmes(person, wanted)
    if wanted and not programmes:
        raise Http404
    compared: dict[int, Comparison | str] = {}
    curves, missing = [], []
    for key, kind, number in wanted:
        programme = programmes.get((kind, number))
        if programme is None:
            missing.append("One of them is not there any more, or not for you to see.")
            continue
        if programme.pk not in compared:
            compared[programme.pk] = _compared(programme, standard)
        made = _curve(key, kind, number, programme, compared[programme.pk], standard)
        if isinstance(made, str):
            missing.append(made)
        else:
            curves.append(made)
    gains, why = _linked(curves, {pk: one for pk, one in compared.items() if isinstance(one, Comparison)})
    return LaidOver(curves, gains, why, missing)


def _read(keys: Sequence[str]) -> list[tuple[str, str, int]]:
    found = []
    for key in dict.fromkeys(keys):
        match = KEY.match(key)
        if match is None:
            raise Invalid("This is no curve.", fields={"items": "a setup is s and its number, a pull p and its number"})
        found.append((key, match[1], int(match[2])))
    if len(found) > MOST_CURVES:
        raise Invalid("Too many curves.", fields={"items": f"{MOST_CURVES} can be kept apart by eye: remove some"})
    return found


def _programmes(person: Person, wanted: Sequence[tuple[str, str, int]]) -> dict[tuple[str, int], Programme]:
    """By kind and number, with what a comparison asks of it; only what the person may see."""
    setups = [number for _, kind, number in wanted if kind == "s"]
    pulls = [number for _, kind, number in wanted if kind == "p"]
    of_setup = dict(Setup.objects.filter(pk__in=setups).values_list("pk", "programme"))
    of_pull = dict(Pull.objects.filter(pk__in=pulls).values_list("pk", "session__programme"))
    seen = Programme.objects.visible_to(person).filter(pk__in={*of_setup.values(), *of_pull.values()})
    rows = ("setups__parts", "setups__settings", "build__installation", "build__readings")
    known = {one.pk: one for one in seen.select_related("build__engine").prefetch_related(*rows)}
    found = {("s", pk): known.get(programme) for pk, programme in of_setup.items()}
    found |= {("p", pk): known.get(programme) for pk, programme in of_pull.items()}
    return {key: programme for key, programme in found.items() if programme is not None}


def _compared(programme: Programme, standard: Standard) -> Comparison | str:
    try:
        return compare(programme, standard)
    except Refusal as refusal:
        return f"“{programme.question}”: {refusal}"


def _curve(
    key: str, kind: str, number: int, programme: Programme, comparison: Comparison | str, standard: Standard
) -> OverlaidCurve | str:  # fmt: skip
    if kind == "p":
        pull = Pull.objects.select_related("reduced", "session", "setup").get(pk=number)
        setup = next(one for one in programme.setups.all() if one.pk == pull.setup_id)
        try:
            made = corrected(pull, standard)
        except Refusal as refusal:
            return f"“{programme.question}”: {refusal}"
        return OverlaidCurve(
            key, programme, setup, pull, pull.armed_at, nature_of(pull), made.speed_rpm, made.torque, None
        )
    if isinstance(comparison, str):
        return comparison
    place = next((at for at, setup in enumerate(comparison.setups) if setup.pk == number), None)
    if place is None:
        setup = next(one for one in programme.setups.all() if one.pk == number)
        return f"“{programme.question}”: {setup.letter} has no accepted pull."
    effects = comparison.curves()
    torque = comparison.means(comparison.torque) if effects is None else effects.mean
    ran_at = min(one.pull.armed_at for row, one in enumerate(comparison.kept) if comparison.setup_of[row] == place)
    return OverlaidCurve(
        key, programme, comparison.setups[place], None, ran_at, comparison.nature_of(place), comparison.speed_rpm,
        torque[place], None if effects is None else effects.own_half_widths[place],
    )  # fmt: skip


def _linked(
    curves: Sequence[OverlaidCurve], compared: dict[int, Comparison]
) -> tuple[list[LinkedGain], str]:  # fmt: skip
    """Gains over the first curve, and why not all can be said."""
    if len(curves) < 2:
        return [], ""
    first, gains, loose = curves[0], [], []
    for one in curves[1:]:
        gain = None
        if one.pull is None and first.pull is None:
            gain = _gain(one, first, compared)
        if gain is None:
            loose.append(one)
        else:
            gains.append(gain)
    if not loose:
        return gains, ""
    if first.pull is not None or any(one.pull is not None for one in loose):
        return gains, "Single pulls are among them: how they differ is not said, so their shapes are shown."
    return gains, (
        "Not all of these are linked: no setup was run with both, so how much one makes over another is not known. "
        "Their shapes are shown, each as a share of its own peak."
    )


def _gain(one: OverlaidCurve, first: OverlaidCurve, compared: dict[int, Comparison]) -> LinkedGain | None:
    """Within one test as it was measured; over two by way of the setup that both ran, its scatter counted in."""
    mine, theirs = compared[one.programme.pk], compared[first.programme.pk]
    if mine is theirs:
        found = _over(mine, one.setup, first.setup)
        if found is None:
            return None
        nature = mine.nature_of(_place(mine, one.setup), _place(mine, first.setup))
        return LinkedGain(one.key, nature, mine.speed_rpm, *_shares(*found), "the same test")
    best: tuple[float, LinkedGain] | None = None
    for here in mine.setups:
        for there in theirs.setups:
            if one.programme.build_id != first.programme.build_id or identity_of(here) != identity_of(there):
                continue
            up, down = _over(mine, one.setup, here), _over(theirs, first.setup, there)
            if up is None or down is None:
                continue
            speed, at, back = np.intersect1d(mine.speed_rpm, theirs.speed_rpm, return_indices=True)
            if len(speed) < FEWEST_BINS:
                continue
            change = up[0][at] - down[0][back]
            half = np.hypot(up[1][at], down[1][back])
            nature = _lesser(mine.nature_of(_place(mine, one.setup), _place(mine, here)),
                             theirs.nature_of(_place(theirs, first.setup), _place(theirs, there)))  # fmt: skip
            gain = LinkedGain(one.key, nature, speed, *_shares(change, half), f"{there.name}, which both tests ran")
            if best is None or float(half.mean()) < best[0]:
                best = float(half.mean()), gain
    return None if best is None else best[1]


def _over(comparison: Comparison, setup: Setup, reference: Setup) -> tuple[Array, Array] | None:
    """Logarithm of the gain by speed and half its 95 % interval at each speed; None where nothing links them."""
    effects = comparison.curves()
    if effects is None:
        return None
    place, base = _place(comparison, setup), _place(comparison, reference)
    if not effects.linked(place, base):
        return None
    found = replace(effects, tail=1 - CONFIDENCE).difference(place, base)
    return np.log1p(found.change), (np.log1p(found.high) - np.log1p(found.low)) / 2


def _place(comparison: Comparison, setup: Setup) -> int:
    return next(at for at, one in enumerate(comparison.setups) if one.pk == setup.pk)


def _shares(change: Array, half: Array) -> tuple[Array, Array, Array]:
    return np.expm1(change), np.expm1(change - half), np.expm1(change + half)


def _lesser(one: Nature, other: Nature) -> Nature:
    """The less sure of two."""
    return next((nature for nature in (Nature.SIMULATED, Nature.FIGURES) if nature in (one, other)), Nature.MEASURED)
