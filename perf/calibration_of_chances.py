"""Whether chances and intervals mean what they say: days thrown by dice and judged as by the verdict, no traces."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.drift import SETTLING_PULLS
from torvix_core.judging.effects import USUAL, Effects, fit
from torvix_core.judging.lead_strip import fit_curves
from torvix_core.units.checked import Array

DAYS, SCATTER = 4000, 0.0035
LOWEST, HIGHEST = 0.93, 0.98  # an interval of 95 % holds the truth in so many days
GAINS = 0.015  # standard deviation of what a part is worth, where chances are asked about [prac]
BINS, CURVE_DAYS = 36, 400
AWAY = [0, 0, 0, 1, 1, 1]
RETURN = [*AWAY, 0, 0]
FOUR = [0, 0, 0, 1, 1, 1, 2, 2, 2, 3, 3, 3, 0, 0]


@dataclass(frozen=True)
class Drift:
    """How the sessions of a day drift, (sessions, days) shares a pull."""

    name: str
    slopes: Callable[[np.random.Generator, int, int], Array]


def _as_expected(dice: np.random.Generator, sessions: int, days: int) -> Array:
    """Thrown by the prior: what the engine has of its own, and what the day has."""
    prior = USUAL.drift
    return np.asarray(dice.normal(0, prior.engine_sd, days) + dice.normal(0, prior.day_sd, (sessions, days)))


USUAL_DAYS = Drift("as is usual", _as_expected)
CALM = Drift(
    "of -0.02 % a pull, as the simulated stand", lambda dice, sessions, days: np.full((sessions, days), -0.0002)
)
ALIKE = Drift("of -0.35 % a pull on both days", lambda dice, sessions, days: np.full((sessions, days), -0.0035))
APART = Drift("of each day on its own, 0.35 %", lambda dice, sessions, days: dice.normal(0, 0.0035, (sessions, days)))


def logs_of(layout: Layout, worth: Array, drift: Drift, scatter: float, days: int, dice: np.random.Generator) -> Array:
    """Logs of the scores of so many days, (pulls, days); worth (setups, days)."""
    slopes = drift.slopes(dice, layout.sessions, days)[layout.session]
    noise = dice.normal(0, scatter, (len(layout.setup), days))
    if drift is USUAL_DAYS:  # what a change of parts leaves in the first pulls is part of what is usual
        settling = np.exp(-layout.since_change() / SETTLING_PULLS)[:, None]
        noise = noise + settling * dice.normal(0, USUAL.drift.settling_sd, days)
    return np.asarray(worth[layout.setup] + slopes * layout.place[:, None] + noise)


def two_linked_days() -> Layout:
    """Nine setups over two days, two pulls each that count and one before them that does not; A and E on both days."""
    visits = [(0, 0), (1, 0), (2, 0), (3, 0), (4, 0), (5, 0), (4, 1), (6, 1), (7, 1), (8, 1), (0, 1)]
    setup = np.repeat([visit[0] for visit in visits], 2)
    session = np.repeat([visit[1] for visit in visits], 2)
    first = {0: 0, 1: 6}
    place = [3 * (number - first[session_of]) + 1 + pull
             for number, (_, session_of) in enumerate(visits) for pull in (0, 1)]  # fmt: skip
    return Layout.of(setup, session, place)


def interval(layout: Layout, pair: tuple[int, int], drift: Drift, scatter: float = SCATTER) -> tuple[float, float]:
    """Median half width of one setup against another, and how often the interval holds the truth; all are equal."""
    dice = np.random.default_rng(17)
    found = fit(np.exp(logs_of(layout, np.zeros((layout.setups, DAYS)), drift, scatter, DAYS, dice)), layout)
    gap = found.difference(*pair)
    return float(np.median(gap.half_width)), float(((gap.low <= 0) & (gap.high >= 0)).mean())


def slope_coverage(layout: Layout) -> float:
    dice = np.random.default_rng(18)
    slopes = _as_expected(dice, 1, DAYS)[0]
    settling = np.exp(-layout.since_change() / SETTLING_PULLS)[:, None] * dice.normal(0, USUAL.drift.settling_sd, DAYS)
    logs = slopes * layout.place[:, None] + settling + dice.normal(0, SCATTER, (len(layout.setup), DAYS))
    found = fit(np.exp(logs), layout)
    return float((np.abs(found.slopes[0] - slopes) <= 1.96 * found.slope_errors[0]).mean())


def band_coverage() -> float:
    """Whole curves whose pulls scatter as a whole and bin by bin: the difference inside its band at every speed."""
    layout, dice, inside = Layout.of(RETURN), np.random.default_rng(19), 0
    for _ in range(CURVE_DAYS):
        smooth = dice.normal(0, SCATTER, (len(RETURN), 1)) + dice.normal(0, SCATTER / 3, (len(RETURN), BINS))
        slope = float(_as_expected(dice, 1, 1)[0, 0])
        found = fit_curves(np.exp(smooth + slope * layout.place[:, None]), layout).difference(1, 0)
        inside += bool(((found.low <= 0) & (found.high >= 0)).all())
    return inside / CURVE_DAYS


def pairs_coverage() -> float:
    """Four equal setups: every pair inside the interval that holds for all of them together."""
    layout, dice, inside = Layout.of(FOUR), np.random.default_rng(20), 0
    for _ in range(CURVE_DAYS):
        logs = logs_of(layout, np.zeros((4, 1)), USUAL_DAYS, SCATTER, 1, dice)
        _, low, high = fit(np.exp(logs[:, 0]), layout).all_pairs()
        inside += bool(((low <= 1e-12) & (high >= -1e-12)).all())
    return inside / CURVE_DAYS


def stated_and_true(order: list[int]) -> list[tuple[str, int, float, float]]:
    """By what was said of the better one of two: how many days, what was stated on average, how often it was so."""
    layout, dice = Layout.of(order), np.random.default_rng(21)
    worth = np.zeros((2, 4 * DAYS))
    worth[1] = dice.normal(0, GAINS, 4 * DAYS)
    found: Effects = fit(np.exp(logs_of(layout, worth, USUAL_DAYS, SCATTER, 4 * DAYS, dice)), layout)
    chance = found.difference(1, 0).chance
    stated, right = np.maximum(chance, 1 - chance), (chance > 0.5) == (worth[1] > 0)
    rows = []
    for low, high in ((0.5, 0.7), (0.7, 0.85), (0.85, 0.95), (0.95, 0.99), (0.99, 1.0)):
        here = (stated >= low) & (stated <= high)
        rows.append((f"{low * 100:.0f} to {high * 100:.0f} %", int(here.sum()), float(stated[here].mean()),
                     float(right[here].mean())))  # fmt: skip
    return rows


def tables() -> tuple[str, bool]:
    """The tables as text, and whether everything is as it is wanted."""
    linked, kept = two_linked_days(), True
    lines = [
        "## Intervals",
        "",
        f"{DAYS} days of scores without traces, scatter {SCATTER * 100:.2f} % unless the line says "
        f"otherwise, for single intervals; {CURVE_DAYS} for those that hold together. Wanted: the truth in "
        f"{LOWEST * 100:.0f} to {HIGHEST * 100:.0f} of 100 days; where the engine is calmer than is usual, in more.",
        "",
        "| interval | drift | half width | holds the truth in | kept |",
        "| --- | --- | --- | --- | --- |",
    ]
    single = [
        ("B against A, no return", Layout.of(AWAY), (1, 0), USUAL_DAYS, SCATTER, 1.0, HIGHEST),
        ("B against A, with a return", Layout.of(RETURN), (1, 0), USUAL_DAYS, SCATTER, 1.0, HIGHEST),
        ("D against A of four, with a return", Layout.of(FOUR), (3, 0), USUAL_DAYS, SCATTER, 1.0, HIGHEST),
        ("F against A, two linked days, scatter 0.28 %", linked, (5, 0), CALM, 0.0028, 0.03, 1.0),
        ("F against A, two linked days", linked, (5, 0), USUAL_DAYS, SCATTER, 1.0, HIGHEST),
        ("F against A, two linked days", linked, (5, 0), ALIKE, SCATTER, 1.0, 1.0),
        ("F against A, two linked days", linked, (5, 0), APART, SCATTER, 1.0, 1.0),
    ]
    for name, layout, pair, drift, scatter, widest, most in single:
        half, covered = interval(layout, pair, drift, scatter)
        good = half <= widest and LOWEST <= covered <= most
        # Days that share nothing are not what is usual: what that costs is shown, and does not fail the run.
        answer = "yes" if good else "**no**, and not usual" if drift is APART else "**no**"
        kept &= good or drift is APART
        limit = ", at most 3 wanted" if widest < 1 else ""
        lines.append(f"| {name} | {drift.name} | ± {half * 100:.2f} %{limit} | {covered * 100:.1f} % | "
                     f"{answer} |")  # fmt: skip
    for name, covered in (
        ("Drift of a pull, with a return", slope_coverage(Layout.of(RETURN))),
        ("Drift of a pull, no return", slope_coverage(Layout.of(AWAY))),
        ("B against A, all speeds of a curve together", band_coverage()),
        ("All pairs of four together", pairs_coverage()),
    ):
        good = covered >= LOWEST
        kept &= good
        lines.append(f"| {name} | as is usual | | {covered * 100:.1f} % | {'yes' if good else '**no**'} |")
    lines += [
        "",
        "## Chances",
        "",
        f"What the better one of two setups is said to be, and how often it is: {4 * DAYS} days "
        f"whose parts are worth ± {GAINS * 100:.1f} % (standard deviation) and whose drift is as is usual.",
        "",
        "| order | stated | days | stated on average | true in | kept |",
        "| --- | --- | --- | --- | --- | --- |",
    ]
    for name, order in (("AAABBB", AWAY), ("AAABBBAA", RETURN)):
        for stated, days, average, right in stated_and_true(order):
            good = abs(right - average) < 0.05
            kept &= good
            lines.append(f"| {name} | {stated} | {days} | {average * 100:.1f} % | {right * 100:.1f} % | "
                         f"{'yes' if good else '**no**'} |")  # fmt: skip
    return "\n".join([*lines, ""]), kept
