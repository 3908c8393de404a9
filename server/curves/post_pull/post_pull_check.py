"""What a pull says as soon as it has ended: does it repeat, what was changed, should the sweep go further."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from torvix_core.air.standards import Standard
from torvix_core.pull.overlay import EXTEND_RPM, Climb, Overlay, climb, overlay
from torvix_core.tuning.targets import (
    BoostHeld,
    BoostMiss,
    Mixture,
    boost_held,
    boost_misses,
    helped,
    mixture,
)
from torvix_core.units.checked import Array

from curves.models import Reduced
from curves.reduction import correct
from engines.sheet import sheets
from programmes.models import Programme
from programmes.settings.tune_words import changes
from shop.refusals import Refusal
from stand.models import Pull, PullState, Purpose, Standing
from stand.pulls import targets


@dataclass(frozen=True)
class AfterPull:
    """`sibling` is the pull before of the same setup in the same session. None where there is nothing to say."""

    pull: Pull
    sibling: Pull | None
    overlay: Overlay | None
    observed: bool  # compared as read, because the weather of one is not known
    changed: Sequence[str]
    climb: Climb | None
    extend_to_rpm: float | None
    mixture: Mixture | None
    boost: BoostHeld | None
    boost_misses: Sequence[BoostMiss]  # where it left its window
    helped: bool | None  # whether what was changed between sibling and pull did good; None where nothing says so

    @property
    def beside(self) -> str:
        """Why the two cannot confirm each other, however well they overlay; "" where they can."""
        for pull in (self.sibling, self.pull):
            if pull is None or (pull.purpose == Purpose.SWEEP and pull.standing != Standing.EXCLUDED):
                continue
            which = "is a warm-up pull" if pull.purpose == Purpose.WARM_UP else "is excluded"
            return f"pull {pull.number} {which}"
        return "the tune was changed in between" if self.sibling and self.changed else ""

    @property
    def ready(self) -> bool:
        """Two counted pulls of one tune that overlay."""
        return bool(self.overlay and self.overlay.ready and not self.beside)


def after_pull(programme: Programme, pull: Pull) -> AfterPull:
    """What there is to say of one pull that has ended."""
    steps = pull.purpose == Purpose.STEPS  # it held its speeds: a sweep does not lie over it
    sibling = (
        None
        if steps
        else (
            Pull.objects.filter(session=pull.session, number__lt=pull.number, state=PullState.COMPLETE)
            .exclude(purpose__in=(Purpose.STEPS, Purpose.BREAK_IN, Purpose.SHAKE_DOWN, Purpose.CHECK))
            .select_related("reduced", "session__programme", "setup")
            .order_by("number")
            .last()
        )
    )
    changed = _changed(sibling, pull) if sibling else []
    if sibling is not None and sibling.setup_id != pull.setup_id:
        sibling = None
    lies, observed = _overlay(programme, sibling, pull) if sibling else (None, False)
    rises = _climb(pull)
    further = _further(programme, pull) if rises and rises.climbs else None
    did_good = helped(1.0, 1.0 + lies.mean) if lies and changed else None
    return AfterPull(pull, sibling, lies, observed, changed, rises, further, _mixture(programme, pull), *_boost(pull),
                     did_good)  # fmt: skip


def _mixture(programme: Programme, pull: Pull) -> Mixture | None:
    target = targets.mixture_target(pull)
    read = _means(pull, "lambda")
    if target is None or read is None:
        return None
    return mixture(*read, programme.low_rpm, programme.high_rpm, target)


def _boost(pull: Pull) -> tuple[BoostHeld | None, Sequence[BoostMiss]]:
    target = targets.boost_target(pull)
    read = _means(pull, "boost")
    if not target or read is None:
        return None, ()
    return boost_held(*read, target), boost_misses(*read, target)


def _means(pull: Pull, channel: str) -> tuple[Array, Array] | None:
    """Bins of a channel of a reduced pull."""
    reduced: Reduced | None = getattr(pull, "reduced", None)
    if reduced is None or channel not in reduced.means or pull.purpose == Purpose.STEPS:
        return None
    return np.array(reduced.speed_rpm), reduced.means[channel]


def _overlay(programme: Programme, first: Pull, second: Pull) -> tuple[Overlay | None, bool]:
    for standard in (Standard(programme.standard), Standard.OBSERVED):
        try:
            one, other = correct.corrected(first, standard), correct.corrected(second, standard)
        except Refusal:
            continue
        found = overlay(one.speed_rpm, one.torque, other.speed_rpm, other.torque, programme.low_rpm, programme.high_rpm)
        return found, standard is Standard.OBSERVED
    return None, False


def _climb(pull: Pull) -> Climb | None:
    if pull.state != PullState.COMPLETE or pull.purpose == Purpose.STEPS:
        return None
    try:
        curve = correct.corrected(pull, Standard.OBSERVED)
    except Refusal:
        return None
    return climb(curve.speed_rpm, curve.power)


def _further(programme: Programme, pull: Pull) -> float | None:
    """How far the next sweep might go: by what the plan says, never above the redline."""
    wanted = pull.sweep_end_rpm + (programme.extension_rpm or EXTEND_RPM)
    redline = sheets.value(pull.build, "redline")
    further = wanted if redline is None else min(wanted, redline)
    return further if further > pull.sweep_end_rpm + 1 else None


def _changed(before: Pull, pull: Pull) -> list[str]:
    """What is not as it was in the pull before, in words."""
    if before.setup_id != pull.setup_id:
        return [f"{pull.setup.letter} {pull.setup.name} in place of {before.setup.letter} {before.setup.name}"]
    return changes(before.settings_in_force, pull.settings_in_force)
