"""Jet changes of the shop: two pulls that follow each other and differ in jets alone, and what the mixture did."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import reduce
from typing import Any

import numpy as np
from django.contrib.postgres.aggregates import StringAgg
from django.db.models import Exists, F, OuterRef, Prefetch, Value, Window
from django.db.models.functions import Concat, Lag
from torvix_core.air.standards import Standard
from torvix_core.engine.dimensions import Slot
from torvix_core.engine.settings import MAIN_JET, TUNE_KINDS, contradicting
from torvix_core.judging.effects import USUAL
from torvix_core.pull.curve import shared_bins
from torvix_core.tuning.jet_slope import JetChange
from torvix_core.tuning.mixture_power import PowerChange
from torvix_core.units.checked import Array

from curves.comparability.tunes import number
from curves.models import ChannelMean
from curves.reduction.correct import corrected
from curves.reduction.nature import Nature, of_nature
from programmes.plan.plans import SETTING
from programmes.settings import tune_sizes
from programmes.settings.service import at_full_throttle
from shop.refusals import Refusal
from stand.models import Pull, PullState, Purpose, Standing
from stand.weather import service as weather

JET_KEY = f"{SETTING}{MAIN_JET}_"
POSITIONS = tuple(TUNE_KINDS[MAIN_JET].positions)
NOISE = 0.004  # scatter of the mean of ln λ from pull to pull [prac]
MOST_POWER_CHANGES = 40  # the newest, of one engine
LAMBDA_ALONE = Prefetch("reduced__channel_means", ChannelMean.objects.filter(channel="lambda"))
SWEEPS = (Purpose.SWEEP, Purpose.WARM_UP)


@dataclass(frozen=True)
class JetCase:
    """Two pulls and the change of jets between them."""

    before: Pull
    pull: Pull
    change: JetChange


def jets_of(pull: Pull) -> dict[str, float]:
    """Numbers of the main jets by position, as the pull was armed with them; none where one of them is no number,
    as a file of somebody else's may have it."""
    texts = {key.removeprefix(JET_KEY): text for key, text in pull.settings_in_force.items() if key.startswith(JET_KEY)}
    found = {position: number(text) for position, text in texts.items() if position in POSITIONS}
    if contradicting(f"{MAIN_JET}_{position}" for position in found):
        return {}
    return {} if None in found.values() else {position: size for position, size in found.items() if size}


def contradict(pull: Pull) -> bool:
    """Whether its jets are written down for one carburetor and for two, or by bank as well."""
    return bool(contradicting(key.removeprefix(SETTING) for key in pull.settings_in_force if key.startswith(JET_KEY)))


def areas_of(
    before: Mapping[str, float], after: Mapping[str, float], sizes: Mapping[float, float]
) -> tuple[dict[str, float], dict[str, float]]:
    """Of both sets of jets in one unit: by the shop's table where it has every number, else the number is taken for
    the diameter [prac]."""
    known = {*before.values(), *after.values()} <= set(sizes)

    def sized(jets: Mapping[str, float]) -> dict[str, float]:
        return {position: sizes[number] if known else number**2 for position, number in jets.items()}

    return sized(before), sized(after)


def carburetor_of(pull: Pull) -> str:
    """What the jets are in: the carburetor of the setup, else the engine itself."""
    parts = sorted(part.pk for part in pull.setup.parts.all() if part.slot in (Slot.CARBURETOR, Slot.THROTTLE_BODY))
    return f"parts {parts}" if parts else f"engine {pull.build.engine_id}"


def is_injected(pull: Pull) -> bool:
    """Whether the engine breathes through a throttle body, or was armed with a fuel table."""
    slots = {part.slot for part in pull.setup.parts.all()}
    table = bool({f"{SETTING}fuel_table", f"{SETTING}fuel_trim"} & set(pull.settings_in_force))
    return Slot.CARBURETOR not in slots and (table or Slot.THROTTLE_BODY in slots)


def lambda_of(pull: Pull) -> tuple[Array, Array] | None:
    """The mixture curve of a pull over what its test compares; None where none was measured."""
    reduced, programme = getattr(pull, "reduced", None), pull.session.programme
    found = None if reduced is None else reduced.means.get("lambda")
    if reduced is None or found is None:
        return None
    speed = np.array(reduced.speed_rpm)
    inside = (speed >= programme.low_rpm) & (speed <= programme.high_rpm) & np.isfinite(found)
    return (speed[inside], found[inside]) if inside.any() else None


def cases(nature: Nature) -> list[JetCase]:
    """Every jet change that was pulled in the shop, in order of time; simulated ones teach simulated ones alone."""
    pairs = _with_other_jets(nature)
    pulls = (
        Pull.objects.filter(pk__in={pk for pair in pairs for pk in pair})
        .select_related("reduced", "setup", "build", "session__programme")
        .prefetch_related(LAMBDA_ALONE, "settings", "setup__parts")
    )
    by_pk = {pull.pk: pull for pull in pulls}
    sizes = tune_sizes.areas(MAIN_JET)
    changes = [(by_pk[one], by_pk[other], _change(by_pk[one], by_pk[other], sizes)) for one, other in pairs]
    return [JetCase(one, other, change) for one, other, change in changes if change is not None]


def _with_other_jets(nature: Nature) -> list[tuple[int, int]]:
    """Keys of each pull with other jets than the pull before it in the visit, and of that one, in order of time. Most
    pulls of a shop change none: they are not read."""
    visits: dict[str, Any] = {"partition_by": ["session", "setup"], "order_by": "number"}
    jets = StringAgg(Concat("settings__key", Value("="), "settings__text"), ";", order_by="settings__key")
    measured = ChannelMean.objects.filter(reduced__pull=OuterRef("pk"), channel="lambda")
    found = (
        Pull.objects.filter(of_nature(nature), Exists(measured), settings__key__startswith=JET_KEY,
                            state=PullState.COMPLETE, purpose__in=SWEEPS)
        .exclude(standing=Standing.EXCLUDED)
        .annotate(jets=jets)
        .annotate(one=Window(Lag("pk"), **visits), jets_of_one=Window(Lag("jets"), **visits))
        .filter(one__isnull=False).exclude(jets=F("jets_of_one"))
    )  # fmt: skip
    return list(found.order_by("pk").values_list("one", "pk"))


def _change(before: Pull, pull: Pull, sizes: Mapping[float, float]) -> JetChange | None:
    """None where anything but jets differs, or the two cannot be held against each other."""
    one, other = (at_full_throttle(of.settings_in_force) for of in (before, pull))
    differing = {key for key in {*one, *other} if one.get(key) != other.get(key)}
    if not differing or not all(key.startswith(JET_KEY) for key in differing) or set(one) != set(other):
        return None
    first, second = lambda_of(before), lambda_of(pull)
    if first is None or second is None:
        return None
    _, ours, theirs = shared_bins(first[0], second[0])
    if not len(ours):
        return None
    moved = float(np.mean(np.log(second[1][theirs]) - np.log(first[1][ours])))
    areas = areas_of(jets_of(before), jets_of(pull), sizes)
    return JetChange(carburetor_of(pull), *areas, moved, NOISE * 2**0.5)


def power_changes(own: Sequence[JetCase]) -> list[PowerChange]:
    """What each jet change of one engine did to its corrected torque, beside what it did to the mixture.

    Not of a warm-up: its mixture is true, its torque flatters.
    """
    counted = [case for case in own if Purpose.WARM_UP not in (case.before.purpose, case.pull.purpose)]
    newest = counted[-MOST_POWER_CHANGES:]
    weather.give_air([pull for case in newest for pull in (case.before, case.pull)])
    return [found for case in newest if (found := _power_change(case)) is not None]


def _power_change(case: JetCase) -> PowerChange | None:
    """None where the two cannot be corrected, or share no speed."""
    standard = Standard(case.pull.session.programme.standard)
    first, second = lambda_of(case.before), lambda_of(case.pull)
    try:
        torques = [corrected(pull, standard) for pull in (case.before, case.pull)]
    except Refusal:
        return None
    assert first is not None  # it is a case because both were measured
    assert second is not None
    speeds = [np.round(each) for each in (first[0], second[0], torques[0].speed_rpm, torques[1].speed_rpm)]
    shared = reduce(np.intersect1d, speeds)
    if not len(shared):
        return None
    before, after, low, high = (
        values[np.searchsorted(speed, shared)]
        for values, speed in zip((first[1], second[1], torques[0].torque, torques[1].torque), speeds, strict=True)
    )
    if (low <= 0).any() or (high <= 0).any():
        return None
    return PowerChange(before, after, float(np.mean(np.log(high / low))), USUAL.scatter * 2**0.5)


def before(all_cases: Sequence[JetCase], pull: Pull) -> list[JetChange]:
    """What was known before a pull was made."""
    return [case.change for case in all_cases if case.pull.pk < pull.pk]
