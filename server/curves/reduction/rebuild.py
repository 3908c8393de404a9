"""Curves made anew where an older core made them: as a job, in any order, begun again wherever it was stopped."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from django.db.models import Q, QuerySet
from torvix_core import VERSION

from curves.models import Reduced
from curves.reduction.curve import Curve
from curves.reduction.reduce import curve_of, store
from jobs import kinds
from stand.models import Pull, PullState

KIND = "rebuild"
ROUNDING = 1e-6  # relative: what another processor may differ by, and nobody can see
AT_ONCE = 20  # pulls that are read and stored together
MOST_LISTED = 200  # pulls that a report names; the rest are counted


@dataclass(frozen=True)
class CurveChange:
    """How far the curve of a pull moves, as a share of its torque, and where; `text` where one of the two is none."""

    share: float
    speed_rpm: float
    text: str = ""


def outdated(only: int | None = None) -> QuerySet[Pull]:
    """Complete pulls whose curve another version made, or that have none; one pull alone whatever its version."""
    pulls = Pull.objects.filter(state=PullState.COMPLETE).order_by("pk")
    if only is not None:
        return pulls.filter(pk=only)
    return pulls.filter(Q(reduced=None) | ~Q(reduced__core_version=VERSION))


def difference(old: Reduced | None, new: Curve) -> CurveChange | None:
    """What is other about the new curve; None where nobody could see it."""
    if old is None:
        return CurveChange(0.0, 0.0, "had no curve")
    if old.refused or new.refused:
        same = old.refused == new.refused
        return None if same else CurveChange(0.0, 0.0, f"said “{old.refused}”, now “{new.refused}”")
    before, after = (
        dict(zip(old.speed_rpm, old.torque, strict=True)),
        dict(zip(new.speed_rpm, new.torque, strict=True)),
    )
    common = sorted(before.keys() & after.keys())
    if before.keys() != after.keys():
        ends = [f"{min(speeds):.0f} to {max(speeds):.0f} rpm" for speeds in (before, after)]
        text = f"ran from {ends[0]}, now from {ends[1]}" if ends[0] != ends[1] else "has other speeds between its ends"
        return CurveChange(_most(before, after, common)[0], _most(before, after, common)[1], text)
    share, speed = _most(before, after, common)
    return CurveChange(share, speed) if share > ROUNDING else None


def _most(before: Mapping[float, float], after: Mapping[float, float], speeds: list[float]) -> tuple[float, float]:
    """The largest change as a share of the curve's highest torque, and its speed."""
    if not speeds:
        return 0.0, 0.0
    old, new = (np.array([curve[speed] for speed in speeds]) for curve in (before, after))
    changes = np.abs(new - old) / max(float(np.abs(old).max()), 1e-9)
    at = int(changes.argmax())
    return float(changes[at]), speeds[at]


def work(arguments: dict[str, Any], watch: kinds.Watch) -> dict[str, Any]:
    """`only`: one pull; `check`: nothing is written, only reported. Some at a time: what was done stays done."""
    keys = list(outdated(arguments["only"]).values_list("pk", flat=True))
    changed: list[dict[str, Any]] = []
    count, done = 0, 0
    for first in range(0, len(keys), AT_ONCE):
        made: list[tuple[Pull, Curve]] = []
        some = keys[first : first + AT_ONCE]
        before = {one.pull_id: one for one in Reduced.objects.filter(pull__in=some)}
        for pull in _with_samples(some):
            if not watch.wanted():
                break
            old, curve = before.get(pull.pk), curve_of(pull)
            moved = difference(old, curve)
            if moved is not None:
                count += 1
                if len(changed) < MOST_LISTED:
                    changed.append(_listed(pull, moved, old))
            made.append((pull, curve))
            watch.tell(done + len(made), len(keys), f"{done + len(made)} of {len(keys)} pulls")
        if not arguments["check"]:
            store(made)
        done += len(made)
        if len(made) < len(some):
            break
    return {"looked_at": done, "of": len(keys), "differ": count, "listed": changed, "version": VERSION}


def _with_samples(keys: Sequence[int]) -> QuerySet[Pull]:
    found = Pull.objects.filter(pk__in=keys).select_related("session__programme").order_by("pk")
    return found.prefetch_related("channels", "reduction_overrides")


def _listed(pull: Pull, moved: CurveChange, old: Reduced | None) -> dict[str, Any]:
    return {
        "pull": pull.pk, "number": pull.number, "programme": pull.session.programme_id,
        "question": pull.session.programme.question, "percent": moved.share * 100,
        "speed_rpm": moved.speed_rpm, "text": moved.text, "version": old.core_version if old else "",
    }  # fmt: skip


kinds.register(KIND, "Curves computed again", kinds.Queue.LONG, work)
