"""What the pulls of earlier programmes say of an engine's scatter and drift, pooled and written down."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np
from django.db.models import QuerySet
from torvix_core.air.standards import Standard
from torvix_core.judging import effects
from torvix_core.judging.effects import Effects

from curves.reduction.nature import Nature, nature_of
from programmes.models import Programme
from shop.refusals import Refusal
from stand.models import Link, Session, Standing
from verdicts.comparison.aligned_pulls import compare
from verdicts.models import KnownScatter

MOST_PROGRAMMES = 20  # that are looked back on, the newest
FEWEST_RETURNS = 3  # sessions that came back to a setup, before their drift says what is usual
LEAST_DRIFT = 0.0005  # [-] of a pull; three calm days prove no less [prac]


@dataclass(frozen=True)
class Scatter:
    """Scatter of a single pull as a share of its score, and how many degrees of freedom it rests on; 0 is a default.

    `drift_per_pull` is None where too few sessions returned to a setup; `of_stand`: seen on other engines.
    """

    share: float
    degrees_of_freedom: int
    programmes: int
    drift_per_pull: float | None = None
    of_stand: bool = False


def remember(session: Session, at: datetime) -> None:
    """Write down what is known when the first session of a programme opens. Nothing where there is nothing."""
    programme = session.programme
    if KnownScatter.objects.filter(programme=programme).exists():
        return
    # What was read in from a file is according to that file.
    own = Programme.objects.filter(from_file_at=None).exclude(pk=programme.pk)
    earlier = own.filter(sessions__opened_at__lt=session.opened_at)
    # What no engine ran for says nothing of an engine, and an engine nothing of the simulated stand.
    simulated = Link.objects.filter(stand=session.stand_id, hello__simulated=True).exists()
    found = _pooled(_days(_newest(earlier.filter(build__engine=programme.build.engine_id)))[simulated])
    of_stand = not found.degrees_of_freedom
    if of_stand:
        found = _pooled(_days(_newest(earlier.filter(sessions__stand=session.stand_id)))[simulated])
    if found.degrees_of_freedom and found.share > 0:
        KnownScatter.objects.create(
            programme=programme, scatter=found.share, degrees_of_freedom=found.degrees_of_freedom,
            drift_per_pull=found.drift_per_pull, programmes=found.programmes, of_stand=of_stand, made_at=at,
        )  # fmt: skip


def scatter_of(programme: Programme) -> Scatter:
    """What all pulls of the engine so far say of its scatter, those of this programme too; else the default.

    Simulated pulls stand in only where no engine ran.
    """
    days = _days(_newest(Programme.objects.filter(build__engine=programme.build.engine_id)))
    found = _pooled(days[False] or days[True])
    return found if found.degrees_of_freedom else Scatter(effects.USUAL.scatter, 0, 0)


def _newest(programmes: QuerySet[Programme]) -> Iterable[Programme]:
    wanted = programmes.filter(sessions__pulls__standing=Standing.ACCEPTED).distinct()
    return wanted.select_related("build").prefetch_related("setups", "build__installation")[:MOST_PROGRAMMES]


def _days(programmes: Iterable[Programme]) -> dict[bool, list[Effects]]:
    """The fitted days of programmes that repeat a pull: under True those that were simulated."""
    found: dict[bool, list[Effects]] = {False: [], True: []}
    for programme in programmes:
        try:
            compared = compare(programme, Standard(programme.standard))
            fitted = compared.overall
        except (Refusal, ValueError):  # what cannot be judged there must not stop a session here
            continue
        if fitted.own_scatter is not None:
            found[any(nature_of(kept.pull) is Nature.SIMULATED for kept in compared.kept)].append(fitted)
    return found


def _pooled(days: Sequence[Effects]) -> Scatter:
    """Squares over degrees of freedom, and the drift of the sessions that returned."""
    degrees = sum(day.own_degrees for day in days)
    squares = sum(float(day.own_scatter) ** 2 * day.own_degrees for day in days if day.own_scatter is not None)
    slopes = [slope for day in days for slope in day.slopes.tolist()]
    drift = None
    if len(slopes) >= FEWEST_RETURNS:
        # Twice what was usual: what a day without a return may hide.
        drift = float(np.clip(2 * np.sqrt(np.mean(np.square(slopes))), LEAST_DRIFT, effects.USUAL.drift_per_pull))
    return Scatter(float(np.sqrt(squares / degrees)) if degrees else 0.0, degrees, len(days), drift)
