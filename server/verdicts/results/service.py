"""What each test came to, read from what is stored of it, and made anew where the test has changed since.

What sums over tests (uses of a part, scatter of an engine, what people predicted) reads these rows, and no pulls.
"""

from __future__ import annotations

import logging
import time
from collections.abc import Collection, Iterable, Set
from dataclasses import dataclass

from django.db import IntegrityError, transaction
from django.db.models import Exists, OuterRef
from django.utils import timezone

from programmes.models import Programme
from stand.models import Pull
from verdicts.comparison.revisions import revisions_of
from verdicts.models import PairGain, SetupResult, StoredResult
from verdicts.results import making

log = logging.getLogger(__name__)
MADE_AS = "1"  # raise it where a result is made otherwise than before
FAULT = "It cannot be worked out by a fault of the application. It is in the log; tell the owner."
AT_ONCE = 20  # tests whose result is made by who asks; more of them wait for the background


@dataclass(frozen=True)
class Results:
    """By test; `waiting` are tests whose result is not made yet."""

    of: dict[int, StoredResult]
    waiting: Set[int] = frozenset()


def results_of(programme_ids: Collection[int], at_once: int = AT_ONCE) -> Results:
    """The results of some tests, the first of those that are not stored made now. Setups and gains are read on demand.

    A test that is gone, or has nothing to compare, has none.
    """
    ids = list(dict.fromkeys(programme_ids))
    wanted = _revisions(ids)
    found = {one.programme_id: one for one in StoredResult.objects.defer("fingerprint").filter(programme__in=ids)}
    fresh = {pk: found[pk] for pk in ids if pk in found and found[pk].revision == wanted[pk]}
    stale = [pk for pk in ids if pk not in fresh]
    if stale:
        pulled = Pull.objects.filter(session__programme__in=stale).order_by()
        have = set(pulled.values_list("session__programme", flat=True).distinct())
        stale = [pk for pk in stale if pk in have]
    made = _make(stale[:at_once], wanted)
    return Results({pk: one for pk in ids if (one := fresh.get(pk) or made.get(pk))}, frozenset(stale[at_once:]))


def refresh(budget_s: float) -> int:
    """Make what is not stored for the state that its test is in, the newest first; how many are left."""
    ids = list(
        Programme.objects.filter(Exists(Pull.objects.filter(session__programme=OuterRef("pk"))))
        .order_by("-pk").values_list("pk", flat=True)
    )  # fmt: skip
    wanted = _revisions(ids)
    stored = dict(StoredResult.objects.values_list("programme", "revision"))
    stale, until = [pk for pk in ids if stored.get(pk) != wanted[pk]], time.monotonic() + budget_s
    for done, pk in enumerate(stale):
        if time.monotonic() > until:
            return len(stale) - done
        _make([pk], wanted)
    return 0


def _revisions(ids: Collection[int]) -> dict[int, str]:
    return {pk: f"{MADE_AS}:{revision}" for pk, revision in revisions_of(ids, own=True).items()}


def _make(ids: Iterable[int], revisions: dict[int, str]) -> dict[int, StoredResult]:
    ids = list(ids)
    if not ids:
        return {}
    tests = Programme.objects.filter(pk__in=ids).select_related("build__engine")
    found = {}
    for programme in tests.prefetch_related("setups", "build__installation"):
        setups: list[SetupResult] = []
        gains: list[PairGain] = []
        try:
            result, setups, gains = making.of_test(programme)
        except (ValueError, ArithmeticError, LookupError):  # one test must not take the others with it
            log.exception("the result of test %s cannot be made", programme.pk)
            result = StoredResult(programme=programme, why_not=FAULT)
        result.revision, result.made_at = revisions[programme.pk], timezone.now()
        stored = _stored(result, setups, gains)
        if stored is not None:
            found[programme.pk] = stored
    return found


def _stored(result: StoredResult, setups: list[SetupResult], gains: list[PairGain]) -> StoredResult | None:
    """In place of the older one. Where somebody else stores the same test at this moment, theirs stays."""
    try:
        with transaction.atomic():
            StoredResult.objects.filter(programme=result.programme_id).delete()
            result.save()
            SetupResult.objects.bulk_create(setups)
            PairGain.objects.bulk_create(gains)
    except IntegrityError:
        return StoredResult.objects.filter(programme=result.programme_id).first()
    return result
