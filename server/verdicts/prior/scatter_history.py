"""What the pulls of earlier programmes say of an engine's scatter and drift, pooled and written down."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np
from django.db.models import Exists, OuterRef, QuerySet
from torvix_core.judging import effects
from torvix_core.judging.drift import DriftPrior, learned
from torvix_core.judging.effects import History

from programmes.models import Programme
from stand.models import Link, Pull, Session, Standing
from verdicts.models import KnownScatter, StoredResult
from verdicts.prior.known_scatter import MOST_WEIGHT
from verdicts.results import service as results

FEWEST = 3  # degrees of freedom from which a scatter is one: two pulls that agree by chance are none
AT_OPENING = 5  # tests whose result is made while a session opens; the background made the others before


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
    days = Session.objects.filter(programme=OuterRef("pk"))
    earlier = own.filter(Exists(days.filter(opened_at__lt=session.opened_at)))
    # What no engine ran for says nothing of an engine, and an engine nothing of the simulated stand.
    simulated = Link.objects.filter(stand=session.stand_id, hello__simulated=True).exists()
    found = _pooled(_days(earlier.filter(build__engine=programme.build.engine_id), AT_OPENING)[simulated])
    of_stand = not found.degrees_of_freedom
    if of_stand:
        found = _pooled(_days(earlier.filter(Exists(days.filter(stand=session.stand_id))), AT_OPENING)[simulated])
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
    days = _days(Programme.objects.filter(build__engine=programme.build.engine_id))
    found = _pooled(days[False] or days[True])
    return found if found.degrees_of_freedom >= FEWEST else Scatter(effects.USUAL.scatter, 0, 0)


def _days(programmes: QuerySet[Programme], at_once: int = results.AT_ONCE) -> dict[bool, list[StoredResult]]:
    """The results of programmes that repeat a pull: under True those that were simulated."""
    pulled = Pull.objects.filter(session__programme=OuterRef("pk"), standing=Standing.ACCEPTED)
    ids = programmes.filter(Exists(pulled)).order_by("-created_at", "-pk").values_list("pk", flat=True)
    found: dict[bool, list[StoredResult]] = {False: [], True: []}
    for result in results.results_of(list(ids), at_once).of.values():
        if result.own_scatter is not None:
            found[result.simulated].append(result)
    return found


def _pooled(days: Sequence[StoredResult]) -> Scatter:
    """Squares over degrees of freedom, and the drift of the sessions that returned."""
    degrees = sum(day.own_degrees for day in days)
    squares = sum(day.own_scatter**2 * day.own_degrees for day in days if day.own_scatter is not None)
    slopes = np.concatenate([np.zeros(0), *(day.slopes for day in days)])
    errors = np.concatenate([np.zeros(0), *(day.slope_errors for day in days)])
    drift = learned(slopes[errors > 0], errors[errors > 0])
    return Scatter(float(np.sqrt(squares / degrees)) if degrees else 0.0, degrees, len(days), drift)
