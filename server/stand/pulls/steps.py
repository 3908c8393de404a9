"""What the running order still asks for, and which of its visits the next pull counts towards."""

from __future__ import annotations

from collections.abc import Sequence

from programmes.models import Programme, Setup, Step
from stand.models import Pull, PullState, Standing


def steps_left(steps: Sequence[Step], pulls: Sequence[Pull]) -> list[tuple[Step, int]]:
    """What the running order still asks for: each step with the counted pulls that it lacks."""
    counted: dict[int, int] = {}
    for pull in pulls:
        if pull.step_id and pull.state == PullState.COMPLETE and pull.standing != Standing.EXCLUDED:
            counted[pull.step_id] = counted.get(pull.step_id, 0) + 1
    return [(step, step.pulls - counted.get(step.pk, 0)) for step in steps if step.pulls > counted.get(step.pk, 0)]


def next_step(programme: Programme, setup: Setup) -> Step | None:
    """The visit of the running order that the next pull of a setup counts towards."""
    pulls = list(Pull.objects.filter(session__programme=programme))
    left = steps_left(list(programme.steps.all()), pulls)
    return next((step for step, _ in left if step.setup_id == setup.pk), None)
