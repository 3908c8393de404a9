"""Whether two pulls may be held against each other: what was not the same, and what that is likely worth.

Each check has a window: within `note` nothing is said, beyond `block` the two are not comparable unless somebody
lets them in with a reason. A likely effect is a share of torque, never taken out of a result: it says how much of a
difference may be due to the circumstances.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from math import pi

import numpy as np
from torvix_core.engine.settings import MIXTURE_ITEMS
from torvix_core.pull.curve import shared_bins
from torvix_core.pull.warm_state import FAR, WarmState
from torvix_core.units.checked import Array

COOLANT_PER_K = -0.01 / 17.5  # water 15 to 20 °C warmer cost about 1 % at the top [prac]
OIL_PER_K = 0.0019 / 17.5  # hot thin oil gave torque back, 529.3 to 530.3 lb-ft [prac]
MANIFOLD_PER_K = -0.0004  # a cold manifold flatters: about 1 % between warm and hot [prac]
BEST_LAMBDA = 0.87  # for power on gasoline [prac]
MIXTURE_CURVATURE = 3.9  # share of torque lost for each square of lambda away from it: a point rich costs 1.8 % [prac]
SPARK_PER_DEGREE = 0.003  # near the best, a few hp for each degree [prac]
FIRST_PULL = 0.009  # by which the first pull after a change flatters [prac]
USUAL_INERTIA = 0.4  # kg·m², of an engine with its brake where nobody knows: 0.3 to 0.5 [prac]
MINIMUM_SHARED_BINS = 5
STANDARD_AIR = 298.15  # K
TEMPERATURES = ("oil_temperature", "coolant_temperature", "inlet_temperature", "manifold_temperature")


class ComparabilityLevel(StrEnum):
    OK = "ok"
    NOTE = "note"
    BLOCK = "block"
    UNKNOWN = "unknown"  # one of the two was not measured


class Basis(StrEnum):
    """What a likely effect rests on."""

    PHYSICS = "physics"
    PRACTICE = "practice"
    STANDARD = "standard"
    NONE = ""


@dataclass(frozen=True)
class ComparabilityWindow:
    """Differences up to `note` pass, up to `block` are noted. In the unit of the check."""

    note: float
    block: float


WINDOWS: dict[str, ComparabilityWindow] = {
    "oil_temperature": ComparabilityWindow(8.0, 20.0),  # K, this and the rest [prac]
    "coolant_temperature": ComparabilityWindow(5.0, 15.0),  # K
    "inlet_temperature": ComparabilityWindow(4.0, 12.0),  # K beyond what the correction takes out
    "manifold_temperature": ComparabilityWindow(8.0, 25.0),  # K
    "mixture": ComparabilityWindow(0.02, 0.05),  # lambda, in nine bins of ten
    "spark": ComparabilityWindow(0.5, 3.0),  # degrees
    "boost": ComparabilityWindow(1_379.0, 6_895.0),  # Pa, 0.2 and 1 psi, in nine bins of ten
    "sweep_rate": ComparabilityWindow(0.05, 0.25),  # of the slower
    "correction": ComparabilityWindow(0.02, 0.5),  # of the factor; a large one is noted, and no more [prac]
    "time_apart": ComparabilityWindow(3 * 3600.0, 24 * 3600.0),  # s, within a session
    "slots": ComparabilityWindow(1.0, 99.0),  # slots and settings that differ
    "resolution": ComparabilityWindow(0.002, 0.01),  # of the torque, what rounding may hide
}
UNITS = {
    "oil_temperature": "K", "coolant_temperature": "K", "inlet_temperature": "K", "manifold_temperature": "K",
    "mixture": "lambda", "spark": "°", "boost": "Pa", "sweep_rate": "1", "correction": "1", "time_apart": "s",
    "slots": "", "resolution": "1",
}  # fmt: skip


@dataclass(frozen=True)
class Facts:
    """What a pull brings to a comparison. None and missing channels are not known, which is said and not guessed."""

    speed_rpm: Array
    torque: Array
    means: Mapping[str, Array]
    session: int
    setup: int
    at_s: float | None = None  # of a clock that all pulls share
    air_temperature: float | None = None  # K, of the air it is corrected for
    ambient: float | None = None  # Pa
    factor: float | None = None
    factor_inside: bool = True
    sweep_rate_rpm_s: float = 0.0
    inertia_included: bool | None = None  # None: the stand does not say
    inertia: float = 0.0  # kg·m², that was added
    spark: float | None = None
    fuel: str = ""
    operator: str = ""
    revision: int = 1
    first_after_change: bool = False
    resolution: float = 0.0  # share of the torque that rounding may hide
    configuration: Mapping[str, str] = field(default_factory=dict)  # slot or setting -> what is there
    planned: Mapping[str, str] | None = None  # slot or setting -> what the plan says; None: what is there is planned
    stepwise: bool = False  # a step test, not a sweep
    simulated: bool = False  # no engine ran
    boost_as_it_comes: bool = False  # equal drive was agreed on, not equal boost
    mixture_as_delivered: bool = False  # every setup with the tune it came with
    mixture_is_factor: bool = False  # the question is about the mixture


@dataclass(frozen=True)
class ComparabilityCheck:
    """One thing held against the other pull. `found` is the second less the first, in the unit of UNITS."""

    key: str
    level: ComparabilityLevel
    found: float | None = None
    window: ComparabilityWindow | None = None
    effect: float | None = None  # likely share of torque of the second against the first
    basis: Basis = Basis.NONE
    details: tuple[str, ...] = ()  # names, where there are some: slots, fuels, operators
    changes: tuple[tuple[str, str, str], ...] = ()  # of a tune: what, as it was, as it stands for the setup
    planned: bool = False  # the setups differ in it on purpose
    usual: bool = False  # held against the usual of the session, not against the first pull


def compare(
    first: Facts, second: Facts, windows: Mapping[str, ComparabilityWindow] | None = None, linked: bool = True,
    warm: Mapping[str, WarmState] | None = None,
) -> tuple[ComparabilityCheck, ...]:  # fmt: skip
    """Hold the second pull against the first; its temperatures against the usual ones of the session, where given.

    Shapes: two pulls; a check for each thing that was measured, or ought to have been.
    Units:  SI; `windows` replace those of WINDOWS of the same key; `linked` says that two sessions share a setup.
    Errors: none.
    Source: the checks of a careful operator [prac]; effects as the constants at the head of this module say.
    >>> speed = np.arange(3000.0, 4000, 100)
    >>> a = Facts(speed, np.full(10, 400.0), {"coolant_temperature": np.full(10, 350.0)}, session=1, setup=1)
    >>> b = replace(a, means={"coolant_temperature": np.full(10, 368.0)})
    >>> [(check.key, check.level.value, round(check.effect, 4)) for check in compare(a, b) if check.effect]
    [('coolant_temperature', 'block', -0.0103)]
    """
    windows = {**WINDOWS, **(windows or {})}
    shared, ours, theirs = shared_bins(first.speed_rpm, second.speed_rpm)
    checks: list[ComparabilityCheck] = []
    if len(shared) < MINIMUM_SHARED_BINS:
        checks.append(ComparabilityCheck("range", ComparabilityLevel.BLOCK, float(len(shared))))
    differing = differing_keys(*(one.configuration if one.planned is None else one.planned for one in (first, second)))
    boost_planned = bool({"boost_target", "pulley"} & set(differing)) or first.boost_as_it_comes
    checks += _temperatures(first, second, ours, theirs, windows, boost_planned, warm or {})
    asked_for = "mixture_target" in differing or (first.mixture_is_factor and bool(MIXTURE_ITEMS & set(differing)))
    checks += _mixture(first, second, ours, theirs, windows, asked_for or first.mixture_as_delivered)
    # As delivered, the timing is the setup's own; within one setup `tune_check` judges it.
    own_timing = first.mixture_as_delivered and first.setup != second.setup
    checks += _spark(first, second, windows, own_timing or "spark" in differing)
    checks += _boost(first, second, ours, theirs, windows, boost_planned)
    checks.append(_sweep_rate(first, second, windows))
    checks += _circumstances(first, second, windows, linked)
    if differing:
        level = ComparabilityLevel.NOTE if len(differing) > windows["slots"].note else ComparabilityLevel.OK
        checks.append(
            ComparabilityCheck("slots", level, float(len(differing)), windows["slots"], details=differing, planned=True)
        )
    return tuple(checks)


def differing_keys(one: Mapping[str, str], other: Mapping[str, str]) -> tuple[str, ...]:
    """Slots and settings that two setups do not have alike.

    Shapes: two mappings; keys in their order.
    Units:  none.
    Errors: none.
    Source: definition.
    >>> differing_keys({"jets": "72", "spark": "33"}, {"spark": "33", "fuel": "E85"})
    ('jets', 'fuel')
    """
    return tuple(key for key in dict.fromkeys([*one, *other]) if one.get(key) != other.get(key))


def worst(checks: Sequence[ComparabilityCheck]) -> ComparabilityLevel:
    """The gravest level of a list of checks; what is not known counts as a note.

    Shapes: any number.
    Units:  none.
    Errors: none.
    Source: house rule.
    >>> ok, note = ComparabilityLevel.OK, ComparabilityLevel.NOTE
    >>> worst([ComparabilityCheck("fuel", ok), ComparabilityCheck("spark", note)]).value
    'note'
    """
    levels = {check.level for check in checks}
    if ComparabilityLevel.BLOCK in levels:
        return ComparabilityLevel.BLOCK
    return (
        ComparabilityLevel.NOTE
        if levels & {ComparabilityLevel.NOTE, ComparabilityLevel.UNKNOWN}
        else ComparabilityLevel.OK
    )


def total_effect(checks: Sequence[ComparabilityCheck]) -> float:
    """What the circumstances together are likely worth: the sum of the signed effects that are not planned.

    Shapes: any number.
    Units:  share of torque.
    Errors: none.
    Source: effects this small add [prac].
    >>> ok = ComparabilityLevel.OK
    >>> checks = [ComparabilityCheck("spark", ok, effect=0.002), ComparabilityCheck("mixture", ok, effect=-0.001)]
    >>> total_effect(checks)
    0.001
    """
    return float(sum(check.effect for check in checks if check.effect is not None and not check.planned))


def level_of(found: float, window: ComparabilityWindow) -> ComparabilityLevel:
    """How grave a difference is by its window.

    Shapes: scalars.
    Units:  those of the window.
    Errors: none.
    Source: definition.
    >>> [level_of(found, ComparabilityWindow(0.5, 3.0)).value for found in (0.4, -2.0, 5.0)]
    ['ok', 'note', 'block']
    """
    size = abs(found) - 1e-12
    if size > window.block:
        return ComparabilityLevel.BLOCK
    return ComparabilityLevel.NOTE if size > window.note else ComparabilityLevel.OK


def _temperatures(
    first: Facts,
    second: Facts,
    ours: np.ndarray,
    theirs: np.ndarray,
    windows: Mapping[str, ComparabilityWindow],
    boosted: bool,
    warm: Mapping[str, WarmState],
) -> list[ComparabilityCheck]:
    """`boosted`: the boost differs on purpose, and with it the heat of the charge."""
    checks = []
    own = temperatures(second)
    for key, per_k in (
        ("oil_temperature", OIL_PER_K),
        ("coolant_temperature", COOLANT_PER_K),
        ("inlet_temperature", None),
        ("manifold_temperature", MANIFOLD_PER_K),
    ):
        if key in warm and key in own:
            checks.append(_planned(_against_usual(key, own[key], warm[key], windows[key], per_k),
                                   boosted and key in ("inlet_temperature", "manifold_temperature")))  # fmt: skip
            continue
        if key not in first.means or key not in second.means or not len(ours):
            if key in first.means or key in second.means:
                checks.append(ComparabilityCheck(key, ComparabilityLevel.UNKNOWN, window=windows[key]))
            continue
        before, after = float(first.means[key][ours].mean()), float(second.means[key][theirs].mean())
        found, basis = after - before, Basis.PRACTICE
        if key == "inlet_temperature":
            if first.air_temperature is not None and second.air_temperature is not None:
                found -= second.air_temperature - first.air_temperature  # the correction has taken this out
            effect, basis = -0.5 * found / before, Basis.STANDARD  # the square root of the common standards
        else:
            effect = (per_k or 0.0) * found
        check = ComparabilityCheck(key, level_of(found, windows[key]), found, windows[key], effect, basis)
        checks.append(_planned(check, boosted and key in ("inlet_temperature", "manifold_temperature")))
    return checks


def temperatures(facts: Facts) -> dict[str, float]:
    """Mean of each temperature over the range that is compared; of the inlet air what it is above the air outside.

    Shapes: one pull.
    Units:  K.
    Errors: none; channels that are not there, or not throughout, are left out.
    Source: the correction takes the air outside out of a result, not what the inlet adds to it.
    >>> means = {"oil_temperature": np.array([360.0, 362.0])}
    >>> temperatures(Facts(np.array([3000.0, 3100]), np.ones(2), means, session=1, setup=1))
    {'oil_temperature': 361.0}
    """
    found = {}
    for key in TEMPERATURES:
        if key in facts.means and len(facts.means[key]):
            mean = float(np.mean(facts.means[key]))
            if key == "inlet_temperature":
                mean -= facts.air_temperature or 0.0
            if np.isfinite(mean):
                found[key] = mean
    return found


def _against_usual(
    key: str, reading: float, usual: WarmState, window: ComparabilityWindow, per_k: float | None
) -> ComparabilityCheck:
    """One temperature against the usual of its session; a session whose pulls differ much has a wider window."""
    wide = ComparabilityWindow(window.note, max(window.block, FAR * usual.spread))
    found = reading - usual.centre
    if per_k is None:
        effect, basis = -0.5 * found / STANDARD_AIR, Basis.STANDARD
    else:
        effect, basis = per_k * found, Basis.PRACTICE
    return ComparabilityCheck(key, level_of(found, wide), found, wide, effect, basis, usual=True)


def _mixture(
    first: Facts,
    second: Facts,
    ours: np.ndarray,
    theirs: np.ndarray,
    windows: Mapping[str, ComparabilityWindow],
    planned: bool,
) -> list[ComparabilityCheck]:
    if "lambda" not in first.means or "lambda" not in second.means or not len(ours):
        return [ComparabilityCheck("mixture", ComparabilityLevel.UNKNOWN, window=windows["mixture"])]
    before, after = first.means["lambda"][ours], second.means["lambda"][theirs]
    away = after - before
    found = nine_of_ten(away)
    loss = MIXTURE_CURVATURE * ((after - BEST_LAMBDA) ** 2 - (before - BEST_LAMBDA) ** 2)
    return [
        _planned(
            ComparabilityCheck(
                "mixture",
                level_of(found, windows["mixture"]),
                found,
                windows["mixture"],
                -float(loss.mean()),
                Basis.PRACTICE,
            ),
            planned,
        )
    ]


def nine_of_ten(away: Array) -> float:
    """The difference that nine bins of ten stay within, with the sign of the mean.

    Shapes: (bins,).
    Units:  any.
    Errors: none; at least one bin.
    Source: house rule.
    >>> round(nine_of_ten(np.array([-0.1] + [0.02] * 19)), 3)
    0.02
    """
    size = float(np.quantile(np.abs(away), 0.9))
    return size if float(away.mean()) >= 0 else -size


def _spark(
    first: Facts, second: Facts, windows: Mapping[str, ComparabilityWindow], planned: bool
) -> list[ComparabilityCheck]:
    if first.spark is None or second.spark is None:
        return []
    found = second.spark - first.spark
    effect = SPARK_PER_DEGREE * found if found else 0.0
    return [
        _planned(
            ComparabilityCheck(
                "spark", level_of(found, windows["spark"]), found, windows["spark"], effect, Basis.PRACTICE
            ),
            planned,
        )
    ]


def _boost(
    first: Facts,
    second: Facts,
    ours: np.ndarray,
    theirs: np.ndarray,
    windows: Mapping[str, ComparabilityWindow],
    planned: bool,
) -> list[ComparabilityCheck]:
    if "boost" not in first.means and "boost" not in second.means:
        return []
    if "boost" not in first.means or "boost" not in second.means or not len(ours):
        return [ComparabilityCheck("boost", ComparabilityLevel.UNKNOWN, window=windows["boost"])]
    before, after = first.means["boost"][ours], second.means["boost"][theirs]
    found = nine_of_ten(after - before)
    ambient = first.ambient or 100_000.0
    effect = float(((after - before) / (ambient + before)).mean())  # torque goes with the pressure of the charge
    return [
        _planned(
            ComparabilityCheck(
                "boost", level_of(found, windows["boost"]), found, windows["boost"], effect, Basis.PHYSICS
            ),
            planned,
        )
    ]


def _planned(check: ComparabilityCheck, planned: bool) -> ComparabilityCheck:
    """What the setups differ in on purpose does not stand against them; it is noted."""
    if not planned or check.level is ComparabilityLevel.OK:
        return check
    return replace(check, level=ComparabilityLevel.NOTE, planned=True)


def _sweep_rate(first: Facts, second: Facts, windows: Mapping[str, ComparabilityWindow]) -> ComparabilityCheck:
    window = windows["sweep_rate"]
    if first.stepwise != second.stepwise:
        return ComparabilityCheck(
            "sweep_rate", ComparabilityLevel.BLOCK, None, window, details=("a step test against a sweep",)
        )
    if first.stepwise:
        return ComparabilityCheck("sweep_rate", ComparabilityLevel.OK, 0.0, window)
    slower = min(first.sweep_rate_rpm_s, second.sweep_rate_rpm_s)
    if slower <= 0:
        return ComparabilityCheck("sweep_rate", ComparabilityLevel.UNKNOWN, window=window)
    gap = second.sweep_rate_rpm_s - first.sweep_rate_rpm_s
    found = gap / slower
    level, effect, basis = level_of(found, window), 0.0, Basis.PHYSICS
    taken_out = (
        first.inertia_included is not None
        and second.inertia_included is not None
        and ((first.inertia_included or first.inertia > 0) and (second.inertia_included or second.inertia > 0))
    )
    if taken_out:
        level = min(
            level,
            ComparabilityLevel.NOTE,
            key=[ComparabilityLevel.OK, ComparabilityLevel.NOTE, ComparabilityLevel.BLOCK].index,
        )
    elif len(first.torque):
        effect = -USUAL_INERTIA * gap * pi / 30 / float(np.mean(first.torque))
    return ComparabilityCheck("sweep_rate", level, found, window, effect, basis)


def _circumstances(
    first: Facts, second: Facts, windows: Mapping[str, ComparabilityWindow], linked: bool
) -> list[ComparabilityCheck]:
    checks = []
    if first.factor is not None and second.factor is not None:
        found, window = second.factor / first.factor - 1, windows["correction"]
        level = level_of(found, window)
        if level is ComparabilityLevel.OK and not (first.factor_inside and second.factor_inside):
            level = ComparabilityLevel.NOTE
        outside = tuple(
            name for name, inside in (("first", first.factor_inside), ("second", second.factor_inside)) if not inside
        )
        checks.append(ComparabilityCheck("correction", level, found, window, details=outside))
    else:
        checks.append(ComparabilityCheck("correction", ComparabilityLevel.UNKNOWN, window=windows["correction"]))
    if first.session != second.session:
        checks.append(ComparabilityCheck("session", ComparabilityLevel.NOTE if linked else ComparabilityLevel.BLOCK))
    elif first.at_s is not None and second.at_s is not None:
        found, window = second.at_s - first.at_s, windows["time_apart"]
        checks.append(ComparabilityCheck("time_apart", level_of(found, window), found, window))
    if first.simulated != second.simulated:
        checks.append(ComparabilityCheck("simulated", ComparabilityLevel.BLOCK))
    if first.first_after_change != second.first_after_change:
        effect = FIRST_PULL if second.first_after_change else -FIRST_PULL
        checks.append(ComparabilityCheck("first_pull", ComparabilityLevel.BLOCK, effect=effect, basis=Basis.PRACTICE))
    if first.fuel != second.fuel:
        level = ComparabilityLevel.NOTE if first.fuel and second.fuel else ComparabilityLevel.UNKNOWN
        checks.append(ComparabilityCheck("fuel", level, details=(first.fuel, second.fuel)))
    if first.operator != second.operator:
        checks.append(
            ComparabilityCheck("operator", ComparabilityLevel.NOTE, details=(first.operator, second.operator))
        )
    if first.revision != second.revision:
        checks.append(
            ComparabilityCheck("revision", ComparabilityLevel.NOTE, details=(str(first.revision), str(second.revision)))
        )
    resolution = max(first.resolution, second.resolution)
    if resolution:
        checks.append(
            ComparabilityCheck(
                "resolution", level_of(resolution, windows["resolution"]), resolution, windows["resolution"]
            )
        )
    return checks
