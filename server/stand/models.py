"""Sessions, pulls and their raw samples, and what passes between browsers and the bench worker."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import TYPE_CHECKING

from django.conf import settings
from django.contrib.postgres.constraints import ExclusionConstraint
from django.contrib.postgres.fields import ArrayField, DateTimeRangeField, RangeBoundary, RangeOperators
from django.db import models
from django.db.models import F, Func, Q

from engines.models import Build
from programmes.models import Programme, Setup, Step
from shop.models import Stand

if TYPE_CHECKING:
    from django.db.models.fields.related_descriptors import RelatedManager


class Period(Func):
    function = "TSTZRANGE"
    output_field = DateTimeRangeField()


class Session(models.Model):
    """One stretch on one stand with one warm engine. Open until it is closed."""

    programme = models.ForeignKey(Programme, on_delete=models.PROTECT, related_name="sessions")
    stand = models.ForeignKey(Stand, on_delete=models.PROTECT, related_name="sessions")
    opened_at = models.DateTimeField()
    closed_at = models.DateTimeField(null=True, blank=True)
    opened_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")

    class Meta:
        ordering = ["opened_at"]
        constraints = [
            ExclusionConstraint(
                name="session_one_at_a_time_per_stand",
                expressions=[
                    (Period("opened_at", "closed_at", RangeBoundary()), RangeOperators.OVERLAPS),
                    ("stand", RangeOperators.EQUAL),
                ],
                violation_error_message="Another session runs on this stand at that time. Close it first.",
            ),
            models.CheckConstraint(
                condition=Q(closed_at__isnull=True) | Q(closed_at__gte=F("opened_at")), name="session_ends_after_start"
            ),
        ]


class WeatherReading(models.Model):
    """One line of a session's weather log, in SI. One that is struck stays in the record and counts no more."""

    session = models.ForeignKey(Session, on_delete=models.PROTECT, related_name="weather")
    at = models.DateTimeField()
    barometer = models.FloatField(help_text="Pa at the station")
    temperature = models.FloatField(help_text="K")
    relative_humidity = models.FloatField(help_text="0 to 1")
    source = models.CharField(max_length=80, help_text="stand, by hand, or a file's name")
    written_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+")
    struck_at = models.DateTimeField(null=True, blank=True)
    struck_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, blank=True, related_name="+"
    )
    struck_reason = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["at", "pk"]
        constraints = [
            models.UniqueConstraint(fields=["session", "at", "source"], name="weather_once_per_moment_and_source"),
            models.CheckConstraint(
                condition=Q(
                    barometer__gte=50_000, barometer__lte=110_000, temperature__gte=233.15, temperature__lte=353.15,
                    relative_humidity__gte=0, relative_humidity__lte=1,
                ),
                name="weather_can_be_weather",
            ),
            models.CheckConstraint(
                condition=Q(struck_at__isnull=True) | ~Q(struck_reason=""), name="weather_is_struck_with_a_reason"
            ),
        ]  # fmt: skip


@dataclass(frozen=True)
class PullAir:
    """The air a pull is corrected for: Pa, K, 0 to 1; `from_log` where the pull had none of its own."""

    barometer: float
    temperature: float
    relative_humidity: float
    from_log: bool = False


class PullState(models.TextChoices):
    ARMED = "armed", "Armed"
    RUNNING = "running", "Running"
    COMPLETE = "complete", "Complete"
    ABORTED = "aborted", "Aborted"
    INCOMPLETE = "incomplete", "Incomplete"


class Standing(models.TextChoices):
    UNDECIDED = "undecided", "Not judged"
    ACCEPTED = "accepted", "Kept"
    EXCLUDED = "excluded", "Left out"


ENDED = (PullState.COMPLETE, PullState.ABORTED, PullState.INCOMPLETE)


class Pull(models.Model):
    """One sweep. Its raw samples are never changed; whether it counts is a judgement beside them."""

    session = models.ForeignKey(Session, on_delete=models.PROTECT, related_name="pulls")
    number = models.PositiveIntegerField()
    setup = models.ForeignKey(Setup, on_delete=models.PROTECT, related_name="pulls")
    build = models.ForeignKey(Build, on_delete=models.PROTECT, related_name="pulls", help_text="what it was made with")
    step = models.ForeignKey(Step, on_delete=models.SET_NULL, null=True, blank=True, related_name="pulls_made")
    state = models.CharField(max_length=12, choices=PullState.choices, default=PullState.ARMED)
    ended_why = models.CharField(max_length=300, blank=True)
    armed_at = models.DateTimeField()
    started_at = models.DateTimeField(null=True, blank=True)
    ended_at = models.DateTimeField(null=True, blank=True)
    operator = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    first_after_change = models.BooleanField(default=False)
    override_reason = models.CharField(max_length=300, blank=True, help_text="why it was started outside a window")

    sweep_start_rpm = models.FloatField()
    sweep_end_rpm = models.FloatField()
    sweep_rate_rpm_s = models.FloatField()
    rate_hz = models.FloatField(null=True, blank=True, help_text="samples a second, as the stand says")
    inertia_in_torque = models.CharField(max_length=12, default="unknown", help_text="as the stand says")
    inertia = models.FloatField(default=0.0, help_text="kg·m², as the stand says; 0 where it does not")
    channel_list = models.JSONField(default=list, help_text="[name, unit] of each column of the chunks")
    samples_lost = models.PositiveIntegerField(default=0)
    barometer = models.FloatField(null=True, blank=True, help_text="Pa, mean over the pull")
    air_temperature = models.FloatField(null=True, blank=True, help_text="K")
    relative_humidity = models.FloatField(null=True, blank=True, help_text="0 to 1")

    standing = models.CharField(max_length=10, choices=Standing.choices, default=Standing.UNDECIDED)
    judged_at = models.DateTimeField(null=True, blank=True)
    judged_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, blank=True, related_name="+"
    )
    excluded_reason = models.CharField(max_length=300, blank=True)

    # The air it is corrected for, once stand.weather.give_air has looked for it.
    air: PullAir | None = None

    if TYPE_CHECKING:
        chunks: RelatedManager[Chunk]
        channels: RelatedManager[Channel]

    class Meta:
        ordering = ["session__opened_at", "number"]
        constraints = [
            models.UniqueConstraint(fields=["session", "number"], name="pull_number_once_per_session"),
            models.UniqueConstraint(
                fields=["session"],
                condition=Q(state__in=["armed", "running"]),
                name="pull_one_at_a_time_per_session",
            ),
            models.CheckConstraint(
                condition=~Q(standing="excluded") | ~Q(excluded_reason=""),
                name="pull_exclusion_has_a_reason",
                violation_error_message="Say why the pull is left out.",
            ),
            models.CheckConstraint(
                condition=~Q(standing="accepted") | Q(state="complete"),
                name="pull_kept_only_if_complete",
                violation_error_message="Only a complete pull can be kept.",
            ),
        ]

    def __str__(self) -> str:
        return f"Pull {self.number}"


class Chunk(models.Model):
    """Samples as they came while the pull runs: columns of float64, time first. Gone once the pull has ended."""

    pull = models.ForeignKey(Pull, on_delete=models.CASCADE, related_name="chunks")
    sequence = models.PositiveIntegerField()
    samples = models.PositiveIntegerField()
    data = models.BinaryField()

    class Meta:
        ordering = ["sequence"]
        constraints = [models.UniqueConstraint(fields=["pull", "sequence"], name="chunk_sequence_once_per_pull")]


class Channel(models.Model):
    """One channel of an ended pull, losslessly packed, in the unit in which the stand sent it."""

    pull = models.ForeignKey(Pull, on_delete=models.PROTECT, related_name="channels")
    position = models.PositiveSmallIntegerField()
    name = models.CharField(max_length=40)
    unit = models.CharField(max_length=16)
    codec = models.CharField(max_length=24)
    samples = models.PositiveIntegerField()
    data = models.BinaryField()

    class Meta:
        ordering = ["position"]
        constraints = [models.UniqueConstraint(fields=["pull", "name"], name="channel_name_once_per_pull")]


class CommandState(models.TextChoices):
    WAITING = "waiting", "Waiting"
    DONE = "done", "Done"
    REFUSED = "refused", "Refused"


class Command(models.Model):
    """Something a person asks of the stand; the bench worker passes it on and writes down the answer."""

    stand = models.ForeignKey(Stand, on_delete=models.CASCADE, related_name="commands")
    pull = models.ForeignKey(Pull, on_delete=models.CASCADE, null=True, blank=True, related_name="commands")
    name = models.CharField(max_length=20)
    arguments = models.JSONField(default=dict)
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
    beat_at = models.DateTimeField(null=True, blank=True)
    hello = models.JSONField(default=dict)
    values = models.JSONField(default=dict, help_text="last value of each channel, as sent")
    weather = models.JSONField(default=dict, help_text="Pa, K, 0 to 1")
    faulty = ArrayField(models.CharField(max_length=40), default=list, help_text="silent or impossible channels")

    def lost(self, at: datetime) -> str:
        """Why the stand cannot be used at this moment; "" if it can. A worker that no longer writes knows nothing."""
        if self.beat_at is not None and at - self.beat_at > SILENT_WORKER:
            return "the bench worker does not report; it may have been stopped"
        return "" if self.connected else self.why or "not linked yet"
