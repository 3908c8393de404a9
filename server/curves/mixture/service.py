"""The mixture of a pull against its band, jets that should bring it there, and what earlier advice came to."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from torvix_core.engine.settings import MAIN_JET
from torvix_core.tuning.jet_slope import JetSlope, learn
from torvix_core.tuning.mixture_advice import (
    FuelStep,
    JetAdvice,
    MixtureBand,
    MixtureReading,
    MixtureState,
    Withheld,
    advise,
    advise_fuel,
    read_mixture,
)

from curves.mixture import jet_cases
from curves.mixture.jet_cases import NOISE, JetCase
from curves.reduction.nature import nature_of
from engines.sheet import sheets
from programmes.models import MixturePolicy
from programmes.plan.plans import SETTING
from programmes.settings import tune_sizes
from stand.models import Pull

SHOWN_CASES = 10


@dataclass(frozen=True)
class ScoredCase:
    """A jet change with the mean lambda that was predicted from what was known before it, and what came."""

    case: JetCase
    predicted: float
    low: float
    high: float
    came: float


@dataclass(frozen=True)
class MixtureWork:
    """None where something is missing: `missing` says what."""

    pull: Pull
    missing: str = ""
    band: MixtureBand | None = None
    reading: MixtureReading | None = None
    advice: JetAdvice | Withheld | None = None
    fuel: tuple[FuelStep, ...] | Withheld | None = None  # of an injected engine
    slope: JetSlope | None = None
    jets: dict[str, float] | None = None
    scored: tuple[ScoredCase, ...] = ()


def work(pull: Pull) -> MixtureWork:
    """What one pull says of its mixture. It needs setup, parts, settings, build, session and curve."""
    programme, found = pull.session.programme, jet_cases.lambda_of(pull)
    if found is None:
        return MixtureWork(pull, "channel", jets=jet_cases.jets_of(pull))
    target = _target(pull)
    if target is None:
        return MixtureWork(pull, "target", jets=jet_cases.jets_of(pull))
    band = MixtureBand(target)
    reading = read_mixture(*found, programme.low_rpm, programme.high_rpm, band)
    if programme.mixture_policy != MixturePolicy.MATCHED:
        return MixtureWork(pull, programme.mixture_policy, band, reading)
    jets = jet_cases.jets_of(pull)
    knocks = any(odd.kind == "knock" for odd in pull.reduced.anomalies.all())
    state = MixtureState(*found, programme.low_rpm, programme.high_rpm, jets, pull.first_after_change, knocks, NOISE)
    if not jets:
        if jet_cases.is_injected(pull):
            return MixtureWork(pull, "", band, reading, fuel=advise_fuel(state, band))
        return MixtureWork(pull, "jets", band, reading)
    known, carburetor = jet_cases.cases(nature_of(pull)), jet_cases.carburetor_of(pull)
    positions = tuple(position for position in jet_cases.POSITIONS if position in jets)
    earlier = [case for case in known if case.pull.pk <= pull.pk]
    slope = learn([case.change for case in earlier], carburetor, positions)
    own = [case for case in earlier if case.change.carburetor == carburetor]
    sizes = tune_sizes.areas(MAIN_JET)
    areas = sizes if set(jets.values()) <= set(sizes) else None
    return MixtureWork(pull, "", band, reading, advise(state, band, slope, areas), slope=slope, jets=jets,
                       scored=tuple(_scored(case, known) for case in own[-SHOWN_CASES:]))  # fmt: skip


def _target(pull: Pull) -> float | None:
    """Of the pull's own settings, else of the build sheet."""
    text = pull.settings_in_force.get(f"{SETTING}mixture_target", "")
    try:
        return float(text.split()[0].replace(",", ".")) if text else sheets.value(pull.build, "mixture_target")
    except ValueError:
        return None


def _scored(case: JetCase, known: list[JetCase]) -> ScoredCase:
    change, before = case.change, jet_cases.lambda_of(case.before)
    assert before is not None  # it is a case because both were measured
    slope = learn(jet_cases.before(known, case.pull), change.carburetor, tuple(change.before))
    shift, mean = slope.shift(change.before, change.after, change.sd), float(before[1].mean())
    low, high = shift.bounds()
    return ScoredCase(case, mean * float(np.exp(shift.expected)), mean * float(np.exp(low)), mean * float(np.exp(high)),
                      mean * float(np.exp(change.moved)))  # fmt: skip
