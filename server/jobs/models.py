"""Long work: what was asked, how far it is, and what came of it."""

from __future__ import annotations

from datetime import datetime, timedelta

from django.conf import settings
from django.db import models
from django.db.models import F, Q

from shop.checked_json import CheckedJSONField, JsonObject


class JobState(models.TextChoices):
    WAITING = "waiting", "Waiting"
    RUNNING = "running", "Running"
    DONE = "done", "Done"
    FAILED = "failed", "Failed"
    STOPPED = "stopped", "Stopped"


OVER = (JobState.DONE, JobState.FAILED, JobState.STOPPED)
ABOUT_LENGTH = 200
SILENT = timedelta(seconds=10)  # a running job reports every second


class Job(models.Model):
    """One piece of work for a worker process. `result` and `arguments` are plain JSON."""

    kind = models.CharField(max_length=40)
    subject = models.CharField(max_length=80, blank=True, help_text="what it is about; a newer one takes its place")
    about = models.CharField(max_length=ABOUT_LENGTH, blank=True, help_text="the same for the person who asked")
    arguments = CheckedJSONField(shape=JsonObject, default=dict)
    state = models.CharField(max_length=8, choices=JobState.choices, default=JobState.WAITING)
    done = models.PositiveIntegerField(default=0)
    total = models.PositiveIntegerField(default=0, help_text="0: not known beforehand")
    progress_text = models.CharField(max_length=200, blank=True)
    result = CheckedJSONField(shape=JsonObject, null=True, blank=True)
    stop_asked = models.BooleanField(default=False)
    asked_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    asked_at = models.DateTimeField()
    beat_at = models.DateTimeField(null=True, blank=True, help_text="last sign of life of the worker")

    class Meta:
        ordering = ["-pk"]
        constraints = [
            models.CheckConstraint(condition=Q(state__in=JobState.values), name="job_state_is_known"),
            models.CheckConstraint(condition=Q(total=0) | Q(done__lte=F("total")), name="job_does_no_more_than_all"),
        ]

    def __str__(self) -> str:
        return f"{self.kind} {self.pk}"

    def lost(self, at: datetime) -> str:
        """Why it will come to nothing although it is not over; "" if it may."""
        if self.state == JobState.RUNNING and self.beat_at is not None and at - self.beat_at > SILENT:
            return "The worker that did it was stopped. Ask again."
        if self.state == JobState.WAITING and at - self.asked_at > SILENT * 3:
            return "No worker takes it: none runs, or all are busy. It stays in the queue."
        return ""
