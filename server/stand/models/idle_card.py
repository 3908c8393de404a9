"""How an engine idles, starts and pulls from low speed with a setup: beside the power, never in it."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models import Q

from programmes.models import Setup
from stand.models.session import Session


class Starting(models.TextChoices):
    AT_ONCE = "at_once", "starts at once"
    SECOND = "second", "starts at the second try"
    HARD = "hard", "starts hard"


class Returning(models.TextChoices):
    CLEAN = "clean", "returns to idle clean"
    HANGS = "hangs", "hangs above idle"
    HUNTS = "hunts", "hunts"
    STALLS = "stalls", "stalls"


class LowPull(models.TextChoices):
    CLEAN = "clean", "pulls clean from low rpm"
    HESITATES = "hesitates", "hesitates at low rpm"
    BOGS = "bogs", "bogs at low rpm"


class IdleCard(models.Model):
    """One look at the idle of a setup. What was not looked at is empty; another card follows it, none is changed."""

    session = models.ForeignKey(Session, on_delete=models.PROTECT, related_name="idle_cards")
    setup = models.ForeignKey(Setup, on_delete=models.PROTECT, related_name="idle_cards")
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    rpm = models.FloatField(null=True, blank=True)
    manifold_pressure = models.FloatField(null=True, blank=True, help_text="Pa, absolute")
    mixture = models.FloatField(null=True, blank=True, help_text="lambda")
    spark_advance = models.FloatField(null=True, blank=True, help_text="° before top dead center")
    starting = models.CharField(max_length=9, choices=Starting.choices, blank=True)
    returning = models.CharField(max_length=9, choices=Returning.choices, blank=True)
    low_pull = models.CharField(max_length=9, choices=LowPull.choices, blank=True)
    hardware_missing = models.BooleanField(default=False, help_text="the idle hardware was not on: not judged")
    note = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["at", "pk"]
        constraints = [
            models.CheckConstraint(
                condition=Q(rpm__isnull=False) | Q(manifold_pressure__isnull=False) | Q(mixture__isnull=False)
                | Q(spark_advance__isnull=False) | ~Q(starting="", returning="", low_pull="", note="")
                | Q(hardware_missing=True),
                name="idle_card_says_something",
            ),
        ]  # fmt: skip
