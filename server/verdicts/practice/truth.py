"""Asks the simulated stand what it hid in a practice test; nothing else of this shop knows."""

from __future__ import annotations

import json
import subprocess
import sys
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from django.conf import settings
from torvix_core.planning.simulated_days import Habits
from torvix_core.units.checked import Array

from programmes.models import PracticeTest, Setup
from shop.refusals import Refusal
from stand.pulls.arming import bolted_on

PATIENCE_S = 120  # on a busy machine


@dataclass(frozen=True, eq=False)
class Truth:
    """Torque of each setup, N·m (setups, speeds); what parts are worth; how the engine behaves from pull to pull.

    `cools` is the share of the warmth of oil and coolant that goes when parts are changed.
    """

    torque: Array
    parts: Mapping[str, Mapping[str, float]]
    habits: Habits
    cools: float


def truth_of(practice: PracticeTest, setups: Sequence[Setup], speed_rpm: Array) -> Truth:
    """Refusal where the program of the simulated stand does not answer."""
    asked = {
        "engine": practice.engine, "speeds": speed_rpm.tolist(),
        "practice": {"seed": practice.seed, "traits": practice.traits},
        "fits": [bolted_on(practice.programme, setup) for setup in setups],
    }  # fmt: skip
    try:
        said = subprocess.run(
            [sys.executable, "-m", "standin.practice"], input=json.dumps(asked), capture_output=True, text=True,
            cwd=settings.ROOT, timeout=PATIENCE_S, check=True,
        )  # fmt: skip
        found: dict[str, Any] = json.loads(said.stdout)
    except (OSError, subprocess.SubprocessError, ValueError) as error:
        raise Refusal("The simulated stand does not tell what it hid. Try again.", code="no_truth") from error
    return Truth(np.array(found["torque"]), found["parts"], Habits(**found["habits"]), found["cools"])
