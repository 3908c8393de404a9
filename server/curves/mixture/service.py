"""The mixture of a pull against its band, jets that should bring it there, and what earlier advice came to."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from torvix_core.engine.settings import MAIN_JET
from torvix_core.pull.limits import USUAL
from torvix_core.pull.trace import BANKS
from torvix_core.tuning.jet_slope import JetSlope, learn
from torvix_core.tuning.mixture_advice import FuelStep, JetAdvice, MixtureState, Withheld, advise, advise_fuel
from torvix_core.tuning.mixture_power import MixturePower, learn_power
from torvix_core.tuning.mixture_reading import BankReading, MixtureBand, MixtureReading, read_banks, read_mixture
from torvix_core.units.checked import Array

from curves.mixture import jet_cases
from curves.mixture.jet_cases import NOISE, JetCase
from curves.reduction.nature import nature_of
from programmes.models import MixturePolicy
from programmes.settings import tune_sizes
from stand.models import Pull
from stand.pulls.targets import mixture_target

SHOWN_CASES = 10
EXHAUST = "exhaust_temperature"
EXHAUST_LIMIT = next(limit for limit in USUAL if limit.channel == EXHAUST)


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
    banks: BankReading | None = None
    leanest_bank: float | None = None  # lambda
    power: MixturePower | None = None
    scored: tuple[ScoredCase, ...] = ()
    speed_rpm: Array | None = None  # of the mixture curve, and of the one that is predicted


def work(pull: Pull) -> MixtureWork:
    """What one pull says of its mixture. It needs setup, parts, settings, build, session and curve."""
    programme, found = pull.session.programme, jet_cases.lambda_of(pull)
    if found is None:
        return MixtureWork(pull, _unread(pull), jets=jet_cases.jets_of(pull))
    target = mixture_target(pull)
    if target is None:
        return MixtureWork(pull, "target", jets=jet_cases.jets_of(pull))
    band = MixtureBand(target)
    reading = read_mixture(*found, programme.low_rpm, programme.high_rpm, band)
    leanest = _leanest_bank(pull)
    banks = read_banks(np.array(pull.reduced.speed_rpm), pull.reduced.means, programme.low_rpm, programme.high_rpm)
    if programme.mixture_policy != MixturePolicy.MATCHED:
        return MixtureWork(pull, programme.mixture_policy, band, reading, banks=banks, leanest_bank=leanest)
    jets = jet_cases.jets_of(pull)
    knocks = any(odd.kind == "knock" for odd in pull.reduced.anomalies.all())
    state = MixtureState(*found, programme.low_rpm, programme.high_rpm, jets, pull.first_after_change, knocks, NOISE,
                         leanest, _exhaust_room(pull))  # fmt: skip
    if not jets:
        if jet_cases.is_injected(pull):
            return MixtureWork(
                pull, "", band, reading, fuel=advise_fuel(state, band), banks=banks, leanest_bank=leanest
            )
        why = "positions" if jet_cases.contradict(pull) else "jets"
        return MixtureWork(pull, why, band, reading, banks=banks, leanest_bank=leanest)
    sizes = tune_sizes.areas(MAIN_JET)
    if sizes and not set(jets.values()) <= set(sizes):
        return MixtureWork(pull, "table", band, reading, jets=jets, banks=banks, leanest_bank=leanest)
    known, carburetor = jet_cases.cases(nature_of(pull)), jet_cases.carburetor_of(pull)
    positions = tuple(position for position in jet_cases.POSITIONS if position in jets)
    earlier = [case for case in known if case.pull.pk <= pull.pk]
    slope = learn([case.change for case in earlier], carburetor, positions)
    own = [case for case in earlier if case.change.carburetor == carburetor]
    of_engine = [case for case in earlier if case.pull.build.engine_id == pull.build.engine_id]
    power = learn_power(jet_cases.power_changes(of_engine))
    advice = advise(state, band, slope, sizes or None, power)
    return MixtureWork(pull, "", band, reading, advice, slope=slope, jets=jets,
                       banks=banks, leanest_bank=leanest, power=power, speed_rpm=found[0],
                       scored=tuple(_scored(case, known) for case in own[-SHOWN_CASES:]))  # fmt: skip


def _unread(pull: Pull) -> str:
    """Why there is no mixture curve: one bank alone says nothing of the other."""
    reduced = getattr(pull, "reduced", None)
    read = [bank for bank in BANKS if reduced is not None and bank in reduced.means]
    return read[0] if read else "channel"


def _used(pull: Pull, channel: str) -> Array | None:
    """The means of a channel over what is compared; None where it was not read there."""
    values, programme = pull.reduced.means.get(channel), pull.session.programme
    if values is None:
        return None
    speed = np.array(pull.reduced.speed_rpm)
    values = values[(speed >= programme.low_rpm) & (speed <= programme.high_rpm) & np.isfinite(values)]
    return values if len(values) else None


def _leanest_bank(pull: Pull) -> float | None:
    found = [values.max() for bank in BANKS if (values := _used(pull, bank)) is not None]
    return float(max(found)) if found else None


def _exhaust_room(pull: Pull) -> float | None:
    """By how much the hottest exhaust lay below the limit that guarded the pull, else the usual one, K."""
    hottest = _used(pull, EXHAUST)
    if hottest is None:
        return None
    guarded = {str(key): value for key, value in pull.active_limits}
    limit = guarded.get(EXHAUST_LIMIT.key, EXHAUST_LIMIT.value)
    return float(limit) - float(hottest.max()) if isinstance(limit, float | int) else None


def _scored(case: JetCase, known: list[JetCase]) -> ScoredCase:
    change, before = case.change, jet_cases.lambda_of(case.before)
    assert before is not None  # it is a case because both were measured
    slope = learn(jet_cases.before(known, case.pull), change.carburetor, tuple(change.before))
    shift, mean = slope.shift(change.before, change.after, change.sd), float(before[1].mean())
    low, high = shift.bounds()
    return ScoredCase(case, mean * float(np.exp(shift.expected)), mean * float(np.exp(low)), mean * float(np.exp(high)),
                      mean * float(np.exp(change.moved)))  # fmt: skip
