"""A stretch on a stand, and the weather that was written down in it."""

from __future__ import annotations

from django.conf import settings
from django.contrib.postgres.constraints import ExclusionConstraint
from django.contrib.postgres.fields import DateTimeRangeField, RangeBoundary, RangeOperators
from django.db import models
from django.db.models import F, Func, Q

from programmes.models import Programme
from shop.models import Stand


class Period(Func):
    function = "TSTZRANGE"
    output_field = DateTimeRangeField()


class Session(models.Model):
    """One stretch on one stand with one warm engine. Open until it is closed."""

    programme = models.ForeignKey(Programme, on_delete=models.PROTECT, related_name="sessions")
    stand = models.ForeignKey(Stand, on_delete=models.PROTECT, related_name="sessions")
    opened_at = models.DateTimeField()
    closed_at = models.DateTimeField(null=True, blank=True)
    fuel = models.CharField(max_length=80, blank=True, help_text="in the tank, with its batch")
    oil = models.CharField(max_length=80, blank=True)
    coolant = models.CharField(max_length=80, blank=True)
    opened_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    filed = models.BooleanField(default=False, help_text="known from files or printed figures, not run here")

    class Meta:
        ordering = ["opened_at"]
        constraints = [
            ExclusionConstraint(
                name="session_one_at_a_time_per_stand",
                expressions=[
                    (Period("opened_at", "closed_at", RangeBoundary()), RangeOperators.OVERLAPS),
                    ("stand", RangeOperators.EQUAL),
                ],
                condition=Q(filed=False),
                violation_error_message="Another session runs on this stand at that time. Close it first.",
            ),
            models.CheckConstraint(
                condition=Q(closed_at__isnull=True) | Q(closed_at__gte=F("opened_at")), name="session_ends_after_start"
            ),
        ]


class TankReading(models.Model):
    """How much fuel stood in the tank, when somebody filled it or looked."""

    session = models.ForeignKey(Session, on_delete=models.PROTECT, related_name="tank_readings")
    at = models.DateTimeField()
    volume = models.FloatField(help_text="m³")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")

    class Meta:
        ordering = ["at", "pk"]
        constraints = [
            models.CheckConstraint(condition=Q(volume__gte=0, volume__lte=10), name="tank_reading_is_a_volume")
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
