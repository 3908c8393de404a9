"""What reduction found in the samples, in words."""

from __future__ import annotations

from torvix_core.pull.trace import TraceProblem
from torvix_core.units.grammar import counted

from curves.models import SampleFinding

WORDS = {
    TraceProblem.TIME_BACKWARDS: "time runs backwards",
    TraceProblem.GAP: "samples are missing",
    TraceProblem.RPM_JUMP: "speed jumps",
    TraceProblem.STUCK: "stuck reading",
    TraceProblem.MISSING: "no signal",
    TraceProblem.IMPLAUSIBLE: "impossible reading",
}


def finding_words(finding: SampleFinding) -> str:
    """One finding as a person reads it."""
    where = finding.channel.replace("_", " ") or "time base"
    problem = WORDS[TraceProblem(finding.problem)]
    return f"{where}: {problem} for {counted(finding.samples, 'sample')} from {finding.first_s:.1f} s"
