"""Lists, searches and single tests in a shop of ten seasons, beside the same in a shop of one engine."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping

import numpy as np
from django.db import connection
from django.test import Client

from engines.models import Part
from perf import big_shop
from perf.report import size, tell
from shop import heap
from verdicts.guidelines import service as guidelines
from verdicts.guidelines.service import GuidelineTexts
from verdicts.models import StoredResult
from verdicts.results import service as results

ASKED = size(11, 1)  # times each
REFRESH_S = size(600, 5)
RUNNERS = GuidelineTexts("Longer runners make torque", "intake_manifold", "runner_length", "50 mm", "torque", "more")
LISTS = {
    "page of tests": "tests-table?size=50", "last page of tests": "tests-table?size=50&sort=last&order=desc",
    "page of parts": "parts-table?size=50", "page of engines": "engines-table?size=50",
    "parts offered in a field": "part-names?slot=intake_manifold", "engines offered in a field": "build-names",
}  # fmt: skip
SEARCHES = ("manifold", "stumbling", "runner length 300–330 mm", "by owner 2026-10", "manifolt 3", "manifold 7 17")
OF_A_TEST = ("verdict", "curves", "stand", "pulls", "robustness", "progress")


def _over_tests(part: Part) -> dict[str, str]:
    """What sums over all tests, by the results that are stored of them."""
    return {
        "uses of a part": f"parts/{part.pk}/uses", "guidelines": "guidelines", "what would decide": "next-pulls",
    }  # fmt: skip


def shop() -> None:
    """Medians of ASKED requests through the client, in one run; SQL is what a request waits for the database."""
    import scenes

    from shop.models import Role

    owner = scenes.person(Role.OWNER)
    heap.settle()  # as in a process that serves
    client = Client(HTTP_HOST="127.0.0.1")
    client.force_login(owner)
    programme = big_shop.one_engine(owner)
    asked = {
        **LISTS, **{f"{what} of a test": f"programmes/{programme.pk}/{what}" for what in OF_A_TEST},
    }  # fmt: skip
    guidelines.write(owner, RUNNERS, programme.created_at)
    part = Part.objects.filter(setups__programme=programme, slot="intake_manifold").first()
    assert part is not None
    sums = _over_tests(part)
    results.refresh(600)
    small = _times(client, {**asked, **sums})
    big_shop.multiply()
    long = big_shop.long_test(owner)
    bare = _bare()
    began = time.perf_counter()
    left = results.refresh(REFRESH_S)
    made = StoredResult.objects.count()
    taken = time.perf_counter() - began
    tell(
        "results of tests that changed, in the background",
        f"{taken / made * 1e3:.0f} ms a test, {left} of {made + left} left",
    )
    tell(f"shop of {big_shop.ENGINES} engines: select 1", f"{bare * 1e3:.2f} ms")
    for what, taken in _times(client, asked).items():
        sql = _sql(client, asked[what])
        wanted = "at most 1.5 times, 60 ms, 10 × select 1 in SQL" if what in LISTS else "at most 1.3 times"
        times = f"{taken / small[what]:.2f} times; {taken * 1e3:.0f} ms against {small[what] * 1e3:.0f} ms"
        tell(
            f"{what}, shop of {big_shop.ENGINES} engines / of one", f"{times}; SQL {sql / bare:.0f} × select 1", wanted
        )
    for what, taken in _times(client, {what: f"programmes/{long.pk}/{what}" for what in OF_A_TEST}).items():
        ratio = taken / small[f"{what} of a test"]
        figure = f"{ratio:.2f} times; {taken * 1e3:.0f} ms"
        tell(f"{what}, test of {big_shop.LONG} pulls / of {big_shop.PULLS}", figure, "at most 3 times")
    for what, taken in _times(client, sums).items():
        figure = f"{taken / small[what]:.2f} times; {taken * 1e3:.0f} ms against {small[what] * 1e3:.0f} ms"
        tell(f"{what}, over all tests of {big_shop.ENGINES} engines / of one", figure, "for information")
    found = _times(client, {words: f"search?q={words}" for words in SEARCHES})
    tell("search, median over several", f"{np.median(list(found.values())) * 1e3:.0f} ms", "at most 50 ms")


def _times(client: Client, asked: Mapping[str, str]) -> dict[str, float]:
    """Median seconds of each request, after one that does not count."""
    found = {}
    for what, path in asked.items():
        taken = [_timed(lambda path=path: _ask(client, path)) for _ in range(ASKED + 1)]  # type: ignore[misc]
        found[what] = float(np.median(taken[1:]))
    return found


def _ask(client: Client, path: str) -> None:
    answer = client.get(f"/api/{path}")
    if answer.status_code != 200:
        raise AssertionError(answer.content)


def _sql(client: Client, path: str) -> float:
    """Seconds that a request waited for the database."""
    waited = 0.0

    def timed(execute: Callable[..., object], *given: object) -> object:
        nonlocal waited
        began = time.perf_counter()
        answer = execute(*given)
        waited += time.perf_counter() - began
        return answer

    with connection.execute_wrapper(timed):
        _ask(client, path)
    return waited


def _bare() -> float:
    with connection.cursor() as cursor:
        return float(np.median([_timed(lambda: cursor.execute("SELECT 1")) for _ in range(50)]))


def _timed(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began
