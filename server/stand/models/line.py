"""A stand as the bench worker knows it: its limits, what is asked of it, and what it said last."""

from __future__ import annotations

from datetime import datetime, timedelta

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.db.models import F, Q

from shop.checked_json import CheckedJSONField, Finite, JsonObject
from shop.models import Stand
from stand.models.pull import Pull


class StandLimit(models.Model):
    """A limit as the owner of a stand set it; the usual one holds where there is no row."""

    stand = models.ForeignKey(Stand, on_delete=models.CASCADE, related_name="limits")
    key = models.CharField(max_length=20)
    value = models.FloatField(null=True, blank=True, help_text="SI; null: the usual value")
    samples = models.PositiveSmallIntegerField(default=3, help_text="out of so many that are looked at")
    of = models.PositiveSmallIntegerField(default=4)
    watched = models.BooleanField(default=True)
    stops_unseen = models.BooleanField(default=True, help_text="the pull is stopped when the channel cannot be read")

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(fields=["stand", "key"], name="limit_once_per_stand"),
            models.CheckConstraint(
                condition=Q(samples__gte=1, of__lte=50, samples__lte=F("of")), name="limit_can_trip"
            ),
        ]


class CommandState(models.TextChoices):
    WAITING = "waiting", "Waiting"
    DONE = "done", "Done"
    REFUSED = "refused", "Refused"


class Command(models.Model):
    """Something a person asks of the stand; the bench worker passes it on and writes down the answer."""

    stand = models.ForeignKey(Stand, on_delete=models.CASCADE, related_name="commands")
    pull = models.ForeignKey(Pull, on_delete=models.CASCADE, null=True, blank=True, related_name="commands")
    name = models.CharField(max_length=20)
    arguments = CheckedJSONField(shape=JsonObject, default=dict)
    asked_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    asked_at = models.DateTimeField(auto_now_add=True)
    state = models.CharField(max_length=10, choices=CommandState.choices, default=CommandState.WAITING)
    answer = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["pk"]


SILENT_WORKER = timedelta(seconds=10)  # it writes every second


class Link(models.Model):
    """What the bench worker knows of its stand right now, for screens that open in the middle."""

    stand = models.OneToOneField(Stand, on_delete=models.CASCADE, related_name="link")
    connected = models.BooleanField(default=False)
    state = models.CharField(max_length=20, blank=True, help_text="idle, armed, sweeping... as the stand says")
    why = models.CharField(max_length=300, blank=True, help_text="why it is not connected")
    alarm = models.CharField(max_length=300, blank=True, help_text="the stand did not stop, in words")
    unsaved = models.CharField(max_length=500, blank=True, help_text="records that were set aside, in words")
    beat_at = models.DateTimeField(null=True, blank=True)
    stopped_at = models.DateTimeField(null=True, blank=True, help_text="when the engine last came to a standstill")
    hello = CheckedJSONField(shape=JsonObject, default=dict)
    values = CheckedJSONField(
        shape=dict[str, Finite | None], default=dict, help_text="last value of each channel, as sent"
    )
    weather = CheckedJSONField(shape=dict[str, Finite], default=dict, help_text="Pa, K, 0 to 1")
    steps = CheckedJSONField(
        shape=dict[str, Finite], default=dict, help_text="how evenly samples come: gaps, longest_s, jitter_s"
    )
    faulty = ArrayField(models.CharField(max_length=40), default=list, help_text="silent or impossible channels")

    def lost(self, at: datetime) -> str:
        """Why the stand cannot be used at this moment; "" if it can. A worker that no longer writes knows nothing."""
        if self.beat_at is not None and at - self.beat_at > SILENT_WORKER:
            return "the bench worker does not report; it may have been stopped"
        return "" if self.connected else self.why or "not linked yet"
