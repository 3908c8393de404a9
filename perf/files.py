"""Reading files against the bare parse of a library, a day's worth of files against theirs, and truth recovered."""

from __future__ import annotations

import io
import time
from datetime import UTC, date, datetime
from typing import Any

import numpy as np
import pandas as pd
from torvix_core.pull.reduction import reduce_sweep
from torvix_core.pull.trace import Trace

from curves.files import mapping, write
from curves.files.mapping import Mapped
from curves.files.read import read_table
from curves.intake import imports
from curves.intake.filing import FilingPlace
from curves.models import Reduced
from curves.reduction import rebuild
from perf.pulls import OPTIONS, a_pull
from perf.ratio import measure
from perf.report import size, tell

FILES = size(500, 3)
STOICHIOMETRIC = 14.7
UNITS = {"speed": "rpm", "torque": "N·m", "temperature": "K", "pressure": "Pa", "mixture": "lambda", "fraction": "1",
         "mass flow": "kg/s"}  # fmt: skip


def _raw(hz: float, seed: int = 0) -> dict[str, tuple[str, np.ndarray]]:
    pull = a_pull(hz)
    raw: dict[str, tuple[str, np.ndarray]] = {"time": ("s", pull.time)}
    for name, values in zip(pull.names, pull.values, strict=True):
        raw[name] = (UNITS.get(mapping.MEASURES.get(name, ""), "K"), values)
    dice = np.random.default_rng(seed)
    for name, noise, decimals in (("rpm", 1.5, 1), ("torque", 0.8, 2)):  # no two pulls are alike
        unit, values = raw[name]
        raw[name] = (unit, (values + dice.normal(0, noise, len(values))).round(decimals))
    return raw


def _settled(content: bytes) -> list[Mapped]:
    return list(mapping.guess(read_table(content)).mapped)


def reading() -> None:
    csv = write.csv_bytes(_raw(1000))

    def ours() -> object:
        table = read_table(csv)
        mapped = mapping.guess(table).mapped
        if problems := mapping.checked(mapped, table, False, None):
            raise AssertionError(problems)
        return mapping.apply(table, mapped, False, None, STOICHIOMETRIC)

    tell(measure("CSV, 1000 Hz x 24: sniffed, mapped, checked / bare pandas parse", ours,
                 lambda: pd.read_csv(io.BytesIO(csv)), "at most 1.5"))  # fmt: skip
    _mdf()
    pulls = [a_pull(100) for _ in range(20)]

    def again() -> object:
        return [reduce_sweep(Trace(pull.time, pull.names, pull.values), OPTIONS) for pull in pulls]

    def copy() -> object:
        return [np.copy(pull.values) for pull in pulls]

    tell(measure("re-reduce / memcpy of the pulls, 100 Hz x 24", again, copy, "at most 6"))


def _mdf() -> None:
    from asammdf import MDF

    content = write.mdf_bytes(_raw(1000), "a pull")

    def select() -> object:
        with MDF(io.BytesIO(content)) as mdf:
            groups: Any = mdf.groups
            wanted = [
                (None, group, at)
                for group, of in enumerate(groups)
                for at in range(len(of.channels))
                if at != mdf.masters_db.get(group)
            ]
            return mdf.select(wanted)

    tell(measure("MDF4, 1000 Hz x 24 / select() of the library", lambda: read_table(content), select, "at most 1.3"))


def many() -> None:
    """FILES files of 12 s at 100 Hz by the job that imports them, against the bare parse of all of them."""
    import scenes

    from shop.models import Role

    operator = scenes.person(Role.OPERATOR)
    programme = scenes.programme(operator)
    at, where = (
        datetime(2026, 11, 2, tzinfo=UTC),
        FilingPlace(date(2026, 11, 2), "A stand", inertia_in_torque="included"),
    )
    contents = [write.csv_bytes(_raw(100, seed)) for seed in range(FILES)]
    batch = imports.begin(operator, programme, at)
    taken = [imports.take(operator, batch, f"{number:04}.csv", content) for number, content in enumerate(contents)]
    setup = programme.setups.all()[0]
    layouts = {taken[0].layout_key: imports.LayoutChoice(_settled(contents[0]), is_table=False)}
    job = imports.run(operator, batch, layouts, {one.pk: imports.FilePlacing(setup.pk) for one in taken}, where, at)
    started = time.perf_counter()
    for content in contents:
        pd.read_csv(io.BytesIO(content))
    bare = time.perf_counter() - started
    started = time.perf_counter()
    result = imports.work(job.arguments, _Patient())
    ours = time.perf_counter() - started
    if result["read"] != FILES:
        raise AssertionError(result)
    tell(
        f"{FILES} files of 12 s at 100 Hz x 24, parsed, checked, reduced, stored / bare pandas parse",
        f"{ours / bare:.2f} ({ours:.2f} s against {bare:.2f} s)",
        "at most 3",
    )
    _again()


def _again() -> None:
    """Every stored pull made anew, as after an upgrade, by one worker."""
    Reduced.objects.update(core_version="an older one")
    started = time.perf_counter()
    found = rebuild.work({"only": None, "check": False}, _Patient())
    taken = (time.perf_counter() - started) / found["looked_at"]
    tell(
        f"rebuild of {found['looked_at']} stored pulls of 12 s at 100 Hz x 24, everything included",
        f"{1000 * taken:.1f} ms a pull: 10 000 in {10_000 * taken:.0f} s",
        "10 000 in 60 s on two processes",
    )


class _Patient:
    def wanted(self) -> bool:
        return True

    def tell(self, done: int = 0, total: int = 0, progress_text: str = "") -> None:
        pass


def truth() -> None:
    """What comes back of known curves from noise, spike, drop-outs, jitter, inertia and weather."""
    from tests.judging.test_truth import PULLS, recover

    errors, crossings = recover()
    tell(
        f"truth of {PULLS} synthetic pulls, means of three",
        f"rms {100 * errors.mean():.3f} % of the peak (95 %: {100 * np.quantile(errors, 0.95):.3f} %), crossover "
        f"off by {np.median(crossings):.0f} rpm (95 %: {np.quantile(crossings, 0.95):.0f})",
        "under 0.25 % and 50 rpm",
    )
