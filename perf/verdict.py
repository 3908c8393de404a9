"""Fitting, drawing and judging: ratios against the bare arithmetic, and the time of a verdict through the API."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

import numpy as np
from torvix_core.judging import design_matrix, win_probability
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.effects import fit

from perf.ratio import measure
from perf.report import size, tell

if TYPE_CHECKING:
    from programmes.models import Programme
    from shop.models import Person

SETUPS, PULLS, BINS, DRAWS = size(12, 3), size(5, 2), 51, size(4000, 200)
ASKED = size(15, 1)  # times each question


def effects() -> None:
    """12 setups of 5 pulls on 51 bins, and two more of the baseline at the end."""
    dice = np.random.default_rng(2)
    where = Layout.of([*np.repeat(np.arange(SETUPS), PULLS), 0, 0])
    curves = np.exp(dice.normal(5.5, 0.004, (len(where.setup), BINS)))
    design = (where.setup[:, None] == np.arange(SETUPS)).astype(np.float64)
    logs = np.log(curves)

    def ours() -> object:
        return fit(curves, where)

    def cold() -> object:
        design_matrix._model.cache_clear()
        return fit(curves, where)

    def bare() -> object:
        return np.linalg.lstsq(design, logs)

    tell(
        measure(
            "fit of 12 setups x 5 pulls x 51 bins / one lstsq over all bins",
            ours,
            bare,
            "at most 100: under 10 ms",
            repeat=20,
        )
    )
    tell(
        measure("the same, a layout never seen before / one lstsq", cold, bare, "at most 100 after the first", repeat=3)
    )
    scores = fit(curves.mean(axis=1), where)

    def draw() -> object:
        return win_probability.chances(scores, 0, np.random.default_rng(1), DRAWS)

    def normal() -> object:
        return np.random.default_rng(1).standard_normal((DRAWS, SETUPS * BINS))

    tell(measure("4000 draws with ranks and pairs / a normal draw of setups x bins", draw, normal, "at most 0.5"))


def day(operator: Person) -> Programme:
    """A day of 12 setups and 60 pulls, in the database of the run."""
    import scenes

    from shop.models import Stand

    programme = scenes.programme(operator, setups=SETUPS)
    dice = np.random.default_rng(3)
    opened = scenes.session(programme, operator, Stand.objects.create(name="Stand for timing"))
    for setup in programme.setups.all():
        for _ in range(PULLS):
            scenes.pull(opened, setup, operator, level=float(1 + dice.normal(0, 0.004) + 0.002 * setup.position))
    return programme


def planned(operator: Person) -> Programme:
    """A plan of 12 setups, camshafts crossed with boost, that nobody has pulled."""
    import scenes

    return scenes.boosted(operator, cams=(218, 226, 244, 252))


def through_the_api() -> None:
    """Such a day through the client: seconds of curves and verdict, median and longest of ASKED."""
    import scenes
    from django.test import Client

    from shop.models import Role

    operator = scenes.person(Role.OPERATOR)
    programme = day(operator)
    client = Client(HTTP_HOST="127.0.0.1")
    client.force_login(operator)
    between = scenes.manifold(operator, "between two", 300)
    asked = (
        "curves",
        "verdict",
        "verdict?school=best",
        "verdict?duty=strip",
        "verdict?standard=observed",
        "robustness",
        f"slot-in?part_id={between.pk}",
        "transfer?displacement=2.5 L&cylinders=6",
    )
    for what in asked:
        taken = []
        for _ in range(ASKED):
            began = time.perf_counter()
            answer = client.get(f"/api/programmes/{programme.pk}/{what}")
            taken.append(time.perf_counter() - began)
            if answer.status_code != 200:
                raise AssertionError(answer.content)
        wanted = "under 0.3 s" if what != "robustness" else ""  # it judges some 80 times
        times = f"median {np.median(taken) * 1e3:.0f} ms, longest {max(taken) * 1e3:.0f} ms"
        tell(f"{what} through the API, {SETUPS} setups, {SETUPS * PULLS} pulls", times, wanted)
