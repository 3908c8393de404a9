"""What reduction found in the samples, in words."""

from __future__ import annotations

from typing import Any

from torvix_core.pull.trace import TraceFinding, TraceProblem

WORDS = {
    TraceProblem.TIME_BACKWARDS: "time runs backwards",
    TraceProblem.GAP: "samples are missing",
    TraceProblem.RPM_JUMP: "speed jumps",
    TraceProblem.STUCK: "the reading does not move",
    TraceProblem.MISSING: "sent nothing",
    TraceProblem.IMPLAUSIBLE: "read what cannot be",
}


def finding_words(finding: dict[str, Any]) -> str:
    """One finding as a person reads it."""
    told = TraceFinding(TraceProblem(finding["problem"]), finding["channel"], finding["samples"], finding["first_s"])
    where = told.channel.replace("_", " ") or "time base"
    times = "sample" if told.samples == 1 else "samples"
    return f"{where}: {WORDS[told.problem]} ({told.samples} {times}, first at {told.first_s:.1f} s)"
