"""How much one figure of a pull scatters on an engine: of a stretch of speeds, a peak, or a reading beside torque."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from torvix_core.air.standards import Standard
from torvix_core.engine.geometry import Cycle
from torvix_core.judging.effects import History
from torvix_core.units.speed_region import SpeedRegion

from curves.reduction.correct import corrected, pulls_of
from curves.reduction.inspection import NAMES, derived_curves, engine_of
from curves.reduction.nature import Nature, nature_of
from programmes.models import ExpectedMeasure, Programme
from shop.refusals import Refusal
from stand.models import Pull, Standing
from verdicts.prior.known_scatter import MOST_WEIGHT
from verdicts.prior.scatter_history import FEWEST, Scatter

MOST_PROGRAMMES = 5  # of the engine that are looked at, the newest
LEAST = 1e-4  # [-], a scatter below it says that figures were rounded, not that the engine repeats so well
READINGS = {name: label for name, label in NAMES.items() if name != "power"}
MEASURES: dict[str, str] = {**dict(ExpectedMeasure.choices), **READINGS}

Figure = tuple[str, SpeedRegion]


def histories(programme: Programme, figures: Iterable[Figure], scatter: Scatter) -> dict[Figure, History | None]:
    """What is known of each figure's scatter, as a share of it; None where nothing is.

    The average torque of all speeds is what `scatter` is about. Other figures of torque and power fall back on it while
    too few pulls repeat; a reading does not.
    """
    whole = str(ExpectedMeasure.AVERAGE_TORQUE), SpeedRegion()
    wanted = set(figures) - {whole}
    found: dict[Figure, History | None] = {whole: scatter.history}
    groups = _repeats(programme) if wanted else []
    builds = {pull.build_id: pull.build for group in groups for pull in group}
    engines = {pk: engine_of(build) for pk, build in builds.items()}
    for measure, region in wanted:
        known = [
            [_figure(pull, engines[pull.build_id], programme, measure, region) for pull in group] for group in groups
        ]
        share, freedom = _pooled([[value for value in one if value is not None] for one in known])
        if freedom >= FEWEST:
            found[measure, region] = History(max(share, LEAST), min(freedom, MOST_WEIGHT), scatter.drift, known=True)
        else:
            found[measure, region] = None if measure in READINGS else scatter.history
    return found


def _repeats(programme: Programme) -> list[list[Pull]]:
    """Accepted pulls of one setup in one session, of the newest tests of the engine.

    Simulated pulls stand in only where no engine ran.
    """
    tests = Programme.objects.filter(build__engine=programme.build.engine_id, from_file_at=None)
    groups: dict[tuple[int, int], list[Pull]] = {}
    for test in tests.order_by("-created_at")[:MOST_PROGRAMMES]:
        for pull in pulls_of(test):
            if pull.standing == Standing.ACCEPTED and getattr(pull, "reduced", None) and pull.reduced.speed_rpm:
                groups.setdefault((pull.session_id, pull.setup_id), []).append(pull)
    repeated = [group for group in groups.values() if len(group) > 1]
    ran = [group for group in repeated if nature_of(group[0]) is not Nature.SIMULATED]
    return ran or repeated


def _figure(
    pull: Pull, engine: tuple[float | None, Cycle], programme: Programme, measure: str, region: SpeedRegion
) -> float | None:
    """One figure of one pull; None where it does not have it."""
    try:
        found = corrected(pull, Standard(programme.standard))
    except Refusal:
        return None
    curve = {
        ExpectedMeasure.AVERAGE_TORQUE: found.torque,
        ExpectedMeasure.PEAK_TORQUE: found.torque,
        ExpectedMeasure.AVERAGE_POWER: found.power,
        ExpectedMeasure.PEAK_POWER: found.power,
    }.get(measure)  # type: ignore[call-overload]
    if curve is None:
        curve = derived_curves(pull, engine).get(measure)
    if curve is None:
        return None
    low = programme.low_rpm if region.low_rpm is None else region.low_rpm
    high = programme.high_rpm if region.high_rpm is None else region.high_rpm
    if measure in (ExpectedMeasure.PEAK_TORQUE, ExpectedMeasure.PEAK_POWER):
        return float(np.max(curve))
    if region.is_one_speed:
        inside = np.abs(found.speed_rpm - low) == np.abs(found.speed_rpm - low).min()
    else:
        inside = (found.speed_rpm >= low - 1e-6) & (found.speed_rpm <= high + 1e-6)
    value = float(np.mean(curve[inside])) if inside.any() else float("nan")
    return value if np.isfinite(value) else None


def _pooled(groups: Iterable[list[float]]) -> tuple[float, int]:
    """Standard deviation within groups as a share of their means, and its degrees of freedom."""
    squares, freedom = 0.0, 0
    for group in groups:
        if len(group) > 1 and np.mean(group) != 0:
            shares = np.array(group) / np.mean(group)
            squares += float(np.square(shares - 1).sum())
            freedom += len(group) - 1
    return (np.sqrt(squares / freedom) if freedom else 0.0), freedom
