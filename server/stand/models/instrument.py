"""The instruments of a stand: when each channel was last checked, what was found, and when it is due again."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models import Q

from shop.checked_json import CheckedJSONField, Finite
from shop.models import Stand


class InstrumentCheckKind(models.TextChoices):
    ZERO = "zero", "Zero"
    SPAN = "span", "Span, weights on an arm"
    REFERENCE = "reference", "Against a reference"


class InstrumentCheck(models.Model):
    """One check of one channel, as it was found. Never changed: another check follows it."""

    stand = models.ForeignKey(Stand, on_delete=models.PROTECT, related_name="instrument_checks")
    channel = models.CharField(max_length=40)
    kind = models.CharField(max_length=9, choices=InstrumentCheckKind.choices)
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    zero = models.FloatField(null=True, blank=True, help_text="SI, read where nothing was there to read")
    error = models.FloatField(null=True, blank=True, help_text="share of the reading by which it reads high")
    uncertainty = models.FloatField(null=True, blank=True, help_text="of the error at 95 %, share of the reading")
    points = CheckedJSONField(
        shape=list[list[Finite]], default=list, help_text="kg hung, or SI of the reference, and what was read, SI"
    )
    arm = models.FloatField(null=True, blank=True, help_text="m")
    note = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["at", "pk"]
        constraints = [
            models.CheckConstraint(
                condition=Q(kind="zero", zero__isnull=False)
                | Q(kind__in=["span", "reference"], error__isnull=False, uncertainty__gt=0),
                name="instrument_check_says_what_it_found",
            ),
        ]


class InstrumentInterval(models.Model):
    """How often the owner wants a channel checked, where it is not the usual."""

    stand = models.ForeignKey(Stand, on_delete=models.CASCADE, related_name="instrument_intervals")
    channel = models.CharField(max_length=40)
    days = models.PositiveSmallIntegerField(null=True, blank=True, help_text="null: not asked for")

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["stand", "channel"], name="instrument_interval_once")]
