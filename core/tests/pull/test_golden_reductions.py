"""Twenty pulls, reduced, as they stood when the core's version was last raised: results change with the version alone.

Where this fails because a result is meant to change: raise `VERSION` in torvix_core/__init__.py, write the set anew
with `PYTHONPATH=core .venv/bin/python -m tests.pull.test_golden_reductions`, and say in the CHANGELOG what changed.
"""

import json
from collections.abc import Iterator
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np
from django.test import SimpleTestCase
from torvix_core import VERSION
from torvix_core.pull.anomalies import anomalies
from torvix_core.pull.reduction import Options, StandInertia, reduce_sweep
from torvix_core.pull.steps import reduce_steps
from torvix_core.pull.trace import Trace

from tests.pull.test_reduction import pull
from tests.pull.test_steps import held

GOLDEN = Path(__file__).parent / "golden_reductions.json"
SAME = 1e-6  # relative: what another processor or library may differ by, and nobody can see
INCLUDED, ADDED = (
    Options(stand_inertia=StandInertia.INCLUDED),
    Options(stand_inertia=StandInertia.NOT_INCLUDED, inertia=0.6),
)


def dented(trace: Trace, *, at: float, depth: float) -> Trace:
    """The same pull with a stumble at one speed."""
    values = trace.values.copy()
    values[1] -= depth * np.exp(-(((values[0] - at) / 120.0) ** 2))
    return Trace(trace.time, trace.names, values)


def pulls() -> Iterator[tuple[str, Trace, Options, bool]]:
    """Name, samples, options, and whether it is a step test."""
    for rate in (150.0, 300.0, 600.0):
        yield f"swept at {rate:.0f} rpm/s", pull(rate=rate, noise=1.5), INCLUDED, False
        yield f"inertia added at {rate:.0f} rpm/s", pull(rate=rate, noise=1.5, inertia=0.6), ADDED, False
    for hz in (20.0, 50.0, 200.0):
        yield f"{hz:.0f} samples a second", pull(hz=hz, noise=2.0), INCLUDED, False
    for spike in (0.05, 0.4):
        yield f"load-in {spike:.0%} high", pull(spike=spike, noise=1.0), INCLUDED, False
    yield "channels beside torque", pull(extra_channels=4, noise=1.0), INCLUDED, False
    yield "without noise", pull(), INCLUDED, False
    yield "a narrow range", pull(start=3000.0, end=4200.0, noise=1.0), INCLUDED, False
    yield "cut by hand", pull(noise=1.0), Options(cut_start_s=3.0, cut_end_s=9.0), False
    yield "not smoothed, wide bins", pull(noise=1.0), Options(smooth_bins=1, bin_width_rpm=200.0), False
    yield "a stumble", dented(pull(noise=0.5), at=4100.0, depth=25.0), INCLUDED, False
    yield "three speeds held", held([3000, 4000, 5000], noise=1.5), Options(), True
    yield "speeds off the grid", held([3030, 4020, 4980], noise=0.5), Options(), True
    yield "held for two seconds", held([2500, 3500, 4500, 5500], seconds=2.0, noise=1.0), Options(), True


def reduced(trace: Trace, options: Options, steps: bool) -> dict[str, Any]:
    found = reduce_steps(trace, options) if steps else reduce_sweep(trace, options)
    return {
        "speed_rpm": found.speed_rpm.tolist(), "torque": found.torque.tolist(),
        "torque_scatter": found.torque_scatter.tolist(), "samples": found.samples.tolist(),
        "names": list(found.names), "means": found.means.tolist(), "cut": asdict(found.cut),
        "findings": [asdict(finding) for finding in found.findings],
        "anomalies": [asdict(odd) for odd in anomalies(trace, found)],
    }  # fmt: skip


def differences(golden: Any, now: Any, where: str = "") -> list[str]:
    """Where two results differ by more than rounding."""
    if isinstance(golden, dict) and isinstance(now, dict):
        keys = sorted(golden.keys() | now.keys())
        return [text for key in keys for text in differences(golden.get(key), now.get(key), f"{where}.{key}")]
    if isinstance(golden, list) and isinstance(now, list) and len(golden) == len(now):
        return [
            text
            for at, (a, b) in enumerate(zip(golden, now, strict=True))
            for text in differences(a, b, f"{where}[{at}]")
        ]
    if isinstance(golden, float) and isinstance(now, float):
        close = np.isclose(golden, now, rtol=SAME, atol=SAME)
        return [] if close else [f"{where}: {golden:.9g}, now {now:.9g}"]
    return [] if golden == now else [f"{where}: {golden}, now {now}"]


def all_reduced() -> dict[str, Any]:
    """As they stand in the file, so that numbers and names are compared as JSON keeps them."""
    results = {name: reduced(trace, options, steps) for name, trace, options, steps in pulls()}
    kept: dict[str, Any] = json.loads(json.dumps(results))
    return kept


class GoldenReductions(SimpleTestCase):
    maxDiff = 2000

    def test_no_result_changes_without_the_version(self):
        golden, now = json.loads(GOLDEN.read_text()), all_reduced()
        self.assertEqual(len(golden["pulls"]), 20)
        self.assertEqual(golden["version"], VERSION, "the version was raised: write the set anew, as said above")
        self.assertEqual(
            differences(golden["pulls"], now)[:10], [], "results changed: raise the version, as said above"
        )

    def test_a_change_beyond_rounding_is_seen(self):
        golden = json.loads(GOLDEN.read_text())["pulls"]
        changed = json.loads(json.dumps(golden))
        changed["a stumble"]["torque"][7] *= 1 + 1e-5
        self.assertEqual(len(differences(golden, changed)), 1)
        changed["a stumble"]["torque"][7] = golden["a stumble"]["torque"][7] * (1 + 1e-8)
        self.assertEqual(differences(golden, changed), [])


if __name__ == "__main__":
    text = json.dumps({"version": VERSION, "pulls": all_reduced()}, indent=None, separators=(",", ":"))
    GOLDEN.write_text(text.replace('},"', '},\n"') + "\n")
