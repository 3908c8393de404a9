"""What the pulls of earlier programmes say of an engine's scatter and drift, pooled and written down."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

import numpy as np
from django.db.models import QuerySet
from torvix_core.air.standards import Standard
from torvix_core.judging import effects
from torvix_core.judging.drift import DriftPrior, learned
from torvix_core.judging.effects import Effects, History, fit

from curves.reduction.nature import Nature, nature_of
from programmes.models import Programme
from shop.refusals import Refusal
from stand.models import Link, Session, Standing
from verdicts.comparison.aligned_pulls import compare
from verdicts.models import KnownScatter
from verdicts.prior.known_scatter import MOST_WEIGHT

MOST_PROGRAMMES = 20  # that are looked back on, the newest
ANY_SLOPE = DriftPrior(engine_sd=0.0, day_sd=0.05, curve_sd=0.0)  # so wide that a session's slope is its pulls' own


@dataclass(frozen=True)
class Scatter:
    """Scatter of a single pull as a share of its score, and how many degrees of freedom it rests on; 0 is a default.

    `drift` is the usual where no session showed any; `of_stand`: seen on other engines.
    """

    share: float
    degrees_of_freedom: int
    programmes: int
    drift: DriftPrior = effects.USUAL.drift
    of_stand: bool = False

    @property
    def history(self) -> History:
        """As a verdict counts it in: what the planner and the simulated days go by, too."""
        if not self.degrees_of_freedom:
            return effects.USUAL
        return History(self.share, min(float(self.degrees_of_freedom), MOST_WEIGHT), self.drift, known=True)


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
            drift_mean=found.drift.mean, drift_engine_sd=found.drift.engine_sd, drift_day_sd=found.drift.day_sd,
            programmes=found.programmes, of_stand=of_stand, made_at=at,
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
            fitted = fit(compared.torque.mean(axis=1), compared.layout, replace(compared.history, drift=ANY_SLOPE))
        except (Refusal, ValueError):  # what cannot be judged there must not stop a session here
            continue
        if fitted.own_scatter is not None:
            found[any(nature_of(kept.pull) is Nature.SIMULATED for kept in compared.kept)].append(fitted)
    return found


def _pooled(days: Sequence[Effects]) -> Scatter:
    """Squares over degrees of freedom, and the drift of the sessions that returned."""
    degrees = sum(day.own_degrees for day in days)
    squares = sum(float(day.own_scatter) ** 2 * day.own_degrees for day in days if day.own_scatter is not None)
    slopes, errors = (
        np.concatenate([np.zeros(0), *(getattr(day, name) for day in days)]) for name in ("slopes", "slope_errors")
    )
    drift = learned(slopes[errors > 0], errors[errors > 0])
    return Scatter(float(np.sqrt(squares / degrees)) if degrees else 0.0, degrees, len(days), drift)
