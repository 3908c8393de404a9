"""Ask for long work, stop it, and do it in a worker process."""

from __future__ import annotations

import logging
import threading
from datetime import datetime, timedelta
from typing import Any

from django.db import connection, transaction
from django.db.models import QuerySet
from django.utils import timezone
from procrastinate.contrib.django import app

from jobs.kinds import KINDS
from jobs.models import ABOUT_LENGTH, OVER, Job, JobState
from shop.models import Person
from shop.refusals import Refusal

log = logging.getLogger(__name__)
LOOK_S = 0.15  # how often a job looks whether it is still wanted
BEAT_S = 1.0
KEPT = timedelta(days=2)
DEAD = timedelta(seconds=60)  # without a sign of life: longer than a busy machine holds a worker up


TASK = "jobs.run"  # by its name: the task itself (jobs/tasks.py) calls this module


class Unusable(Exception):
    """The work cannot be done as asked; the message is for the person who asked."""


def jobs_of(person: Person) -> QuerySet[Job]:
    """Jobs that the person may see: their own."""
    return Job.objects.filter(asked_by=person)


@transaction.atomic
def ask(person: Person, kind: str, subject: str, arguments: dict[str, Any], at: datetime, *, about: str = "") -> Job:
    """Put work into its queue. An older job of the same person, kind and subject is not wanted any more.

    `about` says for the person what the work is about, beside its kind.
    """
    older = jobs_of(person).filter(kind=kind, subject=subject)
    older.filter(state=JobState.WAITING).update(state=JobState.STOPPED, stop_asked=True)
    older.filter(state=JobState.RUNNING).update(stop_asked=True)
    jobs_of(person).filter(state__in=OVER, asked_at__lt=at - KEPT).delete()
    job = Job.objects.create(
        kind=kind, subject=subject, about=about[:ABOUT_LENGTH], arguments=arguments, asked_by=person, asked_at=at
    )
    waiting = app.configure_task(TASK, queue=KINDS[kind].queue)
    transaction.on_commit(lambda: waiting.defer(job_id=job.pk))
    return job


def sweep(at: datetime) -> int:
    """End what a worker that died was doing, so that it can be asked for again; how many there were."""
    dead = Job.objects.filter(state=JobState.RUNNING, beat_at__lt=at - DEAD)
    return dead.update(state=JobState.FAILED, progress_text="The worker that did it was stopped. Ask again.")


def is_going_on(job_id: int | None) -> bool:
    """Whether a job waits or is worked on; one whose worker died is not."""
    sweep(timezone.now())
    return job_id is not None and Job.objects.filter(pk=job_id).exclude(state__in=OVER).exists()


def stop(person: Person, job: Job) -> Job:
    """Nobody wants it any more. What waits is stopped at once, what runs at its next look."""
    if job.asked_by_id != person.pk:
        raise Refusal("Only who asked for this work can stop it.", code="not_yours")
    if job.state in OVER:
        raise Refusal("This work is over already.", code="job_over")
    jobs_of(person).filter(pk=job.pk, state=JobState.WAITING).update(state=JobState.STOPPED)
    jobs_of(person).filter(pk=job.pk).update(stop_asked=True)
    job.refresh_from_db()
    return job


def run(job_id: int) -> None:
    """Do a job that is in the queue; one that was stopped or done already is left alone."""
    sweep(timezone.now())
    taken = Job.objects.filter(pk=job_id, state=JobState.WAITING, stop_asked=False)
    if not taken.update(state=JobState.RUNNING, beat_at=timezone.now()):
        return
    job = Job.objects.get(pk=job_id)
    if KINDS[job.kind].is_secret:
        Job.objects.filter(pk=job_id).update(arguments={})
    watch = JobWatch(job_id)
    state, progress_text, result = JobState.FAILED, "", None
    try:
        with watch:
            result = KINDS[job.kind].work(job.arguments, watch)
        state = JobState.DONE if watch.wanted() else JobState.STOPPED
    except Unusable as reason:
        progress_text = str(reason)
    except Exception:
        log.exception("job %s failed", job)
        progress_text = "The work failed by a fault of the application. It is in the log; ask again or tell the owner."
    Job.objects.filter(pk=job_id, state=JobState.RUNNING).update(
        state=state,
        result=result,
        done=watch.done,
        total=watch.total,
        progress_text=(progress_text or watch.progress_text)[:200],
        beat_at=timezone.now(),
    )


class JobWatch:
    """The thread beside a job: writes down how far it is, and looks whether it is still wanted.

    The work itself never waits for the database, and its solver's own threads never touch it.
    """

    def __init__(self, job_id: int) -> None:
        self.job_id = job_id
        self.done = self.total = 0
        self.progress_text = ""
        self._unwanted, self._over = threading.Event(), threading.Event()
        self._thread = threading.Thread(target=self._look, daemon=True)

    def wanted(self) -> bool:
        return not self._unwanted.is_set()

    def tell(self, done: int = 0, total: int = 0, progress_text: str = "") -> None:
        self.done, self.total, self.progress_text = min(done, total) if total else done, total, progress_text[:200]

    def __enter__(self) -> JobWatch:
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._over.set()
        self._thread.join()

    def _look(self) -> None:
        beaten, written = 0.0, (0, 0, "")
        try:
            while not self._over.wait(LOOK_S):
                mine = Job.objects.filter(pk=self.job_id)
                # Also one that was taken for dead while this machine stood still: somebody may do it anew.
                if not mine.filter(stop_asked=False, state=JobState.RUNNING).exists():
                    self._unwanted.set()
                beaten += LOOK_S
                now = (self.done, self.total, self.progress_text)
                if now != written or beaten >= BEAT_S:
                    mine.update(done=now[0], total=now[1], progress_text=now[2], beat_at=timezone.now())
                    written, beaten = now, 0.0
        except Exception:
            log.exception("the watch over job %s ended; the work goes on unwatched", self.job_id)
        finally:
            connection.close()
