"""What reduction found in the samples, in words."""

from __future__ import annotations

from torvix_core.pull.trace import TraceProblem
from torvix_core.units.grammar import plural

from curves.models import SampleFinding

WORDS = {
    TraceProblem.TIME_BACKWARDS: "time runs backwards",
    TraceProblem.GAP: "samples are missing",
    TraceProblem.RPM_JUMP: "speed jumps",
    TraceProblem.STUCK: "the reading does not move",
    TraceProblem.MISSING: "sent nothing",
    TraceProblem.IMPLAUSIBLE: "read what cannot be",
}


def finding_words(finding: SampleFinding) -> str:
    """One finding as a person reads it."""
    where = finding.channel.replace("_", " ") or "time base"
    times = plural("sample", finding.samples)
    problem = WORDS[TraceProblem(finding.problem)]
    return f"{where}: {problem} ({finding.samples} {times}, first at {finding.first_s:.1f} s)"
