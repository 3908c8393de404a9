"""What reduction found in the samples, in words."""

from __future__ import annotations

from typing import Any

from torvix_core.pull.trace import Finding, Problem

WORDS = {
    Problem.TIME_BACKWARDS: "time runs backwards",
    Problem.GAP: "samples are missing",
    Problem.RPM_JUMP: "speed jumps",
    Problem.STUCK: "the reading does not move",
    Problem.MISSING: "sent nothing",
    Problem.IMPLAUSIBLE: "read what cannot be",
}


def finding_words(finding: dict[str, Any]) -> str:
    """One finding as a person reads it."""
    told = Finding(Problem(finding["problem"]), finding["channel"], finding["samples"], finding["first_s"])
    where = told.channel.replace("_", " ") or "time base"
    times = "sample" if told.samples == 1 else "samples"
    return f"{where}: {WORDS[told.problem]} ({told.samples} {times}, first at {told.first_s:.1f} s)"
