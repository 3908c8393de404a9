"""The day as it goes against the day as planned: what was done when, what is left, and when it will be over."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import groupby

from torvix_core.planning import changeover

from programmes.models import Programme
from programmes.plan.plans import Plan
from stand.models import ENDED, Pull, PullState, Session
from stand.pulls.steps import steps_left


@dataclass(frozen=True)
class Done:
    """Pulls of one setup in a row; `setup` is a place in the plan. Aborted and left-out pulls count in the time."""

    setup: int
    session: int
    starts_at: datetime
    ends_at: datetime
    pulls: Sequence[int]


@dataclass(frozen=True)
class Left:
    """A visit that is still to be made, or finished: minutes of change before it and of pulling."""

    setup: int
    pulls: int
    change_min: float
    pulling_min: float
    ends_at: datetime
    fits: bool  # before the paid time is over


@dataclass(frozen=True)
class Progress:
    """`late_min` is how far the projected finish lies behind the planned one; None while nothing was begun."""

    done: Sequence[Done]
    left: Sequence[Left]
    now: datetime
    paid_until: datetime | None
    paid_left_min: float | None
    projected: datetime | None
    late_min: float | None


def progress(programme: Programme, plan: Plan, planned_finish: datetime | None, now: datetime) -> Progress:
    """Where the day stands. Nothing is projected before the first pull, or once all is done."""
    pulls = list(
        Pull.objects.filter(session__programme=programme)
        .exclude(started_at=None)
        .select_related("session")
        .order_by("number")
    )
    place_of = {setup.pk: place for place, setup in enumerate(plan.setups) if setup.pk}
    sessions = {pk: index for index, pk in enumerate(dict.fromkeys(pull.session_id for pull in pulls))}
    done = [
        _done(place_of[setup], sessions[session], list(group))
        for (session, setup), group in groupby(pulls, key=lambda pull: (pull.session_id, pull.setup_id))
    ]
    opened = list(Session.objects.filter(programme=programme, filed=False).order_by("opened_at"))
    paid_until = _paid_until(opened, plan)
    left = _left(programme, plan, pulls, place_of, now, paid_until)
    if not done:
        return Progress([], left, now, paid_until, None, None, None)
    projected = left[-1].ends_at if left else None
    late = None
    # Between sessions the clock of the plan stands still: nothing is late while nobody is on the stand.
    running = any(session.closed_at is None for session in opened)
    if projected is not None and planned_finish is not None and running:
        late = (projected - planned_finish).total_seconds() / 60
    paid_left = None if paid_until is None else max(0.0, (paid_until - now).total_seconds() / 60)
    return Progress(done, left, now, paid_until, paid_left, projected, late)


def _done(setup: int, session: int, pulls: Sequence[Pull]) -> Done:
    start = pulls[0].started_at
    assert start is not None  # pulls that never started are not asked for
    end = pulls[-1].ended_at or pulls[-1].started_at or start
    return Done(setup, session, start, end, [pull.number for pull in pulls])


def _paid_until(opened: Sequence[Session], plan: Plan) -> datetime | None:
    """When the paid time of the session that runs is over: as many minutes after its opening as are paid."""
    running = [place for place, session in enumerate(opened) if session.closed_at is None]
    if not running or not plan.sessions:
        return None
    paid = plan.sessions[min(running[-1], len(plan.sessions) - 1)].paid_min
    return None if paid is None else opened[running[-1]].opened_at + timedelta(minutes=paid)


def _left(
    programme: Programme, plan: Plan, pulls: Sequence[Pull], place_of: dict[int, int], now: datetime,
    paid_until: datetime | None,
) -> list[Left]:  # fmt: skip
    levels, works, times = plan.levels(), plan.works(), plan.times
    made = [pull for pull in pulls if pull.state in ENDED]
    complete = [pull for pull in made if pull.state == PullState.COMPLETE]
    on = place_of[complete[-1].setup_id] if complete else 0
    clock = now
    found: list[Left] = []
    visited = {place_of[pull.setup_id] for pull in complete}
    session = max((step.session for step in programme.steps.all() if step.pk in {pull.step_id for pull in made}),
                  default=0)  # fmt: skip
    if not pulls:
        clock += timedelta(minutes=times.warm_up_min)
    for step, count in steps_left(list(programme.steps.all()), made):
        setup = place_of[step.setup_id]
        if step.session > session and step.session < len(plan.sessions):
            # What is planned for a later session waits for it, and has its paid time.
            session, later = step.session, plan.sessions[step.session]
            clock = max(clock, later.starts_at) + timedelta(minutes=times.warm_up_min)
            paid_until = None if later.paid_min is None else later.starts_at + timedelta(minutes=later.paid_min)
        begun = setup == on and bool(complete) and not found
        change = changeover.minutes(levels[on], levels[setup], works)
        first = setup not in visited
        visited.add(setup)
        pulling = count * times.one_pull_min if begun else times.visit_min(count, first=first)
        clock += timedelta(minutes=change + pulling)
        found.append(Left(setup, count, change, pulling, clock, paid_until is None or clock <= paid_until))
        on = setup
    return found
